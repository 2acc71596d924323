// SPDX-License-Identifier: Apache-2.0
// The clock of a series: how far its observations lie apart, and which dates come next.
//
//   brace::Clock clock = brace::infer_clock(series.times);          // business day, hour, month...
//   auto ahead = brace::dates_after(series.times.back(), clock, 20);
#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "brace/base/date.hpp"

namespace brace {

enum class Clock {
  row,  // no dates, or dates without a common step: observations are only counted
  hour,
  day,           // every day of the week
  business_day,  // Monday to Friday
  week,
  month,
  quarter,
};

// "business-day", as on the command line and in JSON.
[[nodiscard]] std::string_view to_string(Clock clock);
[[nodiscard]] std::optional<Clock> clock_from(std::string_view name);

// The clock of increasing dates, from their median step; days without any Saturday or Sunday are
// business days. Holidays and dropped rows do not disturb it. `row` when no clock fits.
[[nodiscard]] Clock infer_clock(std::span<const Timestamp> times);

// The next `count` dates. Business days skip Saturdays and Sundays (holidays are not known); months
// and quarters keep the day of the month, or the last day where there is none. Empty for `row`.
[[nodiscard]] std::vector<Timestamp> dates_after(Timestamp last, Clock clock, std::size_t count);

// Periods in a year, to annualise by: hour 8766, day 365.25, business day 252, week 52.18, month
// 12, quarter 4. None for `row`.
[[nodiscard]] std::optional<double> periods_per_year(Clock clock);

// "day" in "percent a day": the period as a noun.
[[nodiscard]] std::string_view period_noun(Clock clock);

}  // namespace brace
