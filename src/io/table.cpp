// SPDX-License-Identifier: Apache-2.0
// From rows of text to columns of numbers: the header, the choice of columns, then row after row.
// Covered by tests/io/table_test.cpp and tests/io/csv_test.cpp.
#include "brace/io/table.hpp"

#include <fmt/format.h>

#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "io/cell_reader.hpp"
#include "io/column_choice.hpp"
#include "io/date_reader.hpp"
#include "io/encoding.hpp"
#include "io/row_cleaning.hpp"
#include "io/rows.hpp"

namespace brace::inline v0 {
namespace {

// Rows looked at before the columns are chosen.
constexpr std::size_t kRowsTried = 1000;

// Room for one more by a quarter instead of twice as much: what is held stays near what is kept.
template <class T>
void push(std::vector<T>& to, T value) {
  if (to.size() == to.capacity()) to.reserve(to.size() + to.size() / 4 + 1024);
  to.push_back(value);
}

class TableBuilder : public RowSink {
 public:
  TableBuilder(const std::string& path, const ReadOptions& options, bool one_value)
      : path_(path),
        options_(options),
        one_value_(one_value),
        cells_(options),
        dates_(options.date_format) {}

  void row(std::size_t number, const std::vector<Cell>& cells) override {
    if (names_.empty()) {
      take_header(number, cells);
      return;
    }
    require_width(number, cells);
    if (chosen_) {
      take(number, cells);
      return;
    }
    std::vector<std::string> texts;
    std::vector<std::optional<double>> numbers;
    for (std::size_t c = 0; c < names_.size(); ++c) {
      texts.emplace_back(cells[c].text);
      numbers.push_back(cells[c].number);
    }
    tried_.push_back({number, std::move(texts), std::move(numbers)});
    if (tried_.size() == kRowsTried) choose();
  }

  [[nodiscard]] const std::vector<bool>& wanted() const override { return wanted_; }

  void progress(std::size_t bytes, std::size_t total) override {
    // Columns are sized once, from the length of the rows so far.
    if (!chosen_ || sized_ || total == 0 || rows_read_ == 0) return;
    sized_ = true;
    const double share = static_cast<double>(total) / static_cast<double>(bytes);
    const auto rows =
        static_cast<std::size_t>(1.03 * share * static_cast<double>(read_.numbers.size()));
    for (Column& column : read_.table.columns) column.values.reserve(rows);
    if (chosen_->zero) read_.zeros.reserve(rows);
    read_.numbers.reserve(rows);
    if (chosen_->date) dates_.reserve(rows);
  }

  Table finish() {
    if (names_.empty() || (!chosen_ && tried_.empty()))
      throw Error(
          ErrorCode::file_empty,
          fmt::format("{}: {}; it needs a header row and rows of data", path_,
                      names_.empty() ? "the file is empty" : "there is a header and no data"));
    if (!chosen_) choose();
    Table& table = read_.table;
    table.file = path_;
    table.account.rows_read = rows_read_;
    table.account.notes = notes_;
    for (const auto& [because, rows] : dropped_) table.account.drop(rows, because);
    take_dates();
    return in_order({path_, options_, *chosen_, names_}, std::move(read_));
  }

  void note(std::string text) { notes_.push_back(std::move(text)); }

 private:
  // ---- Header ----
  void take_header(std::size_t number, const std::vector<Cell>& cells) {
    // No header: its first row already holds a date, or nothing but numbers.
    bool date = false, only_numbers = true, any_number = false;
    for (const Cell& cell : cells) {
      const bool number_here = cells_.number(cell.text).has_value();
      date = date || looks_like_date(cell.text);
      any_number = any_number || number_here;
      only_numbers = only_numbers && (number_here || cells_.is_missing(cell.text));
    }
    const bool headless = date || (only_numbers && any_number);
    bool latin = false;
    for (std::size_t c = 0; c < cells.size(); ++c) {
      names_.push_back(headless ? std::to_string(c + 1)
                                : std::string(text::trimmed(cells[c].text)));
      if (is_utf8(names_.back())) continue;
      names_.back() = from_latin(names_.back());
      latin = true;
    }
    if (latin) note("column names are not in UTF-8: read as Latin-1");
    if (headless) {
      note("no header row: columns are called by their position");
      row(number, cells);
    }
  }

  void require_width(std::size_t number, const std::vector<Cell>& cells) const {
    bool whole = cells.size() >= names_.size();
    for (std::size_t c = names_.size(); c < cells.size(); ++c)
      whole = whole && cells[c].text.empty();
    if (!whole)
      throw Error(ErrorCode::not_a_number,
                  fmt::format("{} row {}: {} where the header has {}; correct the row, or name the "
                              "separator with `column_mark`",
                              path_, text::count(number),
                              text::plural(cells.size(), "cell", "cells"), names_.size()));
  }

