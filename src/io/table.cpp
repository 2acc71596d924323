// SPDX-License-Identifier: Apache-2.0
// From rows of text to columns of numbers, with an account. Covered by tests/io/table_test.cpp and
// tests/io/csv_test.cpp.
#include "brace/io/table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/series/split.hpp"
#include "io/date_reader.hpp"
#include "io/encoding.hpp"
#include "io/number_reader.hpp"
#include "io/rows.hpp"
#include "io/zone.hpp"

namespace brace {
namespace {

// Rows looked at before the columns are chosen, and cells of a column tried as dates.
constexpr std::size_t kRowsTried = 1000, kCellsTried = 20;

// Names of the column that prices or values stand in.
const std::vector<std::string> kCloses{"close", "settle", "last", "price", "value"};

std::string lower(std::string text) {
  for (char& c : text)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return text;
}

// Room for one more by a quarter instead of twice as much: what is held stays near what is kept.
template <class T>
void push(std::vector<T>& to, T value) {
  if (to.size() == to.capacity()) to.reserve(to.size() + to.size() / 4 + 1024);
  to.push_back(value);
}

// Keeps the elements of `values` whose flag is set.
template <class T>
void compact(std::vector<T>& values, const std::vector<bool>& keep) {
  std::size_t to = 0;
  for (std::size_t i = 0; i < values.size(); ++i)
    if (keep[i]) values[to++] = values[i];
  values.resize(to);
}

class TableBuilder : public RowSink {
 public:
  TableBuilder(const std::string& path, const ReadOptions& options, bool one_value)
      : path_(path),
        options_(options),
        one_value_(one_value),
        number_(options),
        dates_(options.date_format) {
    for (const std::string& mark : options.missing) {
      missing_.insert(mark);
      const auto number = number_(mark);
      marks_are_numbers_ = marks_are_numbers_ || (number && std::isfinite(*number));
    }
  }

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
        static_cast<std::size_t>(1.03 * share * static_cast<double>(row_numbers_.size()));
    for (Column& column : table_.columns) column.values.reserve(rows);
    if (zero_) zeros_.reserve(rows);
    row_numbers_.reserve(rows);
    if (date_) dates_.reserve(rows);
  }

  Table finish() {
    if (names_.empty() || (!chosen_ && tried_.empty()))
      throw Error(
          ErrorCode::file_empty,
          fmt::format("{}: {}; it needs a header row and rows of data", path_,
                      names_.empty() ? "the file is empty" : "there is a header and no data"));
    if (!chosen_) choose();
    table_.file = path_;
    table_.account.rows_read = rows_read_;
    table_.account.notes = notes_;
    for (const auto& [because, rows] : dropped_) table_.account.drop(rows, because);
    take_dates();
    turn_round_if_newest_first();
    leave_zone();
    drop_outside_window();
    drop_without_trading();
    drop_flat_bars();
    drop_repeats();
    require_order();
    if (table_.rows() == 0)
      throw Error(ErrorCode::file_empty,
                  fmt::format("{}: no row is left{}", path_,
                              rows_read_ == 0 ? "; it needs rows of data" : left_out()));
    table_.clock = options_.every.value_or(infer_clock(table_.times));
    add_absent_rows();
    return std::move(table_);
  }

  void note(std::string text) { notes_.push_back(std::move(text)); }

 private:
  struct Tried {
    std::size_t number;
    std::vector<std::string> texts;
    std::vector<std::optional<double>> numbers;
  };

  // ---- Errors ----
  [[noreturn]] void fail(ErrorCode code, std::size_t number, std::size_t c, std::string_view text,
                         const std::string& what) const {
    throw Error(code, fmt::format("{} row {}, column {}: '{}' {}", path_, text::count(number),
                                  names_[c], text.substr(0, 60), what));
  }

  std::string left_out() const {
    std::vector<std::string> reasons;
    for (const Account::Dropped& d : table_.account.dropped)
      reasons.push_back(fmt::format("{} dropped: {}", text::count(d.rows), d.because));
    return fmt::format(" of {} ({}); widen the choice", text::count(rows_read_),
                       fmt::join(reasons, ", "));
  }

