// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/prompt_test.cpp.
#include "prompt/terminal.hpp"

#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <iostream>
#include <utility>

#include "brace/base/text.hpp"

namespace brace::app {
namespace {

// Of the terminal on standard output; zeros where it is none or does not say.
winsize terminal_size() {
  winsize size{};
  if (::isatty(STDOUT_FILENO) == 0 || ::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0) return {};
  return size;
}

// Columns that a text takes: bytes that go on with a sign take none.
std::size_t columns_of(const std::string& text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) {
    return (static_cast<unsigned char>(c) & 0xc0) != 0x80;
  }));
}

void write_out(const std::string& text) {
  std::cout.flush();
  std::fwrite(text.data(), 1, text.size(), stdout);
  std::fflush(stdout);
}

// A line in pieces of at most `width` columns, broken at blanks; those after the first stand
// `further` columns to the right of it.
std::string fitted(const std::string& line, std::size_t width, std::size_t further) {
  if (columns_of(line) <= width) return line;
  const std::size_t start = std::min(line.find_first_not_of(' '), line.size());
  const std::string indent(std::min(start + further, width / 2), ' ');
  std::string out, rest = line;
  bool first = true;
  while (columns_of(rest) > width) {
    // The last blank that still fits, not within the indent.
    const std::size_t from = first ? start : indent.size();
    std::size_t at = std::string::npos, columns = 0;
    for (std::size_t i = 0; i < rest.size() && columns <= width; ++i) {
      if (rest[i] == ' ' && i > from) at = i;
      columns += (static_cast<unsigned char>(rest[i]) & 0xc0) != 0x80;
    }
    if (at == std::string::npos) at = rest.find(' ', std::max(from, width));
    if (at == std::string::npos) break;
    const std::size_t end = rest.find_last_not_of(' ', at), next = rest.find_first_not_of(' ', at);
    out += rest.substr(0, end + 1) + "\n";
    if (next == std::string::npos) return out.substr(0, out.size() - 1);
    rest.replace(0, next, indent);
    first = false;
  }
  return out + rest;
}

}  // namespace

std::size_t text_width() {
  const std::size_t columns = terminal_size().ws_col;
  return columns == 0 ? kWidest : std::clamp(columns, kNarrowest, kWidest);
}

bool shows_weight() {
  const char *none = std::getenv("NO_COLOR"), *term = std::getenv("TERM");
  return ::isatty(STDOUT_FILENO) != 0 && !(none && *none) && term && std::strcmp(term, "dumb") != 0;
}

std::string weighty(const std::string& heading) {
  return shows_weight() ? "\033[1m" + heading + "\033[0m" : heading;
}

std::string explained(const std::string& term, const std::string& what, std::size_t column,
                      std::size_t width) {
  const std::string call = "  " + term;
  std::string text = text::wrap(what, width, std::string(column, ' '));
  if (call.size() + 2 > column) return call + "\n" + text;
  return text.replace(0, call.size(), call);
}

void show_pages(const std::string& text) {
  const std::size_t rows = terminal_size().ws_row;
  const auto lines = static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
  const char* pager = std::getenv("PAGER");
  const std::string reader = pager ? pager : "less";
  if (rows == 0 || lines < rows || reader.empty() || reader == "cat") return write_out(text);
  ::setenv("LESS", "FRX", 0);  // leaves the text on the screen and shows weight
  // A reader who leaves early, or a pager that is not there, is no error.
  void (*before)(int) = std::signal(SIGPIPE, SIG_IGN);
  std::cout.flush();
  std::FILE* pipe = ::popen(reader.c_str(), "w");
  if (pipe) std::fwrite(text.data(), 1, text.size(), pipe);
  const int status = pipe ? ::pclose(pipe) : -1;
  std::signal(SIGPIPE, before);
  constexpr int kNoSuchCommand = 127;
  if (status == -1 || (WIFEXITED(status) && WEXITSTATUS(status) == kNoSuchCommand)) write_out(text);
}

FitsTerminal::FitsTerminal(std::ostream& stream, bool for_people)
    : stream_(stream), width_(terminal_size().ws_col) {
  if (!for_people || width_ == 0 || width_ >= kWidest) return;
  width_ = std::max(width_, kNarrowest);
  target_ = stream.rdbuf(this);
}

FitsTerminal::~FitsTerminal() {
  if (!target_) return;
  (void)(end_paragraph() && write(line_));
  stream_.rdbuf(target_);
}

bool FitsTerminal::write(const std::string& text) {
  const auto size = static_cast<std::streamsize>(text.size());
  return target_->sputn(text.data(), size) == size;
}

FitsTerminal::int_type FitsTerminal::overflow(int_type c) {
  if (traits_type::eq_int_type(c, traits_type::eof())) return traits_type::not_eof(c);
  if (c != '\n') {
    line_ += traits_type::to_char_type(c);
    return c;
  }
  return take(std::exchange(line_, {})) ? c : traits_type::eof();
}

bool FitsTerminal::take(const std::string& line) {
  const std::size_t start = std::min(line.find_first_not_of(' '), line.size());
  const bool text = start < line.size() && line.find("  ", start) == std::string::npos;
  std::string whole = line;
  // A line is broken for the widest terminal where it is nearly as long.
  constexpr std::size_t kNearlyFull = 80;
  const std::size_t before = std::exchange(line_before_, columns_of(line));
  if (!paragraph_.empty()) {
    const bool goes_on =
        text && before >= kNearlyFull && start == paragraph_.find_first_not_of(' ');
    if (goes_on)
      whole = std::exchange(paragraph_, {}) + " " + line.substr(start);
    else if (!end_paragraph())
      return false;
  }
  if (columns_of(whole) <= width_) return write(whole + "\n");
  const std::string pieces = fitted(whole, width_, text ? 0 : 2);
  const std::size_t last = pieces.rfind('\n');
  if (!text || last == std::string::npos) return write(pieces + "\n");
  paragraph_ = pieces.substr(last + 1);
  return write(pieces.substr(0, last + 1));
}

bool FitsTerminal::end_paragraph() {
  return paragraph_.empty() || write(std::exchange(paragraph_, {}) + "\n");
}

int FitsTerminal::sync() {
  const bool written = end_paragraph() && write(std::exchange(line_, {}));
  return written ? target_->pubsync() : -1;
}

}  // namespace brace::app
