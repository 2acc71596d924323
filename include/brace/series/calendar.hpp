// SPDX-License-Identifier: Apache-2.0
// The clock of a series: how far its observations lie apart, and which dates come next.
//
//   brace::Clock clock = brace::infer_clock(series.times);          // business day, hour, month...
//   auto ahead = brace::dates_after(brace::learn_calendar(series.times, clock), last, 20);
//
// Threads: a plain value; reading one from several threads at once is safe, and so are the
// functions.
#pragma once

#include <array>
#include <chrono>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class Clock {
  row,     // no dates, or dates without a common step: observations are only counted
  minute,  // bars of so many minutes, but not of 60: Calendar::step has how many
  hour,
  day,           // every day of the week
  business_day,  // Monday to Friday
  week,
  month,
  quarter,
  year,
};

// "business-day", as on the command line and in JSON.
[[nodiscard]] std::string_view to_string(Clock clock);
[[nodiscard]] std::optional<Clock> clock_from(std::string_view name);

// The clock of increasing dates, from their median step; days with hardly any Saturday or Sunday
// (at most one in fifty) are business days. Holidays and dropped rows do not disturb it. `row` when
// no clock fits.
[[nodiscard]] Clock infer_clock(std::span<const Timestamp> times);

// The Sunday of Easter in a year of the Gregorian calendar (Meeus 1991, chapter 8).
[[nodiscard]] std::chrono::sys_days easter(std::chrono::year year);

// A day on which there is no trading, year after year.
struct Closing {
  unsigned month = 0;    // 1 .. 12; 0 where it goes by Easter:
  unsigned day = 0;      // of the month; 0 where it goes by the weekday:
  unsigned weekday = 0;  // 0 is Sunday
  unsigned nth = 0;      // first is 1
  int after_easter = 0;  // days, negative before it
};

// What a series' dates teach about coming ones.
struct Calendar {
  Clock clock = Clock::row;
  // Business days, hours and minutes: weekdays that were closed in each of at least three years.
  std::vector<Closing> closings;
  // Hours and minutes: from one row to the next in session.
  std::chrono::seconds step{3600};
  // Hours and minutes: when rows come on each weekday (0 is Sunday), seconds after midnight in
  // ascending order; all empty where nothing is known.
  std::array<std::vector<int>, 7> session;
  // Months and quarters: the day that is aimed at (31 is the last there is), or the first or last
  // Monday to Friday.
  enum class Anchor { day, first_weekday, last_weekday } anchor = Anchor::day;
  unsigned day_of_month = 1;

  [[nodiscard]] bool within_day() const { return clock == Clock::hour || clock == Clock::minute; }
  // Whether rows come at every step of every day of the week, or nothing else is known.
  [[nodiscard]] bool round_the_clock() const;
  [[nodiscard]] bool is_closed(Timestamp when) const;
  // The date that should follow. Not for Clock::row.
  [[nodiscard]] Timestamp next(Timestamp last) const;
};

[[nodiscard]] Calendar learn_calendar(std::span<const Timestamp> times, Clock clock);

// "hour, Monday to Friday from 09:00 to 16:00; closed on 25 December and the first Monday of June".
[[nodiscard]] std::string describe(const Calendar& calendar);

// No exchange closes for longer: rows that stop for more have a gap, from which no closing is
// learnt.
inline constexpr std::chrono::days kLongestClosing{16};

// A place where the dates do not follow their calendar.
struct IrregularStep {
  std::size_t index = 0;    // 0-based, of the observation after the step
  std::size_t skipped = 0;  // dates that should have come between; 0 where this one is extra
};
[[nodiscard]] std::vector<IrregularStep> irregular_steps(const Calendar& calendar,
                                                         std::span<const Timestamp> times);

// Dates that the calendar has and a file has not, to be added as missing rows: every date where
// steps are equal (year, quarter, month, week, day, round the clock), and with sessions those
// between two rows of one day (a day that is absent whole was closed). Business days too, but never
// trusted: an absent day was most likely closed.
struct AbsentDates {
  struct Place {
    std::size_t before;  // 0-based, of the row that follows
    Timestamp when;
  };
  std::vector<Place> places;
  // Whether the clock can be trusted: at most one date in ten is absent and one in a hundred lies
  // beside the calendar.
  bool trusted = true;
};
[[nodiscard]] AbsentDates absent_dates(const Calendar& calendar, std::span<const Timestamp> times);

// The next `count` dates of the calendar after `last`. Empty for `row`.
[[nodiscard]] std::vector<Timestamp> dates_after(const Calendar& calendar, Timestamp last,
                                                 std::size_t count);
// The same with nothing known but the last date: no closings, all hours, the same day of the month.
[[nodiscard]] std::vector<Timestamp> dates_after(Timestamp last, Clock clock, std::size_t count);

// Periods in a year, to annualise by: minute 525,960, hour 8766, day 365.25, business day 252, week
// 52.18, month 12, quarter 4, year 1. None for `row`.
[[nodiscard]] std::optional<double> periods_per_year(Clock clock);
// The same, by the session of hours and minutes: its rows a week in 252 days of five, or in 365.25
// of seven where there is trading at the weekend.
[[nodiscard]] std::optional<double> periods_per_year(const Calendar& calendar);

// "day" in "percent a day": the period as a noun; "bar" for minutes, which may be any number.
[[nodiscard]] std::string_view period_noun(Clock clock);

}  // namespace brace::inline v0
BRACE_API_END