  void choose() {
    chosen_ = choose_columns({path_, names_, tried_, cells_, options_, one_value_});
    wanted_ = chosen_->wanted(names_.size());
    Table& table = read_.table;
    for (const std::size_t c : chosen_->values) table.columns.push_back({names_[c], {}});
    table.open = chosen_->open, table.high = chosen_->high, table.low = chosen_->low;
    table.close = chosen_->close, table.volume = chosen_->volume;
    std::vector<Cell> cells(names_.size());
    for (const TriedRow& row : tried_) {
      for (std::size_t c = 0; c < names_.size(); ++c) cells[c] = {row.texts[c], row.numbers[c]};
      take(row.number, cells);
    }
    tried_ = {};
  }

  // ---- One row ----
  double value(std::size_t number, std::size_t c, const Cell& cell) const {
    return cells_.value(cell, {path_, number, names_[c]});
  }

  void take(std::size_t number, const std::vector<Cell>& cells) {
    ++rows_read_;
    for (const auto& [c, text] : chosen_->where)
      if (text::trimmed(cells[c].text) != text) {
        count_drop(fmt::format("{} is not {}", names_[c], text));
        return;
      }
    if (chosen_->date) {
      const std::string_view text = cells[*chosen_->date].text;
      if (!dates_.add(text, chosen_->time ? cells[*chosen_->time].text : std::string_view())) {
        if (!cells_.is_missing(text))
          refuse_cell(ErrorCode::bad_date, {path_, number, names_[*chosen_->date]}, text,
                      dates_.complaint());
        count_drop("no date");
        return;
      }
    }
    push(read_.numbers, static_cast<std::uint32_t>(number));
    for (std::size_t k = 0; k < chosen_->values.size(); ++k)
      push(read_.table.columns[k].values,
           value(number, chosen_->values[k], cells[chosen_->values[k]]));
    if (chosen_->zero)
      push(read_.zeros,
           value(number, *chosen_->zero, cells[*chosen_->zero]) == 0 ? char{1} : char{0});
  }

  void count_drop(const std::string& because) {
    for (auto& [known, rows] : dropped_)
      if (known == because) {
        ++rows;
        return;
      }
    dropped_.emplace_back(because, 1);
  }

  void take_dates() {
    if (!chosen_->date) return;
    DateReader::Result read = dates_.finish();
    if (read.ambiguous) {
      const std::size_t row = read.ambiguous->row;
      throw Error(
          ErrorCode::date_ambiguous,
          fmt::format("{} row {}, column {}: the date may be {}, and every other row allows "
                      "the same forms; name the form with `date_format`",
                      path_, text::count(read_.numbers[row]), names_[*chosen_->date],
                      read.ambiguous->meanings));
    }
    read_.table.times = std::move(read.times);
    for (std::string& text : read.notes) read_.table.account.notes.push_back(std::move(text));
  }

  const std::string& path_;
  const ReadOptions& options_;
  bool one_value_;
  CellReader cells_;
  DateReader dates_;

  std::vector<std::string> names_;
  std::vector<TriedRow> tried_;
  std::optional<ColumnChoice> chosen_;
  bool sized_ = false;
  std::vector<bool> wanted_;

  std::size_t rows_read_ = 0;
  RowsRead read_;
  std::vector<std::pair<std::string, std::size_t>> dropped_;
  std::vector<std::string> notes_;
};

Table read(const std::string& path, const ReadOptions& options, bool one_value) {
  TableBuilder builder(path, options, one_value);
  if (options.query) {
    stream_query(path, *options.query, builder);
    return builder.finish();
  }
  if (path != "-" && is_database(path))
    throw Error(ErrorCode::bad_query,
                fmt::format("{}: is an SQLite database; say what to read with `query`, such as "
                            "'select date, settle from prices'",
                            path));
  const char mark = stream_csv(path, options.column_mark, builder);
  if (mark != ',')
    builder.note(fmt::format("cells are separated by {}", mark == ';' ? "semicolons" : "tabs"));
  return builder.finish();
}

}  // namespace

Table read_table(const std::string& path, const ReadOptions& options) {
  return read(path, options, options.values.empty() && options.value.has_value());
}

Series read_series(const std::string& path, const ReadOptions& options) {
  const Table table = read(path, options, true);
  return table.series(table.columns.front().name);
}

Series Table::series(const std::string& column) const {
  for (const Column& c : columns) {
    if (c.name != column) continue;
    Series s;
    s.name = c.name;
    s.clock = clock;
    s.times = times;
    s.values = c.values;
    s.file = file;
    s.account = account;
    return s;
  }
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
