// SPDX-License-Identifier: Apache-2.0
// From the rows of a file as they were read to rows in order of time, with an account of each that
// was left out.
//
//   Table table = in_order({path, options, chosen, names}, std::move(read));
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "brace/io/table.hpp"
#include "io/column_choice.hpp"

namespace brace::inline v0 {

struct RowsRead {
  Table table;                         // with its columns, times and account
  std::vector<std::uint32_t> numbers;  // of the rows, as a spreadsheet counts
  std::vector<char> zeros;             // 1 where the column of ReadOptions::drop_zero is 0
};

struct RowsFrom {
  const std::string& file;
  const ReadOptions& options;
  const ColumnChoice& chosen;
  const std::vector<std::string>& names;  // of all columns
};

// Turned round where the newest came first, in UTC, without rows outside the window, without
// trading, flat or repeated, with rows for absent dates. Throws Error: date_repeated,
// dates_out_of_order, file_empty, bad_option.
[[nodiscard]] Table in_order(const RowsFrom& from, RowsRead rows);

}  // namespace brace::inline v0
