// SPDX-License-Identifier: Apache-2.0
// Files as analysts have them: CSV of any dialect, long and wide, and SQLite, read into columns of
// numbers with their dates and an account of every row.
//
//   brace::Table table = brace::read_table("market.csv", {.where = {"symbol=KELP"}});
//   brace::Series settle = table.series("settle");
//
// Threads: every function here may be called from several threads at once. Files
// are read, never written.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/series/range_volatility.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// What becomes of dates that the clock has and the file has not (absent_dates).
enum class Absent {
  automatic,  // rows with missing values where the clock can be trusted
  keep,       // they stay absent
  missing,    // rows with missing values whatever the clock
};

// Columns are given by name, by name in another case, or by position (1 is the first).
struct ReadOptions {
  // ---- Which columns ----
  // Column of the values; left out: the only numeric column there is, or all for a table, but for
  // a first one that numbers the rows.
  std::optional<std::string> value{};
  // Several columns, for a table.
  std::vector<std::string> values{};
  // Columns read beside the value of a series, for regressors (Series::companions); they need a
  // value that is named.
  std::vector<std::string> companions{};
  // Column of the dates; left out: one called so (date, datetime, timestamp, day, time, month) that
  // reads as dates, else the first that does, or none; "none" leaves dates out. Column of the time
  // of day, where it stands apart; left out: one called "time" beside a date without a time.
  std::optional<std::string> date{}, time{};
  // strptime's letters, such as "%d/%m/%Y", or "seconds" or "milliseconds" since 1970; left
  // out: the form is recognised, or refused (date_ambiguous) where several forms fit every date.
  std::optional<std::string> date_format{};
  // Columns of open, high, low, close and volume; left out: columns of these names (settle, last
  // and price also stand for close).
  struct Roles {
    std::optional<std::string> open{}, high{}, low{}, close{}, volume{};
  } roles{};
  // Whether the columns of those roles are read beside the value.
  bool with_bars = false;

  // ---- Which rows ----
  // "symbol=KELP": rows whose cell in that column is that text; all must hold.
  std::vector<std::string> where{};
  // Rows whose cell in this column is 0 are dropped before anything is computed: days without
  // trading.
  std::optional<std::string> drop_zero{};
  // Drops rows that only repeat the last close in open, high, low and close: holidays kept as flat
  // candles.
  bool drop_flat = false;
  // First and last date kept, as text in the form of date_format or 2019-05-02; left out:
  // all.
  std::optional<std::string> from{}, to{};

  // ---- How cells are written ----
  // What stands between cells: ',', ';', '|' or tab; left out: recognised in the header.
  std::optional<char> column_mark{};
  bool decimal_comma = false;
  // Digits in groups of three: 1,234.5 (1.234,5 with decimal_comma), 1 234.5, 1'234.5; a blank that
  // does not break a line (U+00A0, U+202F) is one.
  bool grouped = false;
  // Signs left out of numbers wherever they stand, such as "%" or "$": not blank, without digits,
  // points, commas, plus or minus. Losses in parentheses, (3.40), and a minus behind are read as
  // they are.
  std::vector<std::string> drop_signs{};
  std::vector<std::string> missing{"",    "NA",   "N/A",  "#N/A", "n/a", "NaN",
                                   "nan", "NULL", "null", "-",    "."};

  // The clock; left out: inferred from the dates.
  std::optional<Clock> every{};
  Absent absent = Absent::automatic;
  // The zone that times of day are local to, such as "Europe/Berlin": they are turned to UTC where
  // rows go on through a change of its clocks, and kept as written elsewhere.
  std::optional<std::string> zone{};

  // Of an SQLite database: the query whose rows are read. Left out:
  // the file is CSV.
  std::optional<std::string> query{};
};

struct Column {
  std::string name;
  std::vector<double> values;  // NaN where missing
};

struct Table {
  std::string file;
  std::vector<Timestamp> times;  // as long as each column, or empty
  std::vector<Column> columns;   // the value first where one was named, then those of the roles
  Clock clock = Clock::row;
  DataAccount account;
  // Positions in `columns` of the roles found; a bar needs the first four.
  std::optional<std::size_t> open, high, low, close, volume;

  [[nodiscard]] std::size_t rows() const {
    return columns.empty() ? 0 : columns.front().values.size();
  }
  // One column as a series. Throws Error (column_missing).
  [[nodiscard]] Series series(const std::string& column) const;
  // Open, high, low and close, where all four are there.
  [[nodiscard]] std::optional<Bars> bars() const;
};

// Reads a whole CSV file ("-" is standard input), or the query's rows of an SQLite database opened
// for reading only, in one pass. Throws Error naming file, row and column: rows are counted as a
// spreadsheet does, the header being row 1. Dates must increase; files whose newest row comes first
// are turned round.
[[nodiscard]] Table read_table(const std::string& path, const ReadOptions& options = {});

// The names in the header row of a CSV file, or of the columns of the query; no more is read.
// Throws Error (file_missing, file_empty, bad_query).
[[nodiscard]] std::vector<std::string> column_names(const std::string& path,
                                                    const ReadOptions& options = {});

// The one series that ReadOptions::value names, or that is there.
[[nodiscard]] Series read_series(const std::string& path, const ReadOptions& options = {});

}  // namespace brace::inline v0
BRACE_API_END
