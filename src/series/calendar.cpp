// SPDX-License-Identifier: Apache-2.0
// Clocks: inference and coming dates. Covered by tests/series/calendar_test.cpp.
#include "brace/series/calendar.hpp"

#include <algorithm>
#include <array>
#include <utility>

namespace brace {
namespace {

using std::chrono::days;
using std::chrono::floor;
using std::chrono::sys_days;
using std::chrono::weekday;

constexpr std::array<std::pair<Clock, std::string_view>, 7> kNames{{
    {Clock::row, "row"},
    {Clock::hour, "hour"},
    {Clock::day, "day"},
    {Clock::business_day, "business-day"},
    {Clock::week, "week"},
    {Clock::month, "month"},
    {Clock::quarter, "quarter"},
}};

bool is_weekend(Timestamp when) {
  const weekday d(floor<days>(when));
  return d == std::chrono::Saturday || d == std::chrono::Sunday;
}

Timestamp add_months(Timestamp from, int count) {
  const sys_days day = floor<days>(from);
  std::chrono::year_month_day date(day);
  date += std::chrono::months(count);
  if (!date.ok()) date = date.year() / date.month() / std::chrono::last;
  return sys_days(date) + (from - day);
}

}  // namespace

std::string_view to_string(Clock clock) {
  return std::find_if(kNames.begin(), kNames.end(),
                      [&](const auto& entry) { return entry.first == clock; })
      ->second;
}

std::optional<Clock> clock_from(std::string_view name) {
  for (const auto& [clock, known] : kNames)
    if (known == name) return clock;
  return std::nullopt;
}

Clock infer_clock(std::span<const Timestamp> times) {
  if (times.size() < 3) return Clock::row;
  std::vector<long> steps(times.size() - 1);
  for (std::size_t i = 0; i + 1 < times.size(); ++i) steps[i] = (times[i + 1] - times[i]).count();
  const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
  std::nth_element(steps.begin(), middle, steps.end());
  constexpr long kHour = 3600, kDay = 24 * kHour;
  const long step = *middle;
  if (step == kHour) return Clock::hour;
  if (step == kDay)
    return std::none_of(times.begin(), times.end(), is_weekend) ? Clock::business_day : Clock::day;
  if (step == 7 * kDay) return Clock::week;
  if (step >= 28 * kDay && step <= 31 * kDay) return Clock::month;
  if (step >= 89 * kDay && step <= 92 * kDay) return Clock::quarter;
  return Clock::row;
}

std::vector<Timestamp> dates_after(Timestamp last, Clock clock, std::size_t count) {
  std::vector<Timestamp> ahead;
  if (clock == Clock::row) return ahead;
  ahead.reserve(count);
  Timestamp next = last;
  for (std::size_t i = 1; i <= count; ++i) {
    switch (clock) {
      case Clock::row: break;
      case Clock::hour: next += std::chrono::hours(1); break;
      case Clock::day: next += days(1); break;
      case Clock::business_day:
        do next += days(1);
        while (is_weekend(next));
        break;
      case Clock::week: next += days(7); break;
      // From the last date each time: the 31st must not become the 28th for good.
      case Clock::month: next = add_months(last, static_cast<int>(i)); break;
      case Clock::quarter: next = add_months(last, static_cast<int>(3 * i)); break;
    }
    ahead.push_back(next);
  }
  return ahead;
}

std::optional<double> periods_per_year(Clock clock) {
  switch (clock) {
    case Clock::row: return std::nullopt;
    case Clock::hour: return 8766;
    case Clock::day: return 365.25;
    case Clock::business_day: return 252;
    case Clock::week: return 365.25 / 7;
    case Clock::month: return 12;
    case Clock::quarter: return 4;
  }
  return std::nullopt;
}

std::string_view period_noun(Clock clock) {
  return clock == Clock::business_day ? "day" : to_string(clock);
}

}  // namespace brace
