// SPDX-License-Identifier: Apache-2.0
// One file as a table, or as its one series.
// Covered by tests/io/table_test.cpp and tests/io/csv_test.cpp.
#include "brace/io/table.hpp"

#include <fmt/format.h>

#include "brace/base/error.hpp"
#include "io/file_rows.hpp"

namespace brace::inline v0 {
namespace {

class OneTable : public FileRows {
 public:
  using FileRows::FileRows;

  Table finish() {
    end();
    return in_order({shape().path, shape().options, shape().chosen, shape().names},
                    rows_->finish());
  }

 private:
  void begin() override { rows_.emplace(shape(), cells()); }
  void take(std::size_t number, const std::vector<Cell>& cells) override {
    rows_->take(number, cells);
  }
  // Columns are sized once.
  void expect(double share_read) override {
    rows_->reserve(
        static_cast<std::size_t>(1.03 / share_read * static_cast<double>(rows_->size())));
  }

  std::optional<SeriesRows> rows_;
};

// Keeps the names alone.
class HeaderAlone : public FileRows {
 public:
  HeaderAlone(const std::string& path, const ReadOptions& options) : FileRows(path, options, {}) {}

  void row(std::size_t number, const std::vector<Cell>& cells) override {
    if (shape().names.empty()) FileRows::row(number, cells);
  }
  [[nodiscard]] const std::vector<std::string>& names() const { return shape().names; }

 private:
  void begin() override {}
  void take(std::size_t, const std::vector<Cell>&) override {}
  void expect(double) override {}
};

std::unique_ptr<RowStream> stream_of(const std::string& path, const ReadOptions& options,
                                     RowSink& rows) {
  if (options.query) return query_stream(path, *options.query, rows);
  if (path != "-" && is_database(path))
    throw Error(ErrorCode::bad_query,
                fmt::format("{}: is an SQLite database; say what to read with `query`, such as "
                            "'select date, settle from prices'",
                            path));
  return csv_stream(path, options, rows);
}

Table read(const std::string& path, const ReadOptions& options, bool one_value) {
  OneTable rows(path, options, {.one_value = one_value});
  const std::unique_ptr<RowStream> stream = stream_of(path, options, rows);
  while (stream->advance()) {
  }
  if (const std::string note = stream->note(); !note.empty()) rows.note(note);
  return rows.finish();
}

}  // namespace

std::vector<std::string> column_names(const std::string& path, const ReadOptions& options) {
  HeaderAlone rows(path, options);
  const std::unique_ptr<RowStream> stream = stream_of(path, options, rows);
  while (rows.names().empty() && stream->advance()) {
  }
  if (rows.names().empty())
    throw Error(ErrorCode::file_empty,
                fmt::format("{}: the file is empty; it needs a header row and rows of data", path));
  return rows.names();
}

Table read_table(const std::string& path, const ReadOptions& options) {
  return read(path, options, options.values.empty() && options.value.has_value());
}

Series read_series(const std::string& path, const ReadOptions& options) {
  return series_of(read(path, options, true), options.companions);
}

Series Table::series(const std::string& column) const {
  for (std::size_t k = 0; k < columns.size(); ++k)
    if (columns[k].name == column) return series_of(*this, {}, k);
  std::vector<std::string> names;
  for (const Column& c : columns) names.push_back(c.name);
  throw Error(ErrorCode::column_missing,
              fmt::format("{}: there is no column '{}' in the table; it holds {}", file, column,
                          text::some_of(names)));
}

std::optional<Bars> Table::bars() const {
  if (!open || !high || !low || !close) return std::nullopt;
  return Bars{columns[*open].values, columns[*high].values, columns[*low].values,
              columns[*close].values};
}

}  // namespace brace::inline v0