  // ---- Header ----
  void take_header(std::size_t number, const std::vector<Cell>& cells) {
    // No header: its first row already holds a date, or nothing but numbers.
    bool date = false, only_numbers = true, any_number = false;
    for (const Cell& cell : cells) {
      const bool number_here = number_(cell.text).has_value();
      date = date || looks_like_date(cell.text);
      any_number = any_number || number_here;
      only_numbers = only_numbers && (number_here || is_missing(cell.text));
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
                  fmt::format("{} row {}: {} where the header has {}; mend the row, or name what "
                              "stands between cells with --column-mark",
                              path_, text::count(number),
                              text::plural(cells.size(), "cell", "cells"), names_.size()));
  }

  // ---- Which columns ----
  std::size_t column(const std::string& name) const {
    std::vector<std::size_t> same, alike;
    for (std::size_t c = 0; c < names_.size(); ++c) {
      if (names_[c] == name) same.push_back(c);
      if (lower(names_[c]) == lower(name)) alike.push_back(c);
    }
    if (same.empty() && alike.size() == 1) return alike.front();
    if (same.size() == 1) return same.front();
    if (same.size() > 1)
      throw Error(
          ErrorCode::column_missing,
          fmt::format("{}: {} columns are called '{}'; name one by its position, such as {}", path_,
                      same.size(), name, same.back() + 1));
    std::size_t position = 0;
    const auto [end, error] = std::from_chars(name.data(), name.data() + name.size(), position);
    if (error == std::errc() && end == name.data() + name.size() && position >= 1 &&
        position <= names_.size())
      return position - 1;
    const auto near = text::nearest(name, names_);
    throw Error(ErrorCode::column_missing,
                fmt::format("{}: there is no column '{}'{}; its columns are {}", path_, name,
                            near ? fmt::format(" (did you mean '{}'?)", *near) : "",
                            text::some_of(names_)));
  }

  bool is_missing(std::string_view text) const { return missing_.contains(text::trimmed(text)); }

  // The tried cells of a column that hold something, of the rows that --where keeps.
  std::vector<std::string_view> cells_of(std::size_t c) const {
    std::vector<std::string_view> out;
    for (const Tried& row : tried_)
      if (!is_missing(row.texts[c]) && passes(row)) out.push_back(row.texts[c]);
    return out;
  }

  bool passes(const Tried& row) const {
    return std::all_of(where_.begin(), where_.end(), [&](const auto& condition) {
      return text::trimmed(row.texts[condition.first]) == condition.second;
    });
  }

  bool reads_as_dates(std::size_t c) const {
    std::vector<std::string_view> cells = cells_of(c);
    if (cells.size() > kCellsTried) cells.resize(kCellsTried);
    // One that reads is enough: a bad date among good ones is an error later, not a reason to do
    // without dates.
    return std::any_of(cells.begin(), cells.end(), looks_like_date);
  }

  // Whole numbers of four digits, each later than the one before it, or each earlier.
  bool holds_years(std::size_t c) const {
    const std::vector<std::string_view> cells = cells_of(c);
    return !cells.empty() && std::all_of(cells.begin(), cells.end(), looks_like_year);
  }

  bool is_numeric(std::size_t c) const {
    const auto cells = cells_of(c);
    const auto numbers = static_cast<std::size_t>(
        std::count_if(cells.begin(), cells.end(),
                      [&](std::string_view text) { return number_(text).has_value(); }));
    return 2 * numbers > cells.size();
  }

  std::optional<std::size_t> date_column() const {
    if (!options_.date.empty()) return column(options_.date);
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (options_.date_format.empty() && reads_as_dates(c)) return c;
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (options_.date_format.empty() && lower(names_[c]) == "year" && holds_years(c)) return c;
    // A column that is called a date and does not read as one is a mistake, not a value; and with a
    // form given the dates are expected.
    const std::set<std::string> called{"date", "day", "time", "timestamp", "datetime", "month"};
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (called.contains(lower(names_[c]))) return c;
    if (!options_.date_format.empty()) return 0;
    return std::nullopt;
  }

  std::optional<std::size_t> time_column() const {
    if (!options_.time.empty()) return column(options_.time);
    if (!date_) return std::nullopt;
    for (std::size_t c = 0; c < names_.size(); ++c) {
      if (c == *date_ || lower(names_[c]) != "time") continue;
      const auto times = cells_of(c), days = cells_of(*date_);
      if (!times.empty() && looks_like_time(times.front()) &&
          days.front().find(':') == std::string_view::npos)
        return c;
    }
    return std::nullopt;
  }

