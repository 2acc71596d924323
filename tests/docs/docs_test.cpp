// SPDX-License-Identifier: Apache-2.0
// The documents: what they paste from the tool is what it prints, what they link exists. With
// BRACE_REFRESH_DOCS=1 the pasted output is written anew instead (scripts/refresh-docs).
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <regex>
#include <set>

#include "brace/brace.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;

std::vector<fs::path> pages() {
  std::vector<fs::path> out;
  for (const char* top : {"README.md", "CONTRIBUTING.md", "CHANGELOG.md"})
    out.push_back(fs::path(BRACE_SOURCE_DIR) / top);
  for (const auto& entry : fs::directory_iterator(fs::path(BRACE_SOURCE_DIR) / "docs"))
    if (entry.path().extension() == ".md") out.push_back(entry.path());
  return out;
}

// Output agrees when its words do. Numbers below 1e-6 are rounding and differ between processors;
// simulated figures may turn in their last digit, which is allowed one unit.
bool same(const std::string& pasted, const std::string& printed) {
  std::istringstream a(pasted), b(printed);
  for (std::string x, y;;) {
    const bool more = static_cast<bool>(a >> x), more_too = static_cast<bool>(b >> y);
    if (more != more_too) return false;
    if (!more) return true;
    if (x == y) continue;
    char *x_end = nullptr, *y_end = nullptr;
    const double u = std::strtod(x.c_str(), &x_end), v = std::strtod(y.c_str(), &y_end);
    if (x_end == x.c_str() || y_end == y.c_str() || std::string(x_end) != y_end) return false;
    if (std::abs(u) < 1e-6 && std::abs(v) < 1e-6) continue;
    // One unit of the last digit shown: "2.54" .01, "3e-9" 1e-9.
    const std::string number(x.c_str(), static_cast<std::size_t>(x_end - x.c_str()));
    const std::size_t exponent = number.find('e');
    const std::string mantissa = number.substr(0, exponent);
    const std::size_t point = mantissa.find('.');
    const double decimals =
        point == std::string::npos ? 0 : static_cast<double>(mantissa.size() - point - 1);
    const double unit =
        std::pow(10, (exponent == std::string::npos ? 0 : std::stod(number.substr(exponent + 1))) -
                         decimals);
    if (std::abs(u - v) > 1.01 * unit) return false;
  }
}

// A folder in which the documents' commands run: the tool on the path, the demo data in data.
class Desk {
 public:
  Desk() {
    fs::create_directories(folder_ / "bin");
    fs::create_directories(folder_ / "work");
    fs::create_symlink(BRACE_TOOL, folder_ / "bin/brace");
    fs::create_symlink(BRACE_SOURCE_DIR "/data", folder_ / "work/data");
  }
  [[nodiscard]] Outcome run(const std::string& command) const {
    return test::run("cd '" + (folder_ / "work") + "' && export PATH='" + (folder_ / "bin") +
                     "':$PATH\n" + command);
  }

 private:
  Folder folder_;
};

bool refreshing() {
  return std::getenv("BRACE_REFRESH_DOCS") != nullptr;
}

// ```console blocks of a page: "$ command" lines, each followed by what it prints, which `printed`
// tells and compares. Gives the number of commands; written anew where asked for.
int each_pasted(
    const fs::path& page,
    const std::function<std::string(const std::string& command, const std::string& pasted)>& printed) {
  std::istringstream in(content_of(page));
  std::string written, command, pasted;
  bool console = false;
  int commands = 0;
  const auto close = [&] {
    if (command.empty()) return;
    ++commands;
    const std::string all = printed(command, pasted);
    const std::size_t end = all.find_last_not_of('\n');
    written += end == std::string::npos ? "" : all.substr(0, end + 1) + "\n";
    command.clear();
    pasted.clear();
  };
  for (std::string line; std::getline(in, line);) {
    const bool fence = line.starts_with("```");
    if (console && (fence || line.starts_with("$ "))) close();
    if (console && line.starts_with("$ "))
      command = line.substr(2);
    else if (console && !fence && command.ends_with("\\")) {
      command = command.substr(0, command.size() - 1) + line;
    } else if (console && !fence) {
      pasted += line + '\n';
      continue;
    }
    if (fence) console = !console && line == "```console";
    written += line + '\n';
  }
  if (refreshing()) write_whole(page.string(), written);
  return commands;
}

constexpr const char* kRefusals = "errors.md";

TEST(Docs, PastedOutputIsWhatTheToolPrints) {
  const Desk desk;
  int commands = 0;
  for (const fs::path& page : pages())
    if (page.filename() != kRefusals)
      commands += each_pasted(page, [&](const std::string& command, const std::string& pasted) {
        const Outcome out = desk.run(command);
        EXPECT_EQ(out.status, 0) << page << ": " << command << '\n' << out.err;
        EXPECT_TRUE(refreshing() || same(pasted, out.out)) << page << ": $ " << command
                                                           << "\nprints\n"
                                                           << out.out;
        return out.out;
      });
  EXPECT_GE(commands, 6);
}

