// SPDX-License-Identifier: Apache-2.0
// Which columns of a file hold its dates, its values and its bars: by the options, else by the
// names in the header and by what the first rows hold.
//
//   ColumnChoice chosen = choose_columns({path, names, rows, cells, options, {.one_value = true}});
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "brace/io/table.hpp"
#include "io/cell_reader.hpp"

namespace brace::inline v0 {

// A row kept until the columns are chosen.
struct TriedRow {
  std::size_t number;  // as a spreadsheet counts
  std::vector<std::string> texts;
  std::vector<std::optional<double>> numbers;
};

struct ColumnQuestion {
  const std::string& file;
  const std::vector<std::string>& names;
  const std::vector<TriedRow>& rows;
  const CellReader& cells;
  const ReadOptions& options;
  // What the file is to be for.
  struct Purpose {
    bool one_value = false;             // a series is asked for, not a table
    bool every_column = false;          // all but the dates, whatever they hold
    std::optional<std::string> each{};  // the column that names the series of a long file
  } purpose;
};

struct ColumnChoice {
  std::optional<std::size_t> date, time, zero, each;
  std::vector<std::size_t> values;
  std::vector<std::pair<std::size_t, std::string>> where;  // column and the text it must hold
  // Positions in `values`.
  std::optional<std::size_t> open, high, low, close, volume;
  // A column not chosen that tells several series of a long file apart, and its texts.
  std::string series_column;
  std::vector<std::string> series_names;
  // What was assumed, each a phrase for the account.
  std::vector<std::string> notes;

  // One flag a column of the file: whether any of the above reads it.
  [[nodiscard]] std::vector<bool> wanted(std::size_t columns) const;
};

// Whether it is where programs begin to count rows.
[[nodiscard]] constexpr bool begins_a_count(std::optional<double> number) {
  const double from = number.value_or(-1);
  return from == 0 || from == 1;
}

// Throws Error: column_missing, bad_option.
[[nodiscard]] ColumnChoice choose_columns(const ColumnQuestion& question);

}  // namespace brace::inline v0
