// SPDX-License-Identifier: Apache-2.0
// Parts of a series: windows, the hold-out at its end, a slower clock.
//
//   auto [training, held_out] = brace::split(returns, {.share = 0.2});
//   auto weekly = brace::regroup(prices, brace::Clock::week, brace::Aggregate::last);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "brace/base/api.hpp"
#include "brace/series/range_volatility.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Rows begin .. end-1 (0-based).
[[nodiscard]] Series rows_between(const Series& series, std::size_t begin, std::size_t end);
// Rows dated from first to last, both included; an end that is not given is open.
[[nodiscard]] Series dates_between(const Series& series, std::optional<Timestamp> first,
                                   std::optional<Timestamp> last);

// What is kept back at the end of a series to judge forecasts by: one of the three.
struct HoldOut {
  std::optional<std::size_t> count{};  // rows
  std::optional<double> share{};       // of the rows, between 0 and 1; rounded down
  std::optional<Timestamp> from{};     // the first date held out
};

struct HoldOutSplit {
  Series training, held_out;
};

// Rows that `hold_out` keeps back. Throws Error (bad_option) unless exactly one of the three is
// given and at least one row remains on each side.
[[nodiscard]] std::size_t rows_held_out(const Series& series, const HoldOut& hold_out);
[[nodiscard]] HoldOutSplit split(const Series& series, const HoldOut& hold_out);

// The series with a row, its value missing, for each date that its calendar has and it has not
// (absent_dates), so that rows keep step with lags and seasons; the account says how many. Where
// the clock cannot be trusted the series comes back as it is, unless `whatever_the_clock`.
[[nodiscard]] Series with_absent_rows(const Series& series, bool whatever_the_clock = false);
// The same for dates and columns of equal length.
void add_missing_rows(std::span<const AbsentDates::Place> places, std::vector<Timestamp>& times,
                      std::span<std::vector<double>* const> columns);
// "5 months that the file has not were added as missing".
[[nodiscard]] std::string words_of_added(std::size_t rows, Clock clock);

enum class Aggregate {
  last,  // the last value present: prices
  mean,  // of the values present
  sum,   // missing where any is: returns
};
[[nodiscard]] std::optional<Aggregate> aggregate_from(std::string_view name);

// The series on a slower clock (week from Monday, month, quarter, day), each period dated by its
// last row. Missing where a period has no value, or for a sum, any missing. The account notes a
// last period that looks unfinished. Throws Error (bad_option) without dates or for a faster clock.
[[nodiscard]] Series regroup(const Series& series, Clock to, Aggregate how);

// Open, high, low and close of each period from the values of a faster series.
[[nodiscard]] Bars bars_of(const Series& series, Clock to);

// What becomes of returns that bridge a session's end, when the step before them is longer than the
// usual one.
enum class Overnight {
  keep,
  mark,  // missing: the row stays, so that lags count as they did
  drop,  // the row goes
};

// `returns` are of `levels` (one row shorter, dated by the later one). Throws Error (bad_option)
// where the dates have no time of day, since then every night is a step like any other.
[[nodiscard]] Series without_overnight(const Series& returns, const Series& levels, Overnight how);

}  // namespace brace::inline v0
BRACE_API_END
