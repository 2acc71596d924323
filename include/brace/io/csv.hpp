// SPDX-License-Identifier: Apache-2.0
// CSV in and out (RFC 4180, comma, header row).
//
//   auto prices = brace::read_csv("data/kelp-fibre.csv", {.value = "settle", .drop_zero =
//   "volume"}); std::cout << prices.present() << " prices from " << prices.when(0);
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "brace/series/series.hpp"

namespace brace {

struct CsvOptions {
  // ---- Which columns ----
  // Column of the values; empty takes the only numeric column there is.
  std::string value{};
  // Column of the dates; empty takes the first column whose first cell reads as a date, or none.
  std::string date{};
  // strptime's letters, such as "%d/%m/%Y"; empty reads 2019-05-02 and 2019-05-02 14:30 and nothing
  // else.
  std::string date_format{};

  // ---- Which rows ----
  // Rows whose cell in this column is 0 are dropped before anything is computed: days without
  // trading.
  std::string drop_zero{};
  // First and last date kept, as text in the form of date_format; empty keeps all.
  std::string from{}, to{};

  // ---- Which cells are missing ----
  std::vector<std::string> missing{"", "NA", "N/A", "NaN", "nan", "null", "-"};

  // The clock; empty infers it from the dates.
  std::optional<Clock> every{};
};

// Reads a whole file ("-" is standard input). Throws Error naming file, row and column: rows are
// counted as a spreadsheet does, the header being row 1. Dates must increase.
[[nodiscard]] Series read_csv(const std::string& path, const CsvOptions& options = {});

// A table of text cells as CSV, quoted where needed; the first row is the header.
[[nodiscard]] std::string csv_text(const std::vector<std::vector<std::string>>& rows);

}  // namespace brace
