// SPDX-License-Identifier: Apache-2.0
// Clocks: inference and coming dates. Covered by tests/series/parts_test.cpp.
#include "brace/series/calendar.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <map>
#include <optional>
#include <set>
#include <utility>

namespace brace::inline v0 {
namespace {

using std::chrono::days;
using std::chrono::floor;
using std::chrono::sys_days;
using std::chrono::weekday;

constexpr std::array<std::pair<Clock, std::string_view>, 9> kNames{{
    {Clock::row, "row"},
    {Clock::minute, "minute"},
    {Clock::hour, "hour"},
    {Clock::day, "day"},
    {Clock::business_day, "business-day"},
    {Clock::week, "week"},
    {Clock::month, "month"},
    {Clock::quarter, "quarter"},
    {Clock::year, "year"},
}};

constexpr int kSecondsADay = 86400;

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
  if (closing.month == 0) return sys_days(date) == easter(date.year()) + days(closing.after_easter);
  if (static_cast<unsigned>(date.month()) != closing.month) return false;
  const auto day = static_cast<unsigned>(date.day());
  return closing.day > 0 ? day == closing.day
                         : weekday == closing.weekday && (day - 1) / 7 + 1 == closing.nth;
}

constexpr int kYears = 3;  // fewer prove nothing

// Whether rows stop around the day for longer than for a holiday: then it says nothing of closings.
bool lies_in_a_gap(const std::vector<sys_days>& open, sys_days day) {
  const auto after = std::lower_bound(open.begin(), open.end(), day);
  return after != open.begin() && after != open.end() &&
         *after - *std::prev(after) > kLongestClosing;
}

// Days at one distance from Easter that were closed each year, where dates do not explain them.
void learn_movable_closings(const std::vector<sys_days>& open, std::vector<Closing>& out) {
  const sys_days first = open.front(), last = open.back();
  constexpr int kFrom = -49, kTo = 64;  // carnival to Corpus Christi and a little beyond
  const std::vector<Closing> by_date = out;
  for (int after = kFrom; after <= kTo; ++after) {
    int came = 0, traded = 0, unexplained = 0;
    for (auto year = year_month_day(first).year(); year <= year_month_day(last).year(); ++year) {
      const sys_days day = easter(year) + days(after);
      if (day < first || day > last || is_weekend(day) || lies_in_a_gap(open, day)) continue;
      ++came;
      traded += std::binary_search(open.begin(), open.end(), day) ? 1 : 0;
      unexplained += std::none_of(by_date.begin(), by_date.end(), [&](const Closing& c) {
        return falls_on(c, year_month_day(day), weekday(day).c_encoding());
      });
    }
    if (came >= kYears && traded == 0 && unexplained >= kYears)
      out.push_back({.after_easter = after});
  }
}

// Calls see(date, weekday, traded) for every day from the first to the last but those at weekends
// and in gaps.
template <class See>
void each_weekday(const std::vector<sys_days>& open, See see) {
  auto next = open.begin();
  unsigned w = weekday(open.front()).c_encoding();
  year_month_day date(open.front());
  for (sys_days day = open.front(); day <= open.back(); day += days(1), w = (w + 1) % 7) {
    // Within a month the date goes on by itself.
    const auto d = static_cast<unsigned>(date.day());
    if (day != open.front())
      date = d < 28 ? date.year() / date.month() / (d + 1) : year_month_day(day);
    if (next != open.begin() && *next - *std::prev(next) > kLongestClosing && day < *next) {
      day = *next;
      date = year_month_day(day);
      w = weekday(day).c_encoding();
    }
    const bool traded = next != open.end() && *next == day;
    if (traded) ++next;
    if (w != 0 && w != 6) see(date, w, traded);
  }
}

// Days closed year after year: dates first, then those that move with Easter, then the weekdays of
// a month that neither explains.
std::vector<Closing> learn_closings(std::span<const Timestamp> times) {
  std::vector<sys_days> open;
  for (const Timestamp t : times)  // in order
    if (const sys_days day = floor<days>(t); open.empty() || day != open.back())
      open.push_back(day);
  // Of each rule: how often its day came on a weekday, and how often there was trading.
  struct Tally {
    int came = 0, traded = 0, unexplained = 0;
  };
  std::array<std::array<Tally, 32>, 13> by_date{};                   // month, day
  std::array<std::array<std::array<Tally, 6>, 7>, 13> by_weekday{};  // month, weekday, which
  each_weekday(open, [&](const year_month_day& date, unsigned, bool traded) {
    Tally& tally = by_date[static_cast<unsigned>(date.month())][static_cast<unsigned>(date.day())];
    ++tally.came;
    tally.traded += traded ? 1 : 0;
  });
  std::vector<Closing> out;
  const auto always_closed = [](const Tally& t) { return t.came >= kYears && t.traded == 0; };
  for (unsigned month = 1; month <= 12; ++month)
    for (unsigned day = 1; day <= 31; ++day)
      if (always_closed(by_date[month][day])) out.push_back({.month = month, .day = day});
  learn_movable_closings(open, out);
  each_weekday(open, [&](const year_month_day& date, unsigned w, bool traded) {
    const auto d = static_cast<unsigned>(date.day());
    Tally& tally = by_weekday[static_cast<unsigned>(date.month())][w][(d - 1) / 7 + 1];
    ++tally.came;
    tally.traded += traded ? 1 : 0;
    // A rule whose days saw trading is none, whatever explains the others.
    if (tally.traded == 0)
      tally.unexplained += std::none_of(out.begin(), out.end(),
                                        [&](const Closing& c) { return falls_on(c, date, w); })
                               ? 1
                               : 0;
  });
  for (unsigned month = 1; month <= 12; ++month)
    for (unsigned w = 1; w <= 5; ++w)
      for (unsigned nth = 1; nth <= 5; ++nth)
        if (const Tally& tally = by_weekday[month][w][nth];
            always_closed(tally) && tally.unexplained >= kYears)
          out.push_back({.month = month, .day = 0, .weekday = w, .nth = nth});
  return out;
}

// A time of day is in session when a row came then on at least half of the weekday's days.
std::array<std::vector<int>, 7> learn_session(std::span<const Timestamp> times) {
  std::array<std::vector<int>, 7> count;  // of rows at each second of the weekday
  std::array<std::size_t, 7> days_seen{};
  std::optional<sys_days> before;
  for (const Timestamp t : times) {
    const sys_days day = floor<days>(t);
    const unsigned w = weekday(day).c_encoding();
    if (count[w].empty()) count[w].assign(kSecondsADay, 0);
    ++count[w][static_cast<std::size_t>((t - day).count())];
    if (day != before) ++days_seen[w];
    before = day;
  }
  std::array<std::vector<int>, 7> session;
  for (std::size_t w = 0; w < 7; ++w)
    for (std::size_t second = 0; second < count[w].size(); ++second)
      if (count[w][second] > 0 && 2 * static_cast<std::size_t>(count[w][second]) >= days_seen[w])
        session[w].push_back(static_cast<int>(second));
  return session;
}

// The median step.
long median_step(std::span<const Timestamp> times) {
  std::vector<long> steps(times.size() - 1);
  for (std::size_t i = 0; i + 1 < times.size(); ++i) steps[i] = (times[i + 1] - times[i]).count();
  const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
  std::nth_element(steps.begin(), middle, steps.end());
  return *middle;
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
  if (clock == Clock::month || clock == Clock::quarter || clock == Clock::year) {
    const year_month_day x(floor<days>(a)), y(floor<days>(b));
    return x.year() == y.year() && (clock == Clock::year || x.month() == y.month());
  }
  return a == b;
}

constexpr std::array<std::string_view, 5> kOrdinals{"first", "second", "third", "fourth", "fifth"};

// "from 09:30 to 11:30 and from 13:00 to 15:00".
std::string describe_hours(const std::vector<int>& slots, std::chrono::seconds step) {
  const auto clock = [](int second) {
    return fmt::format("{:02}:{:02}", second / 3600, second / 60 % 60);
  };
  std::vector<std::string> parts;
  for (std::size_t i = 0; i < slots.size();) {
    std::size_t end = i;
    while (end + 1 < slots.size() && slots[end + 1] - slots[end] <= step.count()) ++end;
    parts.push_back(fmt::format("from {} to {}", clock(slots[i]), clock(slots[end])));
    i = end + 1;
  }
  constexpr std::size_t kMostPauses = 3;  // more is no session that words could tell
  if (parts.size() > kMostPauses)
    return fmt::format("from {} to {} with pauses", clock(slots.front()), clock(slots.back()));
  return fmt::format("{}", fmt::join(parts, " and "));
}

// "Monday to Friday from 09:00 to 16:00", or the days one by one where their hours differ.
std::string describe_session(const Calendar& calendar) {
  std::vector<std::string> parts;
  unsigned begin = 0;
  // Monday first.
  const auto day_at = [](unsigned position) { return (position + 1) % 7; };
  const auto slots = [&](unsigned position) -> const std::vector<int>& {
    return calendar.session[day_at(position)];
  };
  for (unsigned next = 1; next <= 7; ++next) {
    if (next < 7 && slots(next) == slots(begin)) continue;
    if (!slots(begin).empty())
      parts.push_back(
          fmt::format("{}{} {}", weekday_name(day_at(begin)),
                      next - 1 > begin ? fmt::format(" to {}", weekday_name(day_at(next - 1))) : "",
                      describe_hours(slots(begin), calendar.step)));
    begin = next;
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

// "Good Friday", or "3 days after Easter".
std::string movable_name(int after) {
  switch (after) {
    case -48: return "Carnival Monday";
    case -47: return "Carnival Tuesday";
    case -3: return "Maundy Thursday";
    case -2: return "Good Friday";
    case 1: return "Easter Monday";
    case 39: return "Ascension";
    case 50: return "Whit Monday";
    case 60: return "Corpus Christi";
    default:
      return fmt::format("{} days {} Easter", std::abs(after), after < 0 ? "before" : "after");
  }
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
  constexpr long kHour = 3600, kDay = kSecondsADay;
  const long step = median_step(times);
  if (step == kHour) return Clock::hour;
  if (step >= 60 && step <= kDay / 2 && step % 60 == 0 && kDay % step == 0) return Clock::minute;
  if (step == kDay) {
    const auto weekend = static_cast<std::size_t>(
        std::count_if(times.begin(), times.end(), [](Timestamp t) { return is_weekend(t); }));
    return 50 * weekend <= times.size() ? Clock::business_day : Clock::day;
  }
  if (step == 7 * kDay) return Clock::week;
  if (step >= 28 * kDay && step <= 31 * kDay) return Clock::month;
  if (step >= 89 * kDay && step <= 92 * kDay) return Clock::quarter;
  if (step >= 365 * kDay && step <= 366 * kDay) return Clock::year;
  return Clock::row;
}

std::chrono::sys_days easter(std::chrono::year year) {
  const int y = static_cast<int>(year);
  const int a = y % 19, b = y / 100, c = y % 100, d = b / 4, e = b % 4, f = (b + 8) / 25,
            g = (b - f + 1) / 3, h = (19 * a + b - d - g + 15) % 30, i = c / 4, k = c % 4,
            l = (32 + 2 * e + 2 * i - h - k) % 7, m = (a + 11 * h + 22 * l) / 451,
            n = h + l - 7 * m + 114;
  return year / (n / 31) / (n % 31 + 1);
}

bool Calendar::round_the_clock() const {
  if (!within_day()) return false;
  const auto full = static_cast<std::size_t>(kSecondsADay / step.count());
  return std::all_of(session.begin(), session.end(),
                     [&](const auto& slots) { return slots.empty() || slots.size() == full; }) &&
         std::adjacent_find(session.begin(), session.end(), [](const auto& x, const auto& y) {
           return x.empty() != y.empty();
         }) == session.end();
}

bool Calendar::is_closed(Timestamp when) const {
  const sys_days day = floor<days>(when);
  if (clock == Clock::business_day && is_weekend(when)) return true;
  if (within_day() && std::any_of(session.begin(), session.end(),
                                  [](const auto& slots) { return !slots.empty(); })) {
    const std::vector<int>& slots = session[weekday_of(when)];
    if (!std::binary_search(slots.begin(), slots.end(), static_cast<int>((when - day).count())))
      return true;
  }
  return std::any_of(closings.begin(), closings.end(), [&](const Closing& closing) {
    return falls_on(closing, year_month_day(day), weekday_of(when));
  });
}

namespace {

// The first slot of the session after `last`, on that day or the first open one after it.
Timestamp next_in_session(const Calendar& calendar, Timestamp last) {
  constexpr int kLongestPause = 62;  // days; beyond it the calendar is no guide
  const sys_days day = floor<days>(last);
  for (int d = 0; d <= kLongestPause; ++d) {
    const sys_days on = day + days(d);
    const std::vector<int>& slots = calendar.session[weekday(on).c_encoding()];
    const auto slot = d == 0 ? std::upper_bound(slots.begin(), slots.end(),
                                                static_cast<int>((last - day).count()))
                             : slots.begin();
    if (slot == slots.end()) continue;
    const Timestamp when = on + std::chrono::seconds(*slot);
    if (d == 0 || !calendar.is_closed(when)) return when;
  }
  return last + calendar.step;
}

}  // namespace

Timestamp Calendar::next(Timestamp last) const {
  switch (clock) {
    case Clock::row: break;
    case Clock::minute:
    case Clock::hour: return next_in_session(*this, last);
    case Clock::day: return last + days(1);
    case Clock::business_day: {
      constexpr int kLongestPause = 62;
      Timestamp to = last + days(1);
      for (int i = 0; i < kLongestPause && is_closed(to); ++i) to += days(1);
      return is_closed(to) ? last + days(1) : to;
    }
    case Clock::week: return last + days(7);
    case Clock::month: return in_month_after(*this, last, 1);
    case Clock::quarter: return in_month_after(*this, last, 3);
    case Clock::year: return in_month_after(*this, last, 12);
  }
  return last;
}

Calendar learn_calendar(std::span<const Timestamp> times, Clock clock) {
  Calendar calendar;
  calendar.clock = clock;
  if (times.empty()) return calendar;
  if (calendar.within_day() && times.size() > 1) {
    if (clock == Clock::minute) calendar.step = std::chrono::seconds(median_step(times));
    calendar.session = learn_session(times);
  }
  if (calendar.within_day() || clock == Clock::business_day)
    calendar.closings = learn_closings(times);
  if (clock == Clock::month || clock == Clock::quarter || clock == Clock::year)
    learn_anchor(times, calendar);
  return calendar;
}

std::string describe(const Calendar& calendar) {
  std::string text(to_string(calendar.clock));
  if (calendar.clock == Clock::minute && calendar.step != std::chrono::minutes(1))
    text = fmt::format("{} minutes",
                       std::chrono::duration_cast<std::chrono::minutes>(calendar.step).count());
  if (calendar.within_day())
    text += ", " + (calendar.round_the_clock() ? "around the clock" : describe_session(calendar));
  if (calendar.anchor == Calendar::Anchor::first_weekday)
    text += ", its first day from Monday to Friday";
  if (calendar.anchor == Calendar::Anchor::last_weekday)
    text += ", its last day from Monday to Friday";
  std::vector<std::string> days_closed;
  for (const Closing& c : calendar.closings)
    days_closed.push_back(c.month == 0 ? movable_name(c.after_easter)
                          : c.day > 0  ? fmt::format("{} {}", c.day, month_name(c.month))
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

AbsentDates absent_dates(const Calendar& calendar, std::span<const Timestamp> times) {
  AbsentDates out;
  if (calendar.clock == Clock::row) return out;
  const bool sessions = calendar.within_day() && !calendar.round_the_clock();
  constexpr double kMostAbsent = .1, kMostBeside = .01;
  const auto n = static_cast<double>(times.size());
  double beside = 0;
  for (const IrregularStep& step : irregular_steps(calendar, times)) {
    if (step.skipped == 0) ++beside;
    Timestamp when = times[step.index - 1];
    for (std::size_t i = 0; i < step.skipped; ++i) {
      when = calendar.next(when);
      if (when >= times[step.index]) break;
      const sys_days day = floor<days>(when);
      if (sessions &&
          (day != floor<days>(times[step.index - 1]) || day != floor<days>(times[step.index])))
        continue;
      out.places.push_back({step.index, when});
    }
  }
  out.trusted = calendar.clock != Clock::business_day &&
                static_cast<double>(out.places.size()) <= kMostAbsent * n &&
                beside <= kMostBeside * n;
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
    case Clock::minute: return 60 * 8766;
    case Clock::hour: return 8766;
    case Clock::day: return 365.25;
    case Clock::business_day: return 252;
    case Clock::week: return 365.25 / 7;
    case Clock::month: return 12;
    case Clock::quarter: return 4;
    case Clock::year: return 1;
  }
  return std::nullopt;
}

std::optional<double> periods_per_year(const Calendar& calendar) {
  if (!calendar.within_day()) return periods_per_year(calendar.clock);
  double rows = 0, days_open = 0;
  for (const std::vector<int>& slots : calendar.session) {
    rows += static_cast<double>(slots.size());
    days_open += slots.empty() ? 0 : 1;
  }
  if (rows == 0) return 365.25 * kSecondsADay / static_cast<double>(calendar.step.count());
  return days_open <= 5 ? 252 * rows / days_open : 365.25 * rows / 7;
}

std::string_view period_noun(Clock clock) {
  return clock == Clock::business_day ? "day" : clock == Clock::minute ? "bar" : to_string(clock);
}

}  // namespace brace::inline v0
