// SPDX-License-Identifier: Apache-2.0
// Clocks: inference and coming dates. Covered by tests/series/parts_test.cpp.
#include "brace/series/calendar.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <set>
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

using std::chrono::year_month_day;

unsigned weekday_of(Timestamp when) {
  return weekday(floor<days>(when)).c_encoding();
}

bool is_weekend(std::chrono::sys_days day) {
  return is_weekend(Timestamp(day));
}

// The observation's day in the month that lies `count` months on, as the calendar anchors it.
Timestamp in_month_after(const Calendar& calendar, Timestamp from, int count) {
  const sys_days day = floor<days>(from);
  const year_month_day date(day);
  const auto month = date.year() / date.month() + std::chrono::months(count);
  const sys_days last(month / std::chrono::last), first(month / 1);
  sys_days to = first;
  switch (calendar.anchor) {
    case Calendar::Anchor::day:
      to = std::min(first + days(static_cast<int>(calendar.day_of_month) - 1), last);
      break;
    case Calendar::Anchor::first_weekday:
      while (is_weekend(to)) to += days(1);
      break;
    case Calendar::Anchor::last_weekday:
      to = last;
      while (is_weekend(to)) to -= days(1);
      break;
  }
  return Timestamp(to) + (from - day);
}

bool falls_on(const Closing& closing, const year_month_day& date, unsigned weekday) {
  if (static_cast<unsigned>(date.month()) != closing.month) return false;
  const auto day = static_cast<unsigned>(date.day());
  return closing.day > 0 ? day == closing.day
                         : weekday == closing.weekday && (day - 1) / 7 + 1 == closing.nth;
}

// Days closed year after year: dates first, then the weekdays of a month that they do not explain.
std::vector<Closing> learn_closings(std::span<const Timestamp> times) {
  constexpr int kYears = 3;  // fewer prove nothing
  std::set<sys_days> open;
  for (const Timestamp t : times) open.insert(floor<days>(t));
  // Of each rule: how often its day came on a weekday, and how often there was trading.
  struct Tally {
    int came = 0, traded = 0, unexplained = 0;
  };
  std::map<std::pair<unsigned, unsigned>, Tally> by_date;
  std::map<std::array<unsigned, 3>, Tally> by_weekday;
  const sys_days first = *open.begin(), last = *open.rbegin();
  for (sys_days day = first; day <= last; day += days(1)) {
    if (is_weekend(day)) continue;
    const year_month_day date(day);
    Tally& tally =
        by_date[{static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day())}];
    ++tally.came;
    tally.traded += open.contains(day) ? 1 : 0;
  }
  std::vector<Closing> out;
  const auto always_closed = [](const Tally& t) { return t.came >= kYears && t.traded == 0; };
  for (const auto& [date, tally] : by_date)
    if (always_closed(tally)) out.push_back({.month = date.first, .day = date.second});
  for (sys_days day = first; day <= last; day += days(1)) {
    if (is_weekend(day)) continue;
    const year_month_day date(day);
    const auto d = static_cast<unsigned>(date.day());
    const unsigned w = weekday(day).c_encoding();
    Tally& tally = by_weekday[{static_cast<unsigned>(date.month()), w, (d - 1) / 7 + 1}];
    ++tally.came;
    tally.traded += open.contains(day) ? 1 : 0;
    tally.unexplained +=
        std::none_of(out.begin(), out.end(), [&](const Closing& c) { return falls_on(c, date, w); })
            ? 1
            : 0;
  }
  for (const auto& [rule, tally] : by_weekday)
    if (always_closed(tally) && tally.unexplained >= kYears)
      out.push_back({.month = rule[0], .day = 0, .weekday = rule[1], .nth = rule[2]});
  return out;
}

// An hour is in session when it was traded on at least half of the weekday's days.
std::vector<bool> learn_session(std::span<const Timestamp> times) {
  std::array<int, 168> count{};
  std::array<std::set<sys_days>, 7> seen;
  for (const Timestamp t : times) {
    const sys_days day = floor<days>(t);
    const auto hour = std::chrono::duration_cast<std::chrono::hours>(t - day).count();
    ++count[24 * weekday_of(t) + static_cast<unsigned>(hour)];
    seen[weekday_of(t)].insert(day);
  }
  std::vector<bool> session(168);
  for (std::size_t slot = 0; slot < 168; ++slot)
    session[slot] =
        count[slot] > 0 && 2 * static_cast<std::size_t>(count[slot]) >= seen[slot / 24].size();
  return session;
}

