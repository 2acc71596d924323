// SPDX-License-Identifier: Apache-2.0
// One cell of a file: a number, missing, or an error that says where it stands and how to mend it.
//
//   const CellReader cells(options);
//   double x = cells.value(cell, {path, row, column});   // NaN where the cell says missing
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "io/number_reader.hpp"
#include "io/rows.hpp"

namespace brace::inline v0 {

struct CellPlace {
  const std::string& file;
  std::size_t row;  // as a spreadsheet counts
  const std::string& column;
};

[[noreturn]] inline void refuse_cell(ErrorCode code, const CellPlace& at, std::string_view text,
                                     const std::string& what) {
  throw Error(code, fmt::format("{} row {}, column {}: '{}' {}", at.file, text::count(at.row),
                                at.column, text.substr(0, 60), what));
}

class CellReader {
 public:
  explicit CellReader(const ReadOptions& options) : options_(options), number_(options) {
    for (const std::string& sign : options.drop_signs)
      if (sign.empty() || sign.find_first_of(" \t+-.,()0123456789") != std::string::npos)
        throw Error(ErrorCode::bad_option,
                    fmt::format("`drop_signs` '{}': name a sign such as % or $, without blanks, "
                                "digits, points, commas, plus or minus",
                                sign));
    for (const std::string& mark : options.missing) {
      missing_.insert(mark);
      const auto number = number_(mark);
      marks_are_numbers_ = marks_are_numbers_ || (number && std::isfinite(*number));
    }
  }

  [[nodiscard]] std::optional<double> number(std::string_view text) const { return number_(text); }

  [[nodiscard]] bool is_missing(std::string_view text) const {
    return missing_.contains(text::trimmed(text));
  }

  // The option under which the text would be a number; empty where there is none.
  [[nodiscard]] std::string dialect_of(std::string_view text) const {
    ReadOptions other = options_;
    other.grouped = true;
    if (NumberReader(other)(text)) return "`grouped`";
    other.decimal_comma = !options_.decimal_comma;
    if (!other.decimal_comma) return "";
    other.grouped = options_.grouped;
    if (NumberReader(other)(text)) return "`decimal_comma`";
    other.grouped = true;
    return NumberReader(other)(text) ? "`decimal_comma` `grouped`" : "";
  }

  // What would make the text a number: "with `grouped`", "with `drop_signs` '%'"; empty where
  // nothing would.
  [[nodiscard]] std::string mend_of(std::string_view text) const {
    text = text::trimmed(text);
    if (const std::string dialect = dialect_of(text); !dialect.empty()) return "with " + dialect;
    // A currency before it, or a unit behind, that has no letters.
    ReadOptions without = options_;
    const std::string plain = NumberReader::with_plain_marks(text);
    for (std::size_t at = 0; at < plain.size();) {
      const auto begin = plain.find_first_not_of(kNoSign, at);
      if (begin == std::string::npos) break;
      at = std::min(plain.find_first_of(kNoSign, begin), plain.size());
      std::string sign = plain.substr(begin, at - begin);
      if (std::ranges::find(without.drop_signs, sign) == without.drop_signs.end())
        without.drop_signs.push_back(std::move(sign));
    }
    if (without.drop_signs.size() == options_.drop_signs.size()) return "";
    const CellReader reader(without);
    const std::string dialect = reader.number(text) ? "" : reader.dialect_of(text);
    if (dialect.empty() && !reader.number(text)) return "";
    return fmt::format("with `drop_signs` '{}'{}", fmt::join(without.drop_signs, ","),
                       dialect.empty() ? "" : " " + dialect);
  }

  [[nodiscard]] double value(const Cell& cell, const CellPlace& at) const {
    std::optional<double> x = cell.number;
    if (!x) {
      x = number_(cell.text);
      // Most cells are numbers: only what is none, or not finite, or might be a mark such as -999,
      // is looked up.
      if ((!x || marks_are_numbers_ || !std::isfinite(*x)) && is_missing(cell.text)) return kNaN;
    }
    if (!x) {
      const std::string mend = mend_of(cell.text);
      refuse_cell(ErrorCode::not_a_number, at, cell.text,
                  mend.empty()
                      ? fmt::format("is not a number; fix it or name it as missing with `missing` "
                                    "'{}'",
                                    cell.text.substr(0, 60))
                      : fmt::format("is not a number; it would be {}", mend));
    }
    if (!std::isfinite(*x))
      refuse_cell(ErrorCode::not_finite, at, cell.text,
                  fmt::format("is not finite; fix it or name it as missing with `missing` '{}'",
                              cell.text));
    if (std::abs(*x) > kLargest || (*x != 0 && std::abs(*x) < 1 / kLargest))
      refuse_cell(
          ErrorCode::not_finite, at, cell.text,
          fmt::format("is beyond {}, where squares are no numbers any more; fix it, take another "
                      "unit, or name it as missing with `missing` '{}'",
                      std::abs(*x) > 1 ? kLargest : 1 / kLargest, cell.text));
    return *x;
  }

 private:
  // What numbers and words are made of; bytes beyond ASCII, as in the euro's sign, are not.
  static constexpr std::string_view kNoSign =
      " \t+-.,()0123456789'abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ";

  const ReadOptions& options_;
  NumberReader number_;
  std::set<std::string, std::less<>> missing_;
  bool marks_are_numbers_ = false;
};

}  // namespace brace::inline v0