// What the tool refuses, and how: a line or three, in words of the trade alone.
TEST(Docs, RefusalsAreWhatTheToolSays) {
  const Desk desk;
  const std::regex of_the_language(
      R"re(::|std|exception|what\(\)|terminate|basic_string|vector|nullptr|NaN|optional|nlohmann|CLI|toml\+\+|errno|0x[0-9a-f])re");
  const int commands = each_pasted(
      fs::path(BRACE_SOURCE_DIR) / "docs" / kRefusals,
      [&](const std::string& command, const std::string& pasted) {
        const Outcome out = desk.run(command);
        EXPECT_TRUE(out.status == 1 || out.status == 2) << command << ": " << out.status;
        EXPECT_TRUE(out.err.starts_with("brace: ")) << command << '\n' << out.err;
        EXPECT_LE(std::count(out.err.begin(), out.err.end(), '\n'), 3) << out.err;
        EXPECT_FALSE(std::regex_search(out.err, of_the_language)) << out.err;
        EXPECT_EQ(out.out, "") << command;
        EXPECT_TRUE(refreshing() || same(pasted, out.err)) << "$ " << command << "\nsays\n"
                                                           << out.err;
        return out.err;
      });
  EXPECT_GE(commands, 60);
}

TEST(Docs, LinksLeadSomewhere) {
  const std::regex link(R"re(\]\(([^)#\s]+)(#[^)]*)?\))re");
  for (const fs::path& page : pages()) {
    const std::string text = content_of(page);
    for (std::sregex_iterator it(text.begin(), text.end(), link), end; it != end; ++it)
      EXPECT_TRUE(fs::exists(page.parent_path() / (*it)[1].str())) << page << " links " << (*it)[1];
  }
}

TEST(Docs, EveryWarningAndErrorHasItsParagraph) {
  const std::string page = content_of(BRACE_SOURCE_DIR "/docs/warnings.md");
  for (int code = 0; to_string(static_cast<WarningCode>(code)) != "unknown"; ++code)
    EXPECT_NE(page.find("**" + std::string(to_string(static_cast<WarningCode>(code))) + "**"),
              std::string::npos)
        << to_string(static_cast<WarningCode>(code));
  for (int code = 0; code <= static_cast<int>(ErrorCode::not_built); ++code)
    EXPECT_NE(page.find("`" + std::string(to_string(static_cast<ErrorCode>(code))) + "`"),
              std::string::npos)
        << to_string(static_cast<ErrorCode>(code));
}

// "Name (year)" and "Name and Name (year)" in code and documents against docs/bibliography.md.
TEST(Docs, CitationsStandInTheBibliography) {
  const std::string bibliography = content_of(BRACE_SOURCE_DIR "/docs/bibliography.md");
  const std::regex citation(
      R"re(([A-Z][a-z]+)(?:(?:,| and) [A-Z][a-z]+)* \(((?:19|20)\d\d)[,)])re");
  std::set<std::string> missing;
  for (const char* top : {"include", "src", "docs"})
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(BRACE_SOURCE_DIR) / top)) {
      if (!entry.is_regular_file() || entry.path().extension() == ".png") continue;
      const std::string text = content_of(entry.path());
      for (std::sregex_iterator it(text.begin(), text.end(), citation), end; it != end; ++it) {
        const std::string name = (*it)[1], year = (*it)[2];
        std::istringstream lines(bibliography);
        bool found = false;
        for (std::string line; std::getline(lines, line);)
          found = found || (line.find(name) != std::string::npos &&
                            line.find("(" + year + ")") != std::string::npos);
        if (!found) missing.insert(name + " (" + year + ") in " + entry.path().filename().string());
      }
    }
  for (const std::string& m : missing) ADD_FAILURE() << m;
}

// What docs/methods.md says of each method: the files and the tests that it names are there, and no
// paper of the bibliography is left out.
TEST(Docs, MethodsNameFilesAndTestsThatExist) {
  const std::string page = content_of(BRACE_SOURCE_DIR "/docs/methods.md");
  std::string tests;
  for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR "/tests"))
    if (entry.path().extension() == ".cpp") tests += content_of(entry.path());
  const std::regex named_test("`([A-Z][A-Za-z]+)\\.([A-Z][A-Za-z0-9]+)`"),
      named_file("`([a-z_/]+\\.[hc]pp)`");
  int count = 0;
  for (std::sregex_iterator it(page.begin(), page.end(), named_test), end; it != end; ++it, ++count) {
    if ((*it)[1] == "Suite") continue;
    const std::regex declared("TEST(_P|_F)?\\(" + (*it)[1].str() + ", " + (*it)[2].str() + "\\)");
    EXPECT_TRUE(std::regex_search(tests, declared)) << (*it)[0];
  }
  EXPECT_GE(count, 80);
  for (std::sregex_iterator it(page.begin(), page.end(), named_file), end; it != end; ++it) {
    bool found = false;
    for (const char* top : {"include/brace", "src", "."})
      found = found || fs::exists(fs::path(BRACE_SOURCE_DIR) / top / (*it)[1].str());
    EXPECT_TRUE(found) << (*it)[1];
  }
  std::istringstream bibliography(content_of(BRACE_SOURCE_DIR "/docs/bibliography.md"));
  const std::regex entry(R"re(^- (.*?) \((\d{4})\)\. )re");
  std::smatch match;
  for (std::string line; std::getline(bibliography, line);)
    if (std::regex_search(line, match, entry)) {
      EXPECT_TRUE(std::regex_search(page, std::regex(match[1].str() + " \\(?" + match[2].str())))
          << match[1] << " " << match[2];
    }
}

// The first page of the site leads to every page of docs/.
TEST(Docs, TheSiteLeavesNoPageOut) {
  const std::string first = content_of(BRACE_SOURCE_DIR "/docs/site/index.md");
  for (const auto& entry : fs::directory_iterator(BRACE_SOURCE_DIR "/docs"))
    if (entry.path().extension() == ".md") {
      EXPECT_NE(first.find("(" + entry.path().filename().string() + ")"), std::string::npos)
          << entry.path();
    }
}

}  // namespace
}  // namespace brace::test
