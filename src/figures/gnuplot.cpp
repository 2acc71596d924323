// SPDX-License-Identifier: Apache-2.0
// gnuplot by posix_spawn. Covered by tests/figures/figure_test.cpp.
#include "figures/gnuplot.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cctype>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <thread>

#include "brace/base/error.hpp"
#include "brace/io/files.hpp"
#include "io/temporary.hpp"

namespace brace::inline v0 {
namespace {

// A folder of our own that goes when we do.
class TemporaryFolder {
 public:
  TemporaryFolder() {
    std::error_code none;
    const std::filesystem::path root = std::filesystem::temp_directory_path(none);
    std::string pattern = (root / "brace-XXXXXX").string();
    if (none || ::mkdtemp(pattern.data()) == nullptr)
      throw Error(
          ErrorCode::cannot_draw,
          fmt::format("no temporary folder can be made ({}); name one that exists and may be "
                      "written to in TMPDIR",
                      none ? none.message() : std::strerror(errno)));
    path_ = pattern;
  }
  ~TemporaryFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  [[nodiscard]] std::string file(const char* name) const { return (path_ / name).string(); }

 private:
  std::filesystem::path path_;
};

constexpr std::chrono::seconds kPatience(60);  // the slowest figure of the demo takes one
constexpr int kHung = 129;

// Runs gnuplot on a script, its messages into a file. Returns its exit status, 127 where it is
// missing, kHung where it had to be ended.
int run_gnuplot(const std::string& script, const std::string& messages) {
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_addopen(&actions, 1, messages.c_str(), O_WRONLY | O_CREAT | O_TRUNC,
                                     0600);
  ::posix_spawn_file_actions_adddup2(&actions, 1, 2);
  std::string name = "gnuplot", defaults = "--default-settings", file = script;
  char* arguments[] = {name.data(), defaults.data(), file.data(), nullptr};
  pid_t child = 0;
  const int failed = ::posix_spawnp(&child, "gnuplot", &actions, nullptr, arguments, environ);
  ::posix_spawn_file_actions_destroy(&actions);
  if (failed != 0) return 127;
  // One that hangs is ended.
  using std::chrono::steady_clock;
  const auto patience = steady_clock::now() + kPatience;
  int status = 0;
  while (::waitpid(child, &status, WNOHANG) == 0) {
    if (steady_clock::now() > patience) {
      ::kill(child, SIGKILL);
      ::waitpid(child, &status, 0);
      return kHung;
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128;
}

// gnuplot calls each element of an SVG by the text of its plot command, which readers show as a
// tip.
std::string without_plot_titles(std::string svg) {
  const std::string open = "<title>", close = "</title>";
  const std::size_t first = svg.find(close);  // of the whole picture
  for (std::size_t at = first; (at = svg.find(open, at)) != std::string::npos;) {
    const std::size_t end = svg.find(close, at);
    if (end == std::string::npos) break;
    svg.erase(at, end + close.size() - at);
  }
  return svg;
}

}  // namespace

Gnuplot::Gnuplot(std::string path) : path_(std::move(path)) {
  const std::string ending = std::filesystem::path(path_).extension().string();
  if (ending == ".png")
    terminal_ = "pngcairo size 1280,800 font 'DejaVu Sans,11' noenhanced";
  else if (ending == ".svg")
    terminal_ = "svg size 1280,800 font 'DejaVu Sans,14' noenhanced background '#FFFFFF'";
  else if (ending == ".pdf")
    terminal_ = "pdfcairo size 12.8in,8in font 'DejaVu Sans,11' noenhanced";
  else
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: the name of a figure must end in .png, .svg or .pdf", path_));
  add("set encoding utf8");
  add(fmt::format(
      "set border 3 lc rgb '{0}' lw 1; set tics nomirror out textcolor rgb '{0}'; set key off",
      palette::ink));
  add("set style fill solid 1 noborder; set datafile missing 'NaN'; set multiplot");
}

void Gnuplot::add(std::string_view line) {
  script_ += line;
  script_ += '\n';
}

std::string Gnuplot::data(const std::vector<std::vector<double>>& columns) {
  std::string name = fmt::format("$d{}", blocks_++);
  script_ += name + " << END_OF_DATA\n";
  for (std::size_t row = 0; row < columns.front().size(); ++row) {
    for (const std::vector<double>& column : columns)
      script_ += std::isfinite(column[row]) ? fmt::format("{:.10g} ", column[row]) : "NaN ";
    script_ += '\n';
  }
  script_ += "END_OF_DATA\n";
  return name;
}

void Gnuplot::panel(double left, double right, double bottom, double top, std::string_view title) {
  add("unset label; unset object; unset arrow");
  add(
      fmt::format("set lmargin at screen {}; set rmargin at screen {}; set bmargin at screen {}; "
                  "set tmargin at screen {}",
                  left, right, bottom, top));
  add(fmt::format(
      "set label 1 {} at screen {},{} font 'DejaVu Sans Bold,12' textcolor rgb '{}' noenhanced",
      quote(title), left, top + 0.03, palette::ink));
}

void Gnuplot::draw() {
  const TemporaryFolder folder;
  const std::string script = folder.file("script.gp"), messages = folder.file("messages");
  const std::string picture = folder.file("picture");
  const Temporary registered[] = {Temporary(folder.file("")), Temporary(script),
                                  Temporary(messages), Temporary(picture)};
  write_whole(script,
              fmt::format("set terminal {}\nset output {}\n{}unset multiplot\nunset output\n",
                          terminal_, quote(picture), script_));
  const int status = run_gnuplot(script, messages);
  if (status == 127)
    throw Error(ErrorCode::cannot_draw,
                "gnuplot is not installed; install the package gnuplot-nox");
  if (status == kHung)
    throw Error(ErrorCode::cannot_draw,
                fmt::format("gnuplot was ended on {}: it had not answered for {} seconds; try "
                            "'gnuplot --version'",
                            path_, kPatience.count()));
  if (status != 0 || !std::filesystem::exists(picture))
    throw Error(ErrorCode::cannot_draw, fmt::format("gnuplot failed on {} (status {}): {}", path_,
                                                    status, read_whole(messages).substr(0, 200)));
  std::string drawn = read_whole(picture);
  if (terminal_.starts_with("svg")) drawn = without_plot_titles(std::move(drawn));
  write_whole(path_, drawn);
}

std::string Gnuplot::quote(std::string_view text) {
  std::string out = "\"";
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    // SVG holds texts in sections that these signs would end.
    if (text.substr(i).starts_with("]]>")) out += "]] >", i += 3;
    if (i >= text.size()) break;
    const auto byte = static_cast<unsigned char>(c);
    if (byte < 0x20 || byte == 0x7f)
      out += ' ';
    else if (std::isalpha(byte) || byte == ' ' || byte >= 0x80)
      out += c;
    else
      out += fmt::format("\\{:03o}", byte);
  }
  return out + '"';
}

}  // namespace brace::inline v0
