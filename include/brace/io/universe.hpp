// SPDX-License-Identifier: Apache-2.0
// Many series: a folder or pattern of CSV files, one long file whose column names them, or one wide
// file of a column a series. A file is read once, and no more of it is held than must be.
//
//   auto universe = brace::open_universe("market.csv", {.value = "price"}, "symbol");
//   while (auto found = universe->next()) std::cout << found->name << found->read().size();
//
// Threads: a Universe belongs to one thread; SeriesFound::read may be called from any other.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/io/table.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// A series that is there, not yet put in order.
struct SeriesFound {
  std::string name;
  // The series, as read_series() would give it of that file alone, or of a long file with
  // ReadOptions::where. Once only. Throws Error for what is wrong with this series.
  std::function<Series()> read;
};

class Universe {
 public:
  virtual ~Universe() = default;
  // The next one; empty at the end. Throws Error for what is wrong with the file as a whole.
  [[nodiscard]] virtual std::optional<SeriesFound> next() = 0;
  // How many there are, where that is known beforehand.
  [[nodiscard]] virtual std::optional<std::size_t> size() const { return std::nullopt; }
  // The share of the source that was read, from 0 to 1, where that is known.
  [[nodiscard]] virtual std::optional<double> share_read() const { return std::nullopt; }
};

// `each` says what tells the series of a CSV file or database apart: a column of their names, or
// "column" where every column but the dates is a series. Without it `path` is a folder, of which
// the .csv files are read, or a pattern such as "prices/*.csv". Of a long file the series come in
// its order where each stands in one piece, else by parts that fit into memory (the parts lie in
// the folder for temporary files); of an SQLite database without ReadOptions::query the only table
// is read. Throws Error: file_missing, column_missing, bad_option, bad_query.
[[nodiscard]] std::unique_ptr<Universe> open_universe(const std::string& path,
                                                      const ReadOptions& options = {},
                                                      const std::optional<std::string>& each = {});

// Of series that are in memory, by their names.
[[nodiscard]] std::unique_ptr<Universe> universe_of(std::vector<Series> series);

// What `each` is for a wide file.
inline constexpr const char* kEachColumn = "column";

}  // namespace brace::inline v0
BRACE_API_END