void learn_anchor(std::span<const Timestamp> times, Calendar& calendar) {
  bool month_ends = true, first_weekdays = true, last_weekdays = true;
  for (const Timestamp t : times) {
    const sys_days day = floor<days>(t);
    const year_month_day date(day);
    calendar.day_of_month = std::max(calendar.day_of_month, static_cast<unsigned>(date.day()));
    month_ends = month_ends && day == sys_days(date.year() / date.month() / std::chrono::last);
    Calendar trial;
    trial.anchor = Calendar::Anchor::first_weekday;
    first_weekdays = first_weekdays && floor<days>(in_month_after(trial, t, 0)) == day;
    trial.anchor = Calendar::Anchor::last_weekday;
    last_weekdays = last_weekdays && floor<days>(in_month_after(trial, t, 0)) == day;
  }
  constexpr std::size_t kEnough = 6;  // months that agree by chance would not
  if (month_ends)
    calendar.day_of_month = 31;
  else if (calendar.day_of_month > 1 && first_weekdays && times.size() >= kEnough)
    calendar.anchor = Calendar::Anchor::first_weekday;
  else if (last_weekdays && times.size() >= kEnough)
    calendar.anchor = Calendar::Anchor::last_weekday;
}

// Whether two dates stand for the same period of the clock.
bool same_period(Clock clock, Timestamp a, Timestamp b) {
  if (clock == Clock::week) {
    // Weeks from Monday: 1970-01-05 was one.
    const auto week = [](Timestamp t) { return floor<std::chrono::weeks>(t - days(4)); };
    return week(a) == week(b);
  }
  if (clock == Clock::month || clock == Clock::quarter) {
    const year_month_day x(floor<days>(a)), y(floor<days>(b));
    return x.year() == y.year() && x.month() == y.month();
  }
  return a == b;
}

constexpr std::array<std::string_view, 5> kOrdinals{"first", "second", "third", "fourth", "fifth"};

// "Monday to Friday from 09:00 to 16:00", or the days one by one where their hours differ.
std::string describe_session(const std::vector<bool>& session) {
  struct Hours {
    int from = -1, to = -1;
    bool operator==(const Hours&) const = default;
  };
  std::vector<std::string> parts;
  unsigned begin = 0;
  const auto hours_of = [&](unsigned w) {
    Hours h;
    for (int hour = 0; hour < 24; ++hour)
      if (session[24 * w + static_cast<unsigned>(hour)]) {
        if (h.from < 0) h.from = hour;
        h.to = hour;
      }
    return h;
  };
  for (unsigned step = 1; step <= 7; ++step) {
    // Monday first.
    const auto day_at = [](unsigned position) { return (position + 1) % 7; };
    if (step < 7 && hours_of(day_at(step)) == hours_of(day_at(begin))) continue;
    const Hours h = hours_of(day_at(begin));
    if (h.from >= 0)
      parts.push_back(
          fmt::format("{}{} from {:02}:00 to {:02}:00", weekday_name(day_at(begin)),
                      step - 1 > begin ? fmt::format(" to {}", weekday_name(day_at(step - 1))) : "",
                      h.from, h.to));
    begin = step;
  }
  return fmt::format("{}", fmt::join(parts, ", "));
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
  if (step == kDay) {
    const auto weekend = static_cast<std::size_t>(
        std::count_if(times.begin(), times.end(), [](Timestamp t) { return is_weekend(t); }));
    return 50 * weekend <= times.size() ? Clock::business_day : Clock::day;
  }
  if (step == 7 * kDay) return Clock::week;
  if (step >= 28 * kDay && step <= 31 * kDay) return Clock::month;
  if (step >= 89 * kDay && step <= 92 * kDay) return Clock::quarter;
  return Clock::row;
}

