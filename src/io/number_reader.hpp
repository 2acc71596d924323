// SPDX-License-Identifier: Apache-2.0
// Numbers as a file writes them, with its decimal mark and groups of digits:
//   const NumberReader number({.decimal_comma = true, .grouped = true});
//   number("1.234,5");  // 1234.5; empty where the text is no number
#pragma once

#include <algorithm>
#include <charconv>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/text.hpp"
#include "brace/io/table.hpp"

namespace brace::inline v0 {

class NumberReader {
 public:
  explicit NumberReader(const ReadOptions& options)
      : point_(options.decimal_comma ? ',' : '.'),
        grouped_(options.grouped),
        drop_signs_(options.drop_signs) {}

  std::optional<double> operator()(std::string_view cell) const {
    cell = text::trimmed(cell);
    if (const auto value = signed_in_front(cell)) return value;
    return signed_otherwise(cell);
  }

  // Typesetters' marks between groups of digits: blanks that break no line, in UTF-8 and Latin-1,
  // and a raised comma.
  static std::string with_plain_marks(std::string_view cell) {
    std::string out(cell);
    for (const std::string_view mark : {"\u00A0", "\u202F", "\u2009", "\u2019", "\xA0"})
      for (std::size_t at = 0; (at = out.find(mark, at)) != std::string::npos;)
        out.replace(at, mark.size(), " ");
    return out;
  }

 private:
  std::optional<double> signed_in_front(std::string_view cell) const {
    if (cell.starts_with('+')) {
      cell.remove_prefix(1);
      if (cell.starts_with('-')) return std::nullopt;
    }
    if (point_ == '.' && !grouped_) return plain(cell);
    std::string plain_marks, rewritten;
    const auto beyond_ascii = [](char c) { return static_cast<unsigned char>(c) >= 0x80; };
    if (grouped_ && std::any_of(cell.begin(), cell.end(), beyond_ascii))
      cell = plain_marks = with_plain_marks(cell);
    if (!rewrite(cell, rewritten)) return std::nullopt;
    return plain(rewritten);
  }

  // Losses in parentheses as accounts write them, a minus behind or a typesetter's, which have no
  // other reading; and signs that are to be left out.
  std::optional<double> signed_otherwise(std::string_view cell) const {
    std::string without;
    for (const std::string& sign : drop_signs_)
      for (std::size_t at = 0; (at = cell.find(sign)) != std::string_view::npos;) {
        std::string rest(cell.substr(0, at));
        rest += text::trimmed(cell.substr(at + sign.size()));
        without = std::move(rest);  // `cell` may be a view of it
        cell = without;
      }
    if (!without.empty()) cell = without = with_plain_marks(without);
    cell = text::trimmed(cell);
    const std::size_t written = cell.size();
    if (cell.starts_with('(') && cell.ends_with(')')) {
      cell = cell.substr(1, cell.size() - 2);
    } else if (cell.size() > 1 && cell.ends_with('-')) {
      cell.remove_suffix(1);
    } else {
      for (const std::string_view minus : {"\u2212", "\u2013"})
        if (cell.starts_with(minus)) {
          cell.remove_prefix(minus.size());
          break;
        }
    }
    if (cell.size() == written) return without.empty() ? std::nullopt : signed_in_front(cell);
    cell = text::trimmed(cell);
    if (cell.starts_with('-') || cell.starts_with('+')) return std::nullopt;
    const auto size = signed_in_front(cell);
    return size ? std::optional(-*size) : std::nullopt;
  }

  static std::optional<double> plain(std::string_view cell) {
    double value = 0;
    const auto [end, error] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
    if (error != std::errc() || end != cell.data() + cell.size()) return std::nullopt;
    return value;
  }

  // The decimal mark as a point, marks between groups of three digits taken out.
  bool rewrite(std::string_view cell, std::string& out) const {
    const auto decimal = cell.find(point_);
    std::string_view whole = cell.substr(0, decimal);
    if (whole.starts_with('-')) {
      out += '-';
      whole.remove_prefix(1);
    }
    const std::string_view marks = point_ == '.' ? ", '" : ". '";
    std::size_t digits = 0;
    bool any_mark = false;
    for (const char c : whole) {
      if (grouped_ && marks.find(c) != std::string_view::npos) {
        if (digits == 0 || digits > 3 || (any_mark && digits != 3)) return false;
        any_mark = true;
        digits = 0;
      } else if (c == '.') {
        return false;  // the other dialect's decimal point
      } else {
        out += c;
        ++digits;
      }
    }
    if (any_mark && digits != 3) return false;
    if (decimal != std::string_view::npos) {
      out += '.';
      out += cell.substr(decimal + 1);
    }
    return true;
  }

  char point_;
  bool grouped_;
  const std::vector<std::string>& drop_signs_;
};

}  // namespace brace::inline v0
