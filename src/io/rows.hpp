// SPDX-License-Identifier: Apache-2.0
// Where rows come from: CSV bytes or a database. Each hands its rows, one at a time, to a RowSink.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/io/table.hpp"

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

// Hands the rows of a source to a sink, a part at a time, so that whoever reads may stop in between
// and no more than a row of it is held.
class RowStream {
 public:
  virtual ~RowStream() = default;
  // Hands over some more rows; false once all are. Throws Error naming file and row.
  virtual bool advance() = 0;
  // How cells are separated, where that is worth a word; known at the end.
  [[nodiscard]] virtual std::string note() const { return ""; }
};

// A CSV file ("-" is standard input) through libcsv in blocks. Without a `column_mark` the first
// lines tell it; a decimal comma is none. All that is given must outlive it.
[[nodiscard]] std::unique_ptr<RowStream> csv_stream(const std::string& path,
                                                    const ReadOptions& options, RowSink& sink);

// The rows of a query; the names of its columns come first, as row 1.
[[nodiscard]] std::unique_ptr<RowStream> query_stream(const std::string& path,
                                                      const std::string& query, RowSink& sink);

// Names of the tables and views of a database.
[[nodiscard]] std::vector<std::string> tables_of(const std::string& path);

// Whether the file begins as an SQLite database does.
[[nodiscard]] bool is_database(const std::string& path);

}  // namespace brace::inline v0