bool Calendar::is_closed(Timestamp when) const {
  const sys_days day = floor<days>(when);
  if (clock == Clock::business_day && is_weekend(when)) return true;
  if (!session.empty()) {
    const auto hour = std::chrono::duration_cast<std::chrono::hours>(when - day).count();
    if (!session[24 * weekday_of(when) + static_cast<unsigned>(hour)]) return true;
  }
  return std::any_of(closings.begin(), closings.end(), [&](const Closing& closing) {
    return falls_on(closing, year_month_day(day), weekday_of(when));
  });
}

Timestamp Calendar::next(Timestamp last) const {
  constexpr int kLongestPause = 24 * 31;  // steps; beyond it the calendar is no guide
  const auto first_open = [&](auto step) {
    Timestamp to = last + step;
    for (int i = 0; i < kLongestPause && is_closed(to); ++i) to += step;
    return is_closed(to) ? last + step : to;
  };
  switch (clock) {
    case Clock::row: break;
    case Clock::hour: return first_open(std::chrono::hours(1));
    case Clock::day: return last + days(1);
    case Clock::business_day: return first_open(days(1));
    case Clock::week: return last + days(7);
    case Clock::month: return in_month_after(*this, last, 1);
    case Clock::quarter: return in_month_after(*this, last, 3);
  }
  return last;
}

Calendar learn_calendar(std::span<const Timestamp> times, Clock clock) {
  Calendar calendar;
  calendar.clock = clock;
  if (times.empty()) return calendar;
  if (clock == Clock::hour && times.size() > 1) calendar.session = learn_session(times);
  if (clock == Clock::hour || clock == Clock::business_day)
    calendar.closings = learn_closings(times);
  if (clock == Clock::month || clock == Clock::quarter) learn_anchor(times, calendar);
  return calendar;
}

std::string describe(const Calendar& calendar) {
  std::string text(to_string(calendar.clock));
  if (!calendar.session.empty()) {
    const bool always = std::find(calendar.session.begin(), calendar.session.end(), false) ==
                        calendar.session.end();
    text += ", " + (always ? "around the clock" : describe_session(calendar.session));
  }
  if (calendar.anchor == Calendar::Anchor::first_weekday)
    text += ", its first day from Monday to Friday";
  if (calendar.anchor == Calendar::Anchor::last_weekday)
    text += ", its last day from Monday to Friday";
  std::vector<std::string> days_closed;
  for (const Closing& c : calendar.closings)
    days_closed.push_back(c.day > 0 ? fmt::format("{} {}", c.day, month_name(c.month))
                                    : fmt::format("the {} {} of {}", kOrdinals[c.nth - 1],
                                                  weekday_name(c.weekday), month_name(c.month)));
  constexpr std::size_t kNamed = 12;
  if (days_closed.size() > kNamed) {
    const std::size_t more = days_closed.size() - kNamed;
    days_closed.resize(kNamed);
    days_closed.push_back(fmt::format("{} more", more));
  }
  if (!days_closed.empty()) text += fmt::format("; closed on {}", fmt::join(days_closed, ", "));
  return text;
}

std::vector<IrregularStep> irregular_steps(const Calendar& calendar,
                                           std::span<const Timestamp> times) {
  std::vector<IrregularStep> out;
  if (calendar.clock == Clock::row) return out;
  for (std::size_t i = 1; i < times.size(); ++i) {
    Timestamp expected = calendar.next(times[i - 1]);
    std::size_t skipped = 0;
    while (!same_period(calendar.clock, expected, times[i]) && expected < times[i]) {
      expected = calendar.next(expected);
      ++skipped;
    }
    if (skipped > 0 || !same_period(calendar.clock, expected, times[i]))
      out.push_back({.index = i, .skipped = skipped});
  }
  return out;
}

std::vector<Timestamp> dates_after(const Calendar& calendar, Timestamp last, std::size_t count) {
  std::vector<Timestamp> ahead;
  if (calendar.clock == Clock::row) return ahead;
  ahead.reserve(count);
  for (std::size_t i = 0; i < count; ++i) ahead.push_back(last = calendar.next(last));
  return ahead;
}

std::vector<Timestamp> dates_after(Timestamp last, Clock clock, std::size_t count) {
  return dates_after(learn_calendar({&last, 1}, clock), last, count);
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
