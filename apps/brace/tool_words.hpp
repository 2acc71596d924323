// SPDX-License-Identifier: Apache-2.0
// The library's messages name an option by its field between backquotes, such as `drop_zero`. The
// tool writes its own word in its place: --drop-zero.
//
//   const InToolWords guard(std::cout);     // until it goes
#pragma once

#include <array>
#include <ostream>
#include <sstream>
#include <streambuf>
#include <string>
#include <string_view>
#include <utility>

namespace brace::app {

// A field or call of the library and what a user of the tool writes for it.
inline constexpr std::array kToolWords = std::to_array<std::pair<std::string_view, std::string_view>>({
    // ---- Calls ----
    {"find_breaks", "brace breaks ..."},
    {"leverage_table", "lags --of leverage"},
    {"save_model", "brace fit ... --save"},
    {"unit_root_battery", "brace unitroot"},
    // ---- Fields ----
    {"column_mark", "--column-mark"},
    {"columns", "--columns"},
    {"date", "--date"},
    {"date_format", "--date-format"},
    {"decimal_comma", "--decimal-comma"},
    {"deterministic", "--deterministic"},
    {"draws", "--draws"},
    {"drop_flat", "--drop-flat"},
    {"drop_signs", "--drop-signs"},
    {"drop_zero", "--drop-zero"},
    {"each", "--each"},
    {"from", "--from"},
    {"future", "--future"},
    {"grouped", "--grouped"},
    {"hold_out", "--hold-out"},
    {"method", "--method"},
    {"missing", "--missing"},
    {"model", "--model"},
    {"per_year", "--per-year"},
    {"period", "--period"},
    {"query", "--query"},
    {"refits", "--refits"},
    {"regroup", "--regroup"},
    {"returns", "--returns"},
    {"roles", "--roles"},
    {"terms", "--terms"},
    {"to", "--to"},
    {"transform", "--transform"},
    {"value", "--value"},
    {"where", "--where"},
    {"window", "--window"},
    {"zone", "--zone"},
});

// Empty where the tool has no word of its own.
constexpr std::string_view tool_word(std::string_view field) {
  for (const auto& [library, tool] : kToolWords)
    if (library == field) return tool;
  return {};
}

// Every known word between backquotes in the tool's words; all else as it is.
class InToolWords : private std::streambuf {
 public:
  explicit InToolWords(std::ostream& stream) : stream_(stream), target_(stream.rdbuf(this)) {}
  ~InToolWords() override {
    release();
    stream_.rdbuf(target_);
  }
  InToolWords(const InToolWords&) = delete;
  InToolWords& operator=(const InToolWords&) = delete;

 private:
  int_type overflow(int_type c) override {
    if (traits_type::eq_int_type(c, traits_type::eof())) return traits_type::not_eof(c);
    const char letter = traits_type::to_char_type(c);
    if (held_.empty()) {
      if (letter != '`') return target_->sputc(letter);
      held_ = "`";
      return c;
    }
    const bool in_word = (letter >= 'a' && letter <= 'z') || letter == '_';
    if (in_word) {
      held_ += letter;
      return c;
    }
    if (letter == '`') {
      if (const std::string_view word = tool_word(std::string_view(held_).substr(1)); !word.empty()) {
        held_.clear();
        return write(word) ? c : traits_type::eof();
      }
      const bool written = release();  // the closing mark may open the next
      held_ = "`";
      return written ? c : traits_type::eof();
    }
    return release() ? target_->sputc(letter) : traits_type::eof();
  }

  int sync() override {
    release();
    return target_->pubsync();
  }

  bool release() { return write(std::exchange(held_, {})); }
  bool write(std::string_view text) {
    return target_->sputn(text.data(), static_cast<std::streamsize>(text.size())) ==
           static_cast<std::streamsize>(text.size());
  }

  std::ostream& stream_;
  std::streambuf* target_;
  std::string held_;  // a backquote and the letters since
};

// A message of the library as the tool puts it.
inline std::string in_tool_words(const std::string& message) {
  std::ostringstream out;
  {
    const InToolWords words(out);
    out << message;
  }
  return out.str();
}

}  // namespace brace::app
