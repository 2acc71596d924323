// SPDX-License-Identifier: Apache-2.0
// The terminal that the tool writes to: how wide it is, whether it shows weight, and the pager of
// texts that are longer than it.
//
//   show_pages(help_of(command, "", text_width()));
#pragma once

#include <cstddef>
#include <ostream>
#include <streambuf>
#include <string>

namespace brace::app {

// The narrowest and the widest that text is laid out for.
inline constexpr std::size_t kNarrowest = 60, kWidest = 100;

// Columns of the terminal on standard output, within those two; the widest where it is none.
[[nodiscard]] std::size_t text_width();

// Whether headings may be bold: a terminal, and neither NO_COLOR nor TERM=dumb.
[[nodiscard]] bool shows_weight();

// A heading as it is to be shown.
[[nodiscard]] std::string weighty(const std::string& heading);

// "  term" and what it is from `column` on, in lines of at most `width`; below it where the term is
// too long.
[[nodiscard]] std::string explained(const std::string& term, const std::string& what,
                                    std::size_t column, std::size_t width);

// To standard output; through $PAGER (less, where it is not set) on a terminal with fewer rows than
// the text has.
void show_pages(const std::string& text);

// Breaks lines that are longer than a narrow terminal at blanks: a paragraph flows on, the rest of
// a row of a table stands indented below it. Does nothing where standard output is no terminal or
// is wide enough, or what is written is for programs.
//
//   const FitsTerminal guard(std::cout, true);     // until it goes
class FitsTerminal : private std::streambuf {
 public:
  FitsTerminal(std::ostream& stream, bool for_people);
  ~FitsTerminal() override;
  FitsTerminal(const FitsTerminal&) = delete;
  FitsTerminal& operator=(const FitsTerminal&) = delete;

 private:
  int_type overflow(int_type c) override;
  int sync() override;
  bool write(const std::string& text);
  bool take(const std::string& line);
  bool end_paragraph();

  std::ostream& stream_;
  std::streambuf* target_ = nullptr;  // null where nothing is to be done
  std::size_t width_ = 0;
  std::string line_;
  std::string paragraph_;        // the end of a broken line of text, which the next may go on
  std::size_t line_before_ = 0;  // columns that it had
};

}  // namespace brace::app
