// SPDX-License-Identifier: Apache-2.0
// Rows in order, one step after another. Covered by tests/io/table_test.cpp.
#include "io/row_cleaning.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/series/split.hpp"
#include "io/zone.hpp"

namespace brace::inline v0 {
namespace {

// Keeps the elements of `values` whose flag is set.
template <class T>
void compact(std::vector<T>& values, const std::vector<bool>& keep) {
  std::size_t to = 0;
  for (std::size_t i = 0; i < values.size(); ++i)
    if (keep[i]) values[to++] = values[i];
  values.resize(to);
}

class RowCleaning {
 public:
  RowCleaning(const RowsFrom& from, RowsRead rows)
      : path_(from.file),
        options_(from.options),
        chosen_(from.chosen),
        names_(from.names),
        table_(std::move(rows.table)),
        row_numbers_(std::move(rows.numbers)),
        zeros_(std::move(rows.zeros)) {}

  Table run() {
    turn_round_if_newest_first();
    leave_zone();
    drop_outside_window();
    drop_without_trading();
    drop_flat_bars();
    drop_repeats();
    require_order();
    require_rows();
    table_.clock = options_.every.value_or(infer_clock(table_.times));
    add_absent_rows();
    return std::move(table_);
  }

 private:
  // ---- Leaving rows out ----
  void keep(const std::vector<bool>& rows) {
    for (Column& column : table_.columns) compact(column.values, rows);
    if (!table_.times.empty()) compact(table_.times, rows);
    if (chosen_.zero) compact(zeros_, rows);
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
    table_.account.notes.emplace_back("newest row first in the file: order reversed");
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

  std::optional<Timestamp> limit(const std::optional<std::string>& text, const char* option) const {
    if (!text) return std::nullopt;
    auto when = parse_date(*text);
    if (!when && options_.date_format) when = parse_date(*text, *options_.date_format);
    if (!when)
      throw Error(ErrorCode::bad_option,
                  fmt::format("`{}` {}: write the date as 2019-05-02", option, *text));
    return when;
  }

  void drop_without_trading() {
    if (!chosen_.zero) return;
    for (std::size_t i = 0; i < table_.times.size(); ++i)
      if (zeros_[i] != 0) not_traded_.push_back(table_.times[i]);
    drop_where(names_[*chosen_.zero] + " is 0", [&](std::size_t i) { return zeros_[i] != 0; });
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
    if (!options_.zone || table_.times.empty()) return;
    table_.account.notes.push_back(from_local(table_.times, *options_.zone));
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

  // The local clock goes through an hour twice when summer time ends: the same time comes twice in
  // a row only where rows are that far apart.
  std::string hint_of_zone(std::size_t i) const {
    const std::vector<Timestamp>& t = table_.times;
    constexpr std::chrono::hours kStep{1};
    const bool within_day = t[i] != std::chrono::floor<std::chrono::days>(t[i]);
    const bool trades = t[i] == t[i - 1] && i > 1 && t[i - 1] - t[i - 2] < kStep;
    return within_day && t[i - 1] - t[i] <= kStep && !trades && !options_.zone
               ? ", or name the zone of local times with `zone`, such as `zone` Europe/Berlin, "
                 "where its clock steps back"
               : "";
  }

  void require_order() const {
    const std::vector<Timestamp>& t = table_.times;
    for (std::size_t i = 1; i < t.size(); ++i)
      if (t[i] <= t[i - 1])
        throw Error(t[i] == t[i - 1] ? ErrorCode::date_repeated : ErrorCode::dates_out_of_order,
                    fmt::format("{} row {}, column {}: {} comes after {}; {}{}", path_,
                                text::count(row_numbers_[i]), names_[*chosen_.date],
                                format_date(t[i]), format_date(t[i - 1]), mend_of_order(i),
                                hint_of_zone(i) + hint_of_series()));
  }

  // Of row i, which comes before the one above it. A date that is mistyped stands alone: all others
  // are in order without it.
  std::string mend_of_order(std::size_t i) const {
    const std::vector<Timestamp>& t = table_.times;
    if (t[i] == t[i - 1])
      return t[i] == std::chrono::floor<std::chrono::days>(t[i])
                 ? "keep one row a date"
                 : "keep one row a time, such as the last trade of each second";
    const auto in_order_without = [&](std::size_t row) {
      std::vector<Timestamp> others = t;
      others.erase(others.begin() + static_cast<std::ptrdiff_t>(row));
      return std::ranges::is_sorted(others, std::ranges::less_equal());
    };
    for (const std::size_t row : {i - 1, i})
      if (in_order_without(row) && !in_order_without(2 * i - 1 - row))
        return fmt::format("correct the date of row {}, which alone is out of order",
                           text::count(row_numbers_[row]));
    return "sort the rows by date";
  }

  void require_rows() const {
    if (table_.rows() > 0) return;
    throw Error(
        ErrorCode::file_empty,
        fmt::format("{}: no row is left{}", path_,
                    table_.account.rows_read == 0 ? "; it needs rows of data" : left_out()));
  }

  std::string left_out() const {
    std::vector<std::string> reasons;
    for (const DataAccount::Dropped& d : table_.account.dropped)
      reasons.push_back(fmt::format("{} dropped: {}", text::count(d.rows), d.because));
    return fmt::format(" of {} ({}); widen the choice", text::count(table_.account.rows_read),
                       fmt::join(reasons, ", "));
  }

  std::string hint_of_series() const {
    if (chosen_.series_column.empty()) return "";
    return chosen_.series_names.size() > 1
               ? fmt::format(
                     ", or choose one of several series with `where` {}={} ({} also holds {})",
                     chosen_.series_column, chosen_.series_names.front(), chosen_.series_column,
                     fmt::join(chosen_.series_names.begin() + 1,
                               chosen_.series_names.begin() +
                                   static_cast<std::ptrdiff_t>(
                                       std::min<std::size_t>(chosen_.series_names.size(), 6)),
                               ", "))
               : fmt::format(", or choose one of several series with `where` {}={}",
                             chosen_.series_column, chosen_.series_names.front());
  }

  const std::string& path_;
  const ReadOptions& options_;
  const ColumnChoice& chosen_;
  const std::vector<std::string>& names_;
  Table table_;
  std::vector<std::uint32_t> row_numbers_;  // of the rows kept
  std::vector<char> zeros_;
  std::vector<Timestamp> not_traded_;  // of rows dropped because nothing was traded
};

}  // namespace

Table in_order(const RowsFrom& from, RowsRead rows) {
  return RowCleaning(from, std::move(rows)).run();
}

}  // namespace brace::inline v0