  void choose_where() {
    for (const std::string& condition : options_.where) {
      const auto equals = condition.find('=');
      if (equals == std::string::npos || equals == 0)
        throw Error(ErrorCode::bad_option,
                    fmt::format("--where {}: write column=text, such as symbol=KELP", condition));
      where_.emplace_back(
          column(condition.substr(0, equals)),
          std::string(text::trimmed(std::string_view(condition).substr(equals + 1))));
    }
  }

  std::vector<std::size_t> value_columns() const {
    std::vector<std::size_t> numeric;
    const auto taken = [&](std::size_t c) {
      return (date_ && c == *date_) || (time_ && c == *time_) ||
             std::any_of(where_.begin(), where_.end(), [&](const auto& w) { return w.first == c; });
    };
    if (one_value_ && !options_.value.empty()) return {column(options_.value)};
    if (!one_value_ && !options_.values.empty()) {
      for (const std::string& name : options_.values) numeric.push_back(column(name));
      return numeric;
    }
    std::vector<std::string> names;
    for (std::size_t c = 0; c < names_.size(); ++c)
      if (!taken(c) && is_numeric(c) && !cells_of(c).empty()) {
        numeric.push_back(c);
        names.push_back(names_[c]);
      }
    if (numeric.empty())
      throw Error(ErrorCode::column_missing,
                  fmt::format("{}: no column holds numbers; its columns are {}{}", path_,
                              text::some_of(names_), hint_of_dialect()));
    if (one_value_ && numeric.size() > 1)
      throw Error(ErrorCode::column_missing,
                  fmt::format("{}: several columns hold numbers ({}); choose one with --value {}",
                              path_, text::some_of(names), likeliest(names)));
    return numeric;
  }

  // What most would choose: a price or value by its name, else the last that is no volume.
  static std::string likeliest(const std::vector<std::string>& names) {
    for (const std::string& word : kCloses)
      for (const std::string& name : names)
        if (lower(name) == word) return name;
    const auto last = std::find_if(names.rbegin(), names.rend(),
                                   [](const std::string& name) { return lower(name) != "volume"; });
    return last == names.rend() ? names.back() : *last;
  }

  // What may be wrong where nothing reads as a number.
  std::string hint_of_dialect() const {
    for (const Tried& row : tried_)
      for (const std::string& text : row.texts)
        if (!number_(text)) {
          const std::string hint = dialect_of(text);
          if (!hint.empty()) return fmt::format("; '{}' would read with {}", text, hint);
        }
    return "";
  }

  // The option under which the text would be a number; empty where there is none.
  std::string dialect_of(std::string_view text) const {
    ReadOptions other = options_;
    other.grouped = true;
    if (NumberReader(other)(text)) return "--grouped";
    other.decimal_comma = !options_.decimal_comma;
    if (!other.decimal_comma) return "";
    other.grouped = options_.grouped;
    if (NumberReader(other)(text)) return "--decimal-comma";
    other.grouped = true;
    return NumberReader(other)(text) ? "--decimal-comma --grouped" : "";
  }

  void choose_roles(std::vector<std::size_t>& columns) {
    struct Role {
      const std::string* given;
      std::vector<std::string> called;
      std::optional<std::size_t>* slot;
    };
    Table& t = table_;
    const ReadOptions::Roles& given = options_.roles;
    const Role roles[] = {{&given.open, {"open"}, &t.open},
                          {&given.high, {"high"}, &t.high},
                          {&given.low, {"low"}, &t.low},
                          {&given.close, kCloses, &t.close},
                          {&given.volume, {"volume"}, &t.volume}};
    const bool all = options_.with_bars || options_.drop_flat;
    for (const Role& role : roles) {
      std::optional<std::size_t> found;
      if (!role.given->empty()) {
        found = column(*role.given);
      } else {
        for (const std::string& word : role.called)
          for (std::size_t c = 0; c < names_.size() && !found; ++c)
            if (lower(names_[c]) == word) found = c;
      }
      if (!found) continue;
      auto at = std::find(columns.begin(), columns.end(), *found);
      if (at == columns.end()) {
        if (!all) continue;
        at = columns.insert(columns.end(), *found);
      }
      *role.slot = static_cast<std::size_t>(at - columns.begin());
    }
    if (options_.drop_flat && !(t.open && t.high && t.low && t.close))
      throw Error(ErrorCode::bad_option,
                  fmt::format("--drop-flat: {} has no columns of open, high, low and close; name "
                              "them with --roles",
                              path_));
  }

