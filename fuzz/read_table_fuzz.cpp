// SPDX-License-Identifier: Apache-2.0
// The reader under libFuzzer: any bytes, under options that the first byte chooses, give a table or
// an Error and nothing else.
//   scripts/fuzz 300 read_table             five minutes from fuzz/corpus/read_table
#include <cmath>
#include <cstddef>
#include <cstdint>

#include "brace/io/files.hpp"
#include "brace/io/table.hpp"
#include "promises.hpp"

namespace {

using fuzz::broken;

// What every table promises, whatever it was read from.
void check(const brace::Table& table) {
  if (table.rows() == 0) broken("a table without rows");
  if (!table.times.empty() && table.times.size() != table.rows()) broken("dates and rows differ");
  for (std::size_t i = 1; i < table.times.size(); ++i)
    if (table.times[i] <= table.times[i - 1]) broken("dates do not increase");
  for (const brace::Column& column : table.columns) {
    if (column.values.size() != table.rows()) broken("columns of unequal length");
    for (const double v : column.values)
      if (std::isinf(v)) broken("an infinite value");
  }
  if (table.rows() + table.account.rows_dropped() != table.account.rows_read)
    broken("rows kept and dropped are not the rows read");
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  const std::uint8_t choice = data[0];
  brace::ReadOptions options;
  options.decimal_comma = (choice & 1) != 0;
  options.grouped = (choice & 2) != 0;
  if ((choice & 3) == 3) options.drop_signs = {"%", "$"};
  options.with_bars = (choice & 4) != 0;
  if ((choice & 8) != 0) options.where = {"symbol=KELP"};
  if ((choice & 16) != 0) options.drop_zero = "volume";
  if ((choice & 32) != 0) options.date_format = "%d/%m/%Y";
  if ((choice & 64) != 0) options.value = "2";
  if ((choice & 128) != 0) options.from = "2024-01-03";
  const std::string& path = fuzz::own_file("input.csv");
  brace::write_whole(path, fuzz::text_of(data + 1, size - 1));
  return fuzz::answers([&] { check(brace::read_table(path, options)); });
}
