// SPDX-License-Identifier: Apache-2.0
// CSV through libcsv. Covered by tests/io/csv_test.cpp.
#include "brace/io/csv.hpp"

#include <csv.h>
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/io/files.hpp"

namespace brace {
namespace {

using Row = std::vector<std::string>;

// The table of a file: rows[0] is the header.
struct Table {
  std::vector<Row> rows;
  Row row;
};

void on_cell(void* cell, std::size_t size, void* data) {
  static_cast<Table*>(data)->row.emplace_back(static_cast<const char*>(cell), size);
}

void on_row(int, void* data) {
  auto* table = static_cast<Table*>(data);
  table->rows.push_back(std::move(table->row));
  table->row.clear();
}

std::vector<Row> parse(const std::string& path, std::string_view content) {
  if (content.starts_with("\xEF\xBB\xBF")) content.remove_prefix(3);
  csv_parser parser;
  if (csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI) != 0)
    throw Error(ErrorCode::file_missing, fmt::format("{}: out of memory while reading", path));
  const std::unique_ptr<csv_parser, void (*)(csv_parser*)> guard(&parser, csv_free);
  Table table;
  const bool whole = csv_parse(&parser, content.data(), content.size(), on_cell, on_row, &table) ==
                         content.size() &&
                     csv_fini(&parser, on_cell, on_row, &table) == 0;
  if (!whole)
    throw Error(ErrorCode::not_a_number,
                fmt::format("{} row {}: {}; a quote inside a quoted cell is written twice", path,
                            text::count(table.rows.size() + 1), csv_strerror(csv_error(&parser))));
  return std::move(table.rows);
}

std::optional<double> number(std::string_view cell) {
  while (!cell.empty() && cell.front() == ' ') cell.remove_prefix(1);
  while (!cell.empty() && cell.back() == ' ') cell.remove_suffix(1);
  if (cell.starts_with('+')) cell.remove_prefix(1);
  double value = 0;
  const auto [end, error] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
  if (error != std::errc() || end != cell.data() + cell.size() || cell.empty()) return std::nullopt;
  return value;
}

class Reader {
 public:
  Reader(const std::string& path, const CsvOptions& options)
      : path_(path), options_(options), rows_(parse(path, read_whole(path))) {
    if (rows_.size() < 2)
      throw Error(
          ErrorCode::file_empty,
          fmt::format("{}: {}; it needs a header row and rows of data", path,
                      rows_.empty() ? "the file is empty" : "there is a header and no data"));
    for (std::size_t r = 1; r < rows_.size(); ++r)
      if (rows_[r].size() != rows_[0].size())
        throw Error(ErrorCode::not_a_number,
                    fmt::format("{} row {}: {} where the header has {}; mend the row", path,
                                text::count(r + 1), text::plural(rows_[r].size(), "cell", "cells"),
                                rows_[0].size()));
  }

  Series read() {
    const std::optional<std::size_t> date = date_column();
    const std::size_t value = value_column(date);
    const std::optional<std::size_t> zero =
        options_.drop_zero.empty() ? std::nullopt : std::optional(column(options_.drop_zero));
    const auto from = limit(options_.from, date, "from"), to = limit(options_.to, date, "to");

    Series series;
    series.name = rows_[0][value];
    series.file = path_;
    std::optional<Timestamp> before;
    for (std::size_t r = 1; r < rows_.size(); ++r) {
      std::optional<Timestamp> when;
      if (date) {
        when = parse_date(rows_[r][*date], options_.date_format);
        if (!when)
          fail(ErrorCode::bad_date, r, *date,
               "is not a date in the form {}; name its form with --date-format",
               options_.date_format.empty() ? "2019-05-02" : options_.date_format);
        if (before && *when <= *before)
          throw Error(
              *when == *before ? ErrorCode::date_repeated : ErrorCode::dates_out_of_order,
              fmt::format("{} row {}, column {}: {} comes after {}; {}", path_, text::count(r + 1),
                          rows_[0][*date], format_date(*when), format_date(*before),
                          *when == *before ? "keep one row a date" : "sort the rows by date"));
        before = when;
        if ((from && *when < *from) || (to && *when > *to)) continue;
      }
      const double x = cell(r, value);
      if (zero && cell(r, *zero) == 0) {
        ++series.rows_dropped;
        continue;
      }
      series.values.push_back(x);
      if (when) series.times.push_back(*when);
    }
    if (series.rows_dropped > 0) series.dropped_because = options_.drop_zero + " is 0";
    if (series.values.empty())
      throw Error(ErrorCode::file_empty,
                  fmt::format("{}: no row is left{}; widen --from and --to", path_,
                              options_.drop_zero.empty() ? "" : " after --drop-zero"));
    series.clock = options_.every.value_or(infer_clock(series.times));
    return series;
  }