  void choose() {
    choose_where();
    date_ = date_column();
    time_ = time_column();
    value_at_ = value_columns();
    choose_roles(value_at_);
    if (!options_.drop_zero.empty()) zero_ = column(options_.drop_zero);
    for (const std::size_t c : value_at_) table_.columns.push_back({names_[c], {}});
    wanted_.assign(names_.size(), false);
    for (const std::size_t c : value_at_) wanted_[c] = true;
    for (const auto& condition : where_) wanted_[condition.first] = true;
    for (const auto& c : {date_, time_, zero_})
      if (c) wanted_[*c] = true;
    if (options_.from.empty() && options_.to.empty() ? false : !date_)
      throw Error(
          ErrorCode::bad_option,
          fmt::format("--{} {}: {} has no column of dates", options_.from.empty() ? "to" : "from",
                      options_.from.empty() ? options_.to : options_.from, path_));
    chosen_ = true;
    choose_kind_of_series();
    std::vector<Cell> cells(names_.size());
    for (const Tried& row : tried_) {
      for (std::size_t c = 0; c < names_.size(); ++c) cells[c] = {row.texts[c], row.numbers[c]};
      take(row.number, cells);
    }
    tried_ = {};
  }

  // Which column tells several series of a long file apart, for the error on repeated dates.
  void choose_kind_of_series() {
    for (std::size_t c = 0; c < names_.size() && series_column_.empty(); ++c) {
      if (wanted_[c]) continue;
      const auto cells = cells_of(c);
      const std::set<std::string_view> distinct(cells.begin(), cells.end());
      if (distinct.empty() || distinct.size() > 50 || 2 * distinct.size() > cells.size() ||
          is_numeric(c))
        continue;
      series_column_ = names_[c];
      for (const std::string_view text : distinct) series_names_.emplace_back(text);
    }
  }

  std::string hint_of_series() const {
    if (series_column_.empty()) return "";
    return series_names_.size() > 1
               ? fmt::format(
                     ", or choose one of several series with --where {}={} ({} also holds {})",
                     series_column_, series_names_.front(), series_column_,
                     fmt::join(
                         series_names_.begin() + 1,
                         series_names_.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(
                                                     series_names_.size(), 6)),
                         ", "))
               : fmt::format(", or choose one of several series with --where {}={}", series_column_,
                             series_names_.front());
  }

  // ---- One row ----
  double value(std::size_t number, std::size_t c, const Cell& cell) const {
    std::optional<double> x = cell.number;
    if (!x) {
      x = number_(cell.text);
      // Most cells are numbers: only what is none, or not finite, or might be a mark such as -999,
      // is looked up.
      if ((!x || marks_are_numbers_ || !std::isfinite(*x)) && is_missing(cell.text)) return kNaN;
    }
    if (!x) {
      const std::string hint = dialect_of(cell.text);
      fail(ErrorCode::not_a_number, number, c, cell.text,
           hint.empty()
               ? fmt::format("is not a number; fix it or name it as missing with --missing "
                             "'{}'",
                             cell.text.substr(0, 60))
               : fmt::format("is not a number; it would be with {}", hint));
    }
    if (!std::isfinite(*x))
      fail(ErrorCode::not_finite, number, c, cell.text,
           fmt::format("is not finite; fix it or name it as missing with --missing '{}'",
                       cell.text));
    if (std::abs(*x) > kLargest || (*x != 0 && std::abs(*x) < 1 / kLargest))
      fail(ErrorCode::not_finite, number, c, cell.text,
           fmt::format("is beyond {}, where squares are no numbers any more; fix it, take another "
                       "unit, or name it as missing with --missing '{}'",
                       std::abs(*x) > 1 ? kLargest : 1 / kLargest, cell.text));
    return *x;
  }

  void take(std::size_t number, const std::vector<Cell>& cells) {
    ++rows_read_;
    for (const auto& [c, text] : where_)
      if (text::trimmed(cells[c].text) != text) {
        count_drop(fmt::format("{} is not {}", names_[c], text));
        return;
      }
    if (date_) {
      const std::string_view text = cells[*date_].text;
      if (!dates_.add(text, time_ ? cells[*time_].text : std::string_view())) {
        if (!is_missing(text)) fail(ErrorCode::bad_date, number, *date_, text, dates_.complaint());
        count_drop("no date");
        return;
      }
    }
    push(row_numbers_, static_cast<std::uint32_t>(number));
    for (std::size_t k = 0; k < value_at_.size(); ++k)
      push(table_.columns[k].values, value(number, value_at_[k], cells[value_at_[k]]));
    if (zero_) push(zeros_, value(number, *zero_, cells[*zero_]) == 0 ? char{1} : char{0});
  }

