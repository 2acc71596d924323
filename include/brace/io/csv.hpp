// SPDX-License-Identifier: Apache-2.0
// One series from a CSV file, and text tables as CSV (RFC 4180).
//
//   auto prices = brace::read_csv("data/kelp-fibre.csv", {.value = "settle"});
//   std::cout << prices.present() << " prices from " << prices.when(0);
//
// Threads: every function here may be called from several threads at once. Files
// are read, never written.
#pragma once

#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/io/table.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// read_series of a CSV file.
[[nodiscard]] Series read_csv(const std::string& path, const ReadOptions& options = {});

// A table of text cells as CSV, quoted where needed; the first row is the header.
[[nodiscard]] std::string csv_text(const std::vector<std::vector<std::string>>& rows);

}  // namespace brace::inline v0
BRACE_API_END
