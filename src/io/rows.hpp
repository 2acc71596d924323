// SPDX-License-Identifier: Apache-2.0
// Where rows come from: CSV bytes or a database. Each hands its rows, one at a time, to a RowSink.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace brace::inline v0 {

struct Cell {
  std::string_view text;         // valid during RowSink::row only
  std::optional<double> number;  // a database's own number, which text would round
};

class RowSink {
 public:
  virtual ~RowSink() = default;
  // `number` counts rows as a spreadsheet does, from 1; the first is the header.
  virtual void row(std::size_t number, const std::vector<Cell>& cells) = 0;
  // One flag a column: whether the sink will look at its text. Others may be handed over empty;
  // none are while this is empty, nor are columns beyond its end.
  [[nodiscard]] virtual const std::vector<bool>& wanted() const = 0;
  // Bytes of the source read so far and in all (0 where not known), to size columns by.
  virtual void progress(std::size_t bytes, std::size_t total) = 0;
};

// A row longer than this is an open quote or no CSV at all.
inline constexpr std::size_t kLongestRow = 1 << 20;

// Streams a CSV file through libcsv in blocks, so that no more than a row of it is held. Without a
// `mark` the first line tells it. Returns the mark used.
char stream_csv(const std::string& path, std::optional<char> mark, RowSink& sink);

// Streams the rows of a query; the names of its columns come first, as row 1.
void stream_query(const std::string& path, const std::string& query, RowSink& sink);

// Whether the file begins as an SQLite database does.
[[nodiscard]] bool is_database(const std::string& path);

}  // namespace brace::inline v0