  void count_drop(const std::string& because) {
    for (auto& [known, rows] : dropped_)
      if (known == because) {
        ++rows;
        return;
      }
    dropped_.emplace_back(because, 1);
  }

  // ---- All rows ----
  void take_dates() {
    if (!date_) return;
    DateReader::Result read = dates_.finish();
    if (read.ambiguous) {
      const std::size_t row = read.ambiguous->row;
      throw Error(
          ErrorCode::date_ambiguous,
          fmt::format("{} row {}, column {}: the date may be {}, and every other row allows "
                      "the same forms; name the form with --date-format",
                      path_, text::count(row_numbers_[row]), names_[*date_],
                      read.ambiguous->meanings));
    }
    table_.times = std::move(read.times);
    for (std::string& text : read.notes) table_.account.notes.push_back(std::move(text));
  }

  void keep(const std::vector<bool>& rows) {
    for (Column& column : table_.columns) compact(column.values, rows);
    if (!table_.times.empty()) compact(table_.times, rows);
    if (zero_) compact(zeros_, rows);
    compact(row_numbers_, rows);
  }

  // Drops the rows of which `unwanted(i)` holds.
  template <class F>
  void drop_where(const std::string& because, F unwanted) {
    std::vector<bool> kept(row_numbers_.size());
    std::size_t rows = 0;
    for (std::size_t i = 0; i < kept.size(); ++i) {
      kept[i] = !unwanted(i);
      rows += kept[i] ? 0 : 1;
    }
    if (rows > 0) keep(kept);
    table_.account.drop(rows, because);
  }

  void turn_round_if_newest_first() {
    std::vector<Timestamp>& t = table_.times;
    if (t.size() < 2 || !std::is_sorted(t.rbegin(), t.rend()) || t.front() == t.back()) return;
    std::reverse(t.begin(), t.end());
    for (Column& column : table_.columns) std::reverse(column.values.begin(), column.values.end());
    std::reverse(zeros_.begin(), zeros_.end());
    std::reverse(row_numbers_.begin(), row_numbers_.end());
    table_.account.notes.emplace_back("newest row came first: turned round");
  }

  void drop_outside_window() {
    const auto from = limit(options_.from, "from"), to = limit(options_.to, "to");
    if (from)
      drop_where("before " + format_date(*from),
                 [&](std::size_t i) { return table_.times[i] < *from; });
    if (to) {
      // A day without a time of day is meant whole.
      const bool whole_day = *to == std::chrono::floor<std::chrono::days>(*to);
      const Timestamp last = whole_day ? *to + std::chrono::days(1) - std::chrono::seconds(1) : *to;
      drop_where("after " + format_date(*to),
                 [&](std::size_t i) { return table_.times[i] > last; });
    }
  }

  std::optional<Timestamp> limit(const std::string& text, const char* option) const {
    if (text.empty()) return std::nullopt;
    auto when = parse_date(text);
    if (!when && !options_.date_format.empty()) when = parse_date(text, options_.date_format);
    if (!when)
      throw Error(ErrorCode::bad_option,
                  fmt::format("--{} {}: write the date as 2019-05-02", option, text));
    return when;
  }

  void drop_without_trading() {
    if (!zero_) return;
    for (std::size_t i = 0; i < table_.times.size(); ++i)
      if (zeros_[i] != 0) not_traded_.push_back(table_.times[i]);
    drop_where(names_[*zero_] + " is 0", [&](std::size_t i) { return zeros_[i] != 0; });
  }

  void drop_flat_bars() {
    if (!options_.drop_flat) return;
    const auto at = [&](const std::optional<std::size_t>& role) -> const std::vector<double>& {
      return table_.columns[*role].values;
    };
    const auto &open = at(table_.open), &high = at(table_.high), &low = at(table_.low),
               &close = at(table_.close);
    const auto flat = [&](std::size_t i) {
      return i > 0 && high[i] == low[i] && open[i] == high[i] && close[i] == high[i] &&
             close[i] == close[i - 1];
    };
    for (std::size_t i = 0; i < table_.times.size(); ++i)
      if (flat(i)) not_traded_.push_back(table_.times[i]);
    std::sort(not_traded_.begin(), not_traded_.end());
    drop_where("flat at the last close", flat);
  }