 private:
  template <class... Args>
  [[noreturn]] void fail(ErrorCode code, std::size_t r, std::size_t c,
                         fmt::format_string<Args...> what, Args&&... args) const {
    throw Error(code,
                fmt::format("{} row {}, column {}: '{}' {}", path_, text::count(r + 1), rows_[0][c],
                            rows_[r][c], fmt::format(what, std::forward<Args>(args)...)));
  }

  bool is_missing(const std::string& text) const {
    return std::find(options_.missing.begin(), options_.missing.end(), text) !=
           options_.missing.end();
  }

  // The number in a cell, NaN where it is marked as missing.
  double cell(std::size_t r, std::size_t c) const {
    const std::string& text = rows_[r][c];
    if (is_missing(text)) return std::numeric_limits<double>::quiet_NaN();
    const auto x = number(text);
    if (!x)
      fail(ErrorCode::not_a_number, r, c,
           "is not a number; fix it or name it as missing with --missing '{}'", text);
    if (!std::isfinite(*x))
      fail(ErrorCode::not_finite, r, c,
           "is not finite; fix it or name it as missing with --missing '{}'", text);
    return *x;
  }

  std::size_t column(const std::string& name) const {
    const Row& header = rows_[0];
    const auto at = std::find(header.begin(), header.end(), name);
    if (at == header.end()) {
      const auto near = text::nearest(name, header);
      throw Error(ErrorCode::column_missing,
                  fmt::format("{}: there is no column '{}'{}; its columns are {}", path_, name,
                              near ? fmt::format(" (did you mean '{}'?)", *near) : "",
                              fmt::join(header, ", ")));
    }
    return static_cast<std::size_t>(at - header.begin());
  }

  std::optional<std::size_t> date_column() const {
    if (!options_.date.empty()) return column(options_.date);
    for (std::size_t c = 0; c < rows_[0].size(); ++c)
      if (parse_date(rows_[1][c], options_.date_format)) return c;
    // A first column that is called a date and does not read as one is a mistake, not a value.
    for (const char* name : {"date", "Date", "DATE", "time", "timestamp"})
      if (rows_[0][0] == name) return 0;
    return std::nullopt;
  }

  std::size_t value_column(std::optional<std::size_t> date) const {
    if (!options_.value.empty()) return column(options_.value);
    std::vector<std::size_t> numeric;
    std::vector<std::string> names;
    for (std::size_t c = 0; c < rows_[0].size(); ++c) {
      if (date && c == *date) continue;
      // Numeric: most of its cells are. A bad cell among numbers is an error later, not a reason to
      // pass the column over.
      std::size_t numbers = 0;
      for (std::size_t r = 1; r < rows_.size(); ++r) numbers += number(rows_[r][c]).has_value();
      if (2 * numbers > rows_.size() - 1) {
        numeric.push_back(c);
        names.push_back(rows_[0][c]);
      }
    }
    if (numeric.size() == 1) return numeric.front();
    throw Error(
        ErrorCode::column_missing,
        numeric.empty()
            ? fmt::format("{}: no column holds numbers; its columns are {}", path_,
                          fmt::join(rows_[0], ", "))
            : fmt::format("{}: several columns hold numbers ({}); choose one with --value {}",
                          path_, fmt::join(names, ", "), names.back()));
  }

  std::optional<Timestamp> limit(const std::string& text, std::optional<std::size_t> date,
                                 const char* option) const {
    if (text.empty()) return std::nullopt;
    if (!date)
      throw Error(ErrorCode::bad_option,
                  fmt::format("--{} {}: {} has no column of dates", option, text, path_));
    auto when = parse_date(text, options_.date_format);
    if (!when) when = parse_date(text);
    if (!when)
      throw Error(ErrorCode::bad_option,
                  fmt::format("--{} {}: write the date as 2019-05-02", option, text));
    return when;
  }

  const std::string& path_;
  const CsvOptions& options_;
  std::vector<Row> rows_;
};

}  // namespace

Series read_csv(const std::string& path, const CsvOptions& options) {
  return Reader(path, options).read();
}

std::string csv_text(const std::vector<std::vector<std::string>>& rows) {
  std::string out;
  for (const auto& row : rows) {
    for (std::size_t c = 0; c < row.size(); ++c) {
      if (c > 0) out += ',';
      if (row[c].find_first_of(",\"\r\n") == std::string::npos) {
        out += row[c];
        continue;
      }
      std::string quoted(2 * row[c].size() + 2, '\0');
      quoted.resize(csv_write(quoted.data(), quoted.size(), row[c].data(), row[c].size()));
      out += quoted;
    }
    out += '\n';
  }
  return out;
}

}  // namespace brace
