// SPDX-License-Identifier: Apache-2.0
// Header, choice of columns, and the rows of a series. Covered by tests/io/table_test.cpp.
#include "io/file_rows.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <utility>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "io/encoding.hpp"

namespace brace::inline v0 {
namespace {

// Rows looked at before the columns are chosen.
constexpr std::size_t kRowsTried = 1000;

// Room for one more by a quarter instead of twice as much: what is held stays near what is kept.
template <class T>
void push(std::vector<T>& to, T value) {
  if (to.size() == to.capacity()) to.reserve(to.size() + to.size() / 4 + 64);
  to.push_back(value);
}

}  // namespace

// ---- The rows of one series ----

SeriesRows::SeriesRows(const FileShape& shape, const CellReader& cells,
                       std::shared_ptr<ParsedDays> days)
    : shape_(shape), cells_(cells), dates_(shape.options.date_format, std::move(days)) {
  Table& table = read_.table;
  for (const std::size_t c : shape_.chosen.values) table.columns.push_back({shape_.names[c], {}});
  const ColumnChoice& chosen = shape_.chosen;
  table.open = chosen.open, table.high = chosen.high, table.low = chosen.low;
  table.close = chosen.close, table.volume = chosen.volume;
}

void SeriesRows::reserve(std::size_t rows) {
  for (Column& column : read_.table.columns) column.values.reserve(rows);
  if (shape_.chosen.zero) read_.zeros.reserve(rows);
  read_.numbers.reserve(rows);
  if (shape_.chosen.date) dates_.reserve(rows);
}

void SeriesRows::take(std::size_t number, const std::vector<Cell>& cells, ColumnErrors* by_column) {
  const ColumnChoice& chosen = shape_.chosen;
  ++rows_read_;
  for (const auto& [c, text] : chosen.where)
    if (text::trimmed(cells[c].text) != text) {
      count_drop(fmt::format("{} is not {}", shape_.names[c], text));
      return;
    }
  if (chosen.date) {
    const std::string_view text = cells[*chosen.date].text;
    if (!dates_.add(text, chosen.time ? cells[*chosen.time].text : std::string_view())) {
      if (!cells_.is_missing(text))
        refuse_cell(ErrorCode::bad_date, {shape_.path, number, shape_.names[*chosen.date]}, text,
                    dates_.complaint());
      count_drop("no date");
      return;
    }
  }
  const auto value = [&](std::size_t c) {
    return cells_.value(cells[c], {shape_.path, number, shape_.names[c]});
  };
  push(read_.numbers, static_cast<std::uint32_t>(number));
  for (std::size_t k = 0; k < chosen.values.size(); ++k) {
    double x = kNaN;
    try {
      x = value(chosen.values[k]);
    } catch (const Error& error) {
      if (!by_column) throw;
      if (!(*by_column)[k]) (*by_column)[k] = error;
    }
    push(read_.table.columns[k].values, x);
  }
  if (chosen.zero) push(read_.zeros, value(*chosen.zero) == 0 ? char{1} : char{0});
}

void SeriesRows::count_drop(const std::string& because) {
  for (auto& [known, rows] : dropped_)
    if (known == because) {
      ++rows;
      return;
    }
  dropped_.emplace_back(because, 1);
}

void SeriesRows::take_dates() {
  if (!shape_.chosen.date) return;
  DateReader::Result read = dates_.finish();
  if (read.ambiguous) {
    const std::size_t row = read.ambiguous->row;
    throw Error(ErrorCode::date_ambiguous,
                fmt::format("{} row {}, column {}: the date may be {}, and every other row allows "
                            "the same forms; name the form with `date_format`",
                            shape_.path, text::count(read_.numbers[row]),
                            shape_.names[*shape_.chosen.date], read.ambiguous->meanings));
  }
  read_.table.times = std::move(read.times);
  for (std::string& text : read.notes) read_.table.account.notes.push_back(std::move(text));
}

RowsRead SeriesRows::finish() {
  Table& table = read_.table;
  table.file = shape_.path;
  table.account.rows_read = rows_read_;
  table.account.notes = shape_.notes;
  for (const auto& [because, rows] : dropped_) table.account.drop(rows, because);
  take_dates();
  return std::move(read_);
}

// ---- The file ----

FileRows::FileRows(const std::string& path, const ReadOptions& options,
                   ColumnQuestion::Purpose purpose)
    : shape_{.path = path, .options = options, .names = {}, .chosen = {}, .notes = {}},
      purpose_(std::move(purpose)),
      cells_(shape_.options) {}

void FileRows::row(std::size_t number, const std::vector<Cell>& cells) {
  const std::vector<std::string>& names = shape_.names;
  if (names.empty()) {
    take_header(number, cells);
    return;
  }
  if (tried_.empty() && !is_chosen_ && has_nameless_first_column(cells))
    shape_.names.insert(shape_.names.begin(), "");
  bool whole = cells.size() >= names.size();
  for (std::size_t c = names.size(); c < cells.size(); ++c) whole = whole && cells[c].text.empty();
  if ((!whole && only_titles_before(cells)) || only_a_remark_before(cells)) {
    note_titles();
    shape_.names.clear();
    tried_.clear();
    take_header(number, cells);
    return;
  }
  if (may_be_a_remark(cells)) {
    remarks_.push_back({number, {}, {}});
    for (const Cell& cell : cells) remarks_.back().texts.emplace_back(cell.text);
    return;
  }
  take_remarks_as_rows();
  take_row(number, cells);
}

void FileRows::take_row(std::size_t number, const std::vector<Cell>& cells) {
  const std::vector<std::string>& names = shape_.names;
  bool whole = cells.size() >= names.size();
  for (std::size_t c = names.size(); c < cells.size(); ++c) whole = whole && cells[c].text.empty();
  if (!whole) {
    take_misfit(cells,
                Error(ErrorCode::not_a_number,
                      fmt::format("{} row {}: {} where the header has {}; correct the row, "
                                  "take it out, or name the separator with `column_mark`",
                                  shape_.path, text::count(number),
                                  text::plural(cells.size(), "cell", "cells"), names.size())));
    return;
  }
  if (is_chosen_) {
    ++taken_;
    take(number, cells);
    return;
  }
  std::vector<std::string> texts;
  std::vector<std::optional<double>> numbers;
  for (std::size_t c = 0; c < names.size(); ++c) {
    texts.emplace_back(cells[c].text);
    numbers.push_back(cells[c].number);
  }
  tried_.push_back({number, std::move(texts), std::move(numbers)});
  if (tried_.size() == kRowsTried) choose();
}

void FileRows::progress(std::size_t bytes, std::size_t total) {
  if (total > 0) share_read_ = static_cast<double>(bytes) / static_cast<double>(total);
  if (!is_chosen_ || sized_ || total == 0 || taken_ == 0) return;
  sized_ = true;
  expect(share_read_);
}

void FileRows::end() {
  if (shape_.names.empty() || (!is_chosen_ && tried_.empty()))
    throw Error(
        ErrorCode::file_empty,
        fmt::format("{}: {}; it needs a header row and rows of data", shape_.path,
                    shape_.names.empty() ? "the file is empty" : "there is a header and no data"));
  if (!is_chosen_) choose();
  note_remarks();
}

// Text in the first cell and nothing beside it, or fewer cells than the header has: a source or a
// footnote, if it stands below the last row and no row begins with text.
bool FileRows::may_be_a_remark(const std::vector<Cell>& cells) const {
  if ((taken_ == 0 && tried_.empty()) || shape_.names.size() < 2) return false;
  const bool alone = std::all_of(cells.begin() + 1, cells.end(),
                                 [](const Cell& cell) { return text::trimmed(cell.text).empty(); });
  if (!alone && cells.size() >= shape_.names.size()) return false;
  const std::string_view first = text::trimmed(cells.front().text);
  // Most dates begin with a digit: what costs time is asked last.
  return !first.empty() && !cells_.is_missing(first) &&
         !std::isdigit(static_cast<unsigned char>(first.front())) && !cells_.number(first) &&
         !looks_like_date(first) &&
         !DateReader(shape_.options.date_format).add(first, std::string_view());
}

void FileRows::take_remarks_as_rows() {
  std::vector<Cell> cells;
  for (const TriedRow& remark : std::exchange(remarks_, {})) {
    cells.resize(remark.texts.size());
    for (std::size_t c = 0; c < cells.size(); ++c)
      cells[c] = {remark.texts[c], cells_.number(remark.texts[c])};
    take_row(remark.number, cells);
  }
}

void FileRows::note_remarks() {
  if (remarks_.empty()) return;
  const ColumnChoice& chosen = shape_.chosen;
  if (chosen.date != std::size_t{0} && std::ranges::find(chosen.values, 0U) == chosen.values.end())
    return take_remarks_as_rows();
  std::vector<std::string> texts;
  for (const TriedRow& remark : remarks_) {
    const std::string& text = remark.texts.front();
    texts.push_back(is_utf8(text) ? text : from_latin(text));
  }
  note(fmt::format("{}: {}",
                   texts.size() == 1
                       ? "1 row below the last is taken for a remark"
                       : fmt::format("{} rows below the last are taken for remarks", texts.size()),
                   text::some_of(texts)));
}

// Some programs write the numbers of the rows without a name above them.
bool FileRows::has_nameless_first_column(const std::vector<Cell>& cells) const {
  return shape_.names.size() > 1 && cells.size() == shape_.names.size() + 1 &&
         begins_a_count(cells_.number(cells.front().text)) &&
         !text::trimmed(cells.back().text).empty();
}

// Lines of text above the header have one cell; so would the header of a file with one column,
// whose rows are numbers.
bool FileRows::only_titles_before(const std::vector<Cell>& header) const {
  const auto is_number = [&](std::string_view text) { return cells_.number(text).has_value(); };
  return !is_chosen_ && shape_.names.size() == 1 && !is_number(shape_.names.front()) &&
         std::none_of(tried_.begin(), tried_.end(),
                      [&](const TriedRow& row) { return is_number(row.texts.front()); }) &&
         may_be_header(header);
}

// A line that begins with # is a remark, of as many cells as its text has commas, unless rows
// follow it at once: then it is the header.
bool FileRows::only_a_remark_before(const std::vector<Cell>& header) const {
  return !is_chosen_ && tried_.empty() && shape_.names.front().starts_with('#') &&
         may_be_header(header) && std::none_of(header.begin(), header.end(), [&](const Cell& cell) {
           return cells_.is_missing(cell.text);
         });
}

bool FileRows::may_be_header(const std::vector<Cell>& cells) const {
  return std::none_of(cells.begin(), cells.end(), [&](const Cell& cell) {
    return cells_.number(cell.text).has_value() || looks_like_date(cell.text);
  });
}

void FileRows::note_title(std::size_t number, const std::string& title) {
  note(fmt::format("row {} is taken for a title above the header: {}", number,
                   text::some_of({is_utf8(title) ? title : from_latin(title)})));
}

void FileRows::note_titles() {
  note_title(header_row_, shape_.names.front());
  for (const TriedRow& row : tried_) note_title(row.number, row.texts.front());
}

void FileRows::take_header(std::size_t number, const std::vector<Cell>& cells) {
  header_row_ = number;
  // A title above the header: text in the first cell, nothing in the others.
  const bool alone = std::all_of(cells.begin() + 1, cells.end(),
                                 [](const Cell& cell) { return text::trimmed(cell.text).empty(); });
  if (const auto first = text::trimmed(cells.front().text);
      cells.size() > 1 && alone && !first.empty() && !cells_.number(first) &&
      !looks_like_date(first)) {
    const std::string title(first);
    note_title(number, title);
    return;
  }
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
  std::vector<std::string>& names = shape_.names;
  for (std::size_t c = 0; c < cells.size(); ++c) {
    names.push_back(headless ? std::to_string(c + 1) : std::string(text::trimmed(cells[c].text)));
    if (is_utf8(names.back())) continue;
    names.back() = from_latin(names.back());
    latin = true;
  }
  if (latin) note("column names are not in UTF-8: read as Latin-1");
  if (headless) {
    note("no header row: columns are called by their position");
    row(number, cells);
  }
}

void FileRows::choose() {
  const std::size_t columns = shape_.names.size();
  shape_.chosen =
      choose_columns({shape_.path, shape_.names, tried_, cells_, shape_.options, purpose_});
  for (std::string& text : shape_.chosen.notes) note(std::move(text));
  is_chosen_ = true;
  wanted_ = shape_.chosen.wanted(columns);
  begin();
  std::vector<Cell> cells(columns);
  for (const TriedRow& tried : tried_) {
    for (std::size_t c = 0; c < columns; ++c) cells[c] = {tried.texts[c], tried.numbers[c]};
    ++taken_;
    take(tried.number, cells);
  }
  tried_ = {};
}

Series series_of(const Table& table, const std::vector<std::string>& companions,
                 std::size_t column) {
  Series series;
  series.name = table.columns[column].name;
  series.clock = table.clock;
  series.times = table.times;
  series.values = table.columns[column].values;
  series.file = table.file;
  series.account = table.account;
  for (const std::string& name : companions)
    for (const Column& c : table.columns)
      if (c.name == name) series.companions.push_back({c.name, c.values});
  return series;
}

}  // namespace brace::inline v0