  void leave_zone() {
    if (options_.zone.empty() || table_.times.empty()) return;
    table_.account.notes.push_back(from_local(table_.times, options_.zone));
  }

  // Dates that the clock has and the file has not, but for those of rows that were dropped.
  void add_absent_rows() {
    if (options_.absent == Absent::keep || table_.times.empty()) return;
    AbsentDates absent = absent_dates(learn_calendar(table_.times, table_.clock), table_.times);
    std::erase_if(absent.places, [&](const AbsentDates::Place& place) {
      return std::binary_search(not_traded_.begin(), not_traded_.end(), place.when);
    });
    if (absent.places.empty() || !(absent.trusted || options_.absent == Absent::missing)) return;
    std::vector<std::vector<double>*> columns;
    for (Column& column : table_.columns) columns.push_back(&column.values);
    add_missing_rows(absent.places, table_.times, columns);
    table_.account.notes.push_back(words_of_added(absent.places.size(), table_.clock));
  }

  // The same row twice, as files that were glued together have it.
  void drop_repeats() {
    if (table_.times.empty()) return;
    const auto same = [](double a, double b) { return a == b || (std::isnan(a) && std::isnan(b)); };
    drop_where("same date and values as the row before", [&](std::size_t i) {
      return i > 0 && table_.times[i] == table_.times[i - 1] &&
             std::all_of(table_.columns.begin(), table_.columns.end(),
                         [&](const Column& c) { return same(c.values[i], c.values[i - 1]); });
    });
  }

  // The local clock goes through an hour twice when summer time ends.
  std::string hint_of_zone(Timestamp before, Timestamp now) const {
    const bool within_day = now != std::chrono::floor<std::chrono::days>(now);
    return within_day && before - now <= std::chrono::hours(1) && options_.zone.empty()
               ? ", or name the zone of local times with --zone, such as --zone Europe/Berlin, "
                 "where its clock steps back"
               : "";
  }

  void require_order() const {
    const std::vector<Timestamp>& t = table_.times;
    for (std::size_t i = 1; i < t.size(); ++i)
      if (t[i] <= t[i - 1])
        throw Error(t[i] == t[i - 1] ? ErrorCode::date_repeated : ErrorCode::dates_out_of_order,
                    fmt::format("{} row {}, column {}: {} comes after {}; {}{}", path_,
                                text::count(row_numbers_[i]), names_[*date_], format_date(t[i]),
                                format_date(t[i - 1]),
                                t[i] == t[i - 1] ? "keep one row a date" : "sort the rows by date",
                                hint_of_zone(t[i - 1], t[i]) + hint_of_series()));
  }

  const std::string& path_;
  const ReadOptions& options_;
  bool one_value_;
  NumberReader number_;
  DateReader dates_;
  std::set<std::string, std::less<>> missing_;
  bool marks_are_numbers_ = false;

  std::vector<std::string> names_;
  std::vector<Tried> tried_;
  bool chosen_ = false, sized_ = false;
  std::vector<bool> wanted_;
  std::optional<std::size_t> date_, time_, zero_;
  std::vector<std::size_t> value_at_;
  std::vector<std::pair<std::size_t, std::string>> where_;
  std::string series_column_;
  std::vector<std::string> series_names_;

  std::size_t rows_read_ = 0;
  std::vector<std::uint32_t> row_numbers_;  // of the rows kept
  std::vector<char> zeros_;
  std::vector<Timestamp> not_traded_;  // of rows dropped because nothing was traded
  std::vector<std::pair<std::string, std::size_t>> dropped_;
  std::vector<std::string> notes_;
  Table table_;
};

Table read(const std::string& path, const ReadOptions& options, bool one_value) {
  TableBuilder builder(path, options, one_value);
  if (!options.query.empty()) {
    stream_query(path, options.query, builder);
    return builder.finish();
  }
  if (path != "-" && is_database(path))
    throw Error(ErrorCode::bad_query,
                fmt::format("{}: is an SQLite database; say what to read with --query, such as "
                            "'select date, settle from prices'",
                            path));
  const char mark = stream_csv(path, options.column_mark, builder);
  if (mark != ',')
    builder.note(fmt::format("cells stand between {}", mark == ';' ? "semicolons" : "tabs"));
  return builder.finish();
}

}  // namespace

Table read_table(const std::string& path, const ReadOptions& options) {
  return read(path, options, options.values.empty() && !options.value.empty());
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

}  // namespace brace
