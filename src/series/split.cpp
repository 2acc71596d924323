// SPDX-License-Identifier: Apache-2.0
// Windows, hold-out, slower clocks. Covered by tests/series/parts_test.cpp.
#include "brace/series/split.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"

namespace brace::inline v0 {
namespace {

using std::chrono::days;
using std::chrono::floor;
using std::chrono::year_month_day;

// A number that grows by one from period to period.
long period_number(Clock clock, Timestamp when) {
  const auto day = floor<days>(when);
  const year_month_day date(day);
  const long month = 12L * static_cast<int>(date.year()) +
                     static_cast<int>(static_cast<unsigned>(date.month())) - 1;
  switch (clock) {
    case Clock::minute: return floor<std::chrono::minutes>(when).time_since_epoch().count();
    case Clock::hour: return floor<std::chrono::hours>(when).time_since_epoch().count();
    case Clock::week: return floor<std::chrono::weeks>(day - days(4)).time_since_epoch().count();
    case Clock::month: return month;
    case Clock::quarter: return month / 3;
    case Clock::year: return month / 12;
    case Clock::day:
    case Clock::business_day: return day.time_since_epoch().count();
    case Clock::row: break;
  }
  return 0;
}

struct Group {
  std::size_t begin, end;
};

// Runs of rows that fall in one period of the clock.
std::vector<Group> groups_of(const Series& s, Clock to) {
  if (s.times.empty() || to == Clock::row)
    throw Error(ErrorCode::bad_option,
                fmt::format("regroup: {} needs dates to be put on a slower clock", s.name));
  const auto faster = periods_per_year(s.clock), slower = periods_per_year(to);
  if (faster && *faster <= *slower)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("regroup: {} is kept by the {} already; choose a clock slower than that",
                    s.name, to_string(s.clock)));
  std::vector<Group> groups;
  for (std::size_t i = 0; i < s.size(); ++i) {
    if (i == 0 || period_number(to, s.times[i]) != period_number(to, s.times[i - 1]))
      groups.push_back({i, i});
    groups.back().end = i + 1;
  }
  return groups;
}

double aggregate(const std::vector<double>& values, Group group, Aggregate how) {
  double sum = 0, last = kNaN;
  std::size_t present = 0;
  for (std::size_t i = group.begin; i < group.end; ++i) {
    if (std::isnan(values[i])) continue;
    last = values[i];
    sum += last;
    ++present;
  }
  switch (how) {
    case Aggregate::last: return last;
    case Aggregate::mean: return present > 0 ? sum / static_cast<double>(present) : kNaN;
    case Aggregate::sum: return present == group.end - group.begin ? sum : kNaN;
  }
  return kNaN;
}

}  // namespace

Series rows_between(const Series& series, std::size_t begin, std::size_t end) {
  if (begin >= end || end > series.size())
    throw Error(ErrorCode::bad_option,
                fmt::format("rows {} to {}: {} has rows 1 to {}; choose a part of them", begin + 1,
                            end, series.name, series.size()));
  Series part = series;
  part.keep_rows(begin, end);
  return part;
}

Series dates_between(const Series& series, std::optional<Timestamp> first,
                     std::optional<Timestamp> last) {
  if (series.times.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("a window by date: {} has no dates", series.name));
  const auto& t = series.times;
  const auto begin = first ? std::lower_bound(t.begin(), t.end(), *first) : t.begin();
  const auto end = last ? std::upper_bound(t.begin(), t.end(), *last) : t.end();
  if (begin >= end)
    throw Error(ErrorCode::bad_option,
                fmt::format("a window by date: no row of {} lies in it; it runs from {} to {}",
                            series.name, series.when(0), series.when(series.size() - 1)));
  return rows_between(series, static_cast<std::size_t>(begin - t.begin()),
                      static_cast<std::size_t>(end - t.begin()));
}

std::size_t rows_held_out(const Series& series, const HoldOut& h) {
  const int given = h.count.has_value() + h.share.has_value() + h.from.has_value();
  if (given != 1) throw Error(ErrorCode::bad_option, "hold-out: give one of count, share and from");
  if (h.share && !(*h.share > 0 && *h.share < 1))
    throw Error(ErrorCode::bad_option,
                fmt::format("hold-out: share = {}: must lie in (0, 1)", *h.share));
  if (h.from && series.times.empty())
    throw Error(ErrorCode::bad_option, fmt::format("hold-out: {} has no dates", series.name));
  const std::size_t n = series.size();
  std::size_t rows = h.count.value_or(0);
  if (h.share) rows = static_cast<std::size_t>(*h.share * static_cast<double>(n));
  if (h.from)
    rows = static_cast<std::size_t>(
        series.times.end() - std::lower_bound(series.times.begin(), series.times.end(), *h.from));
  if (rows == 0 || rows >= n)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("hold-out: would keep back {} of {} rows; leave at least one on each side",
                    text::count(rows), text::count(n)));
  return rows;
}

HoldOutSplit split(const Series& series, const HoldOut& hold_out) {
  const std::size_t training = series.size() - rows_held_out(series, hold_out);
  return {rows_between(series, 0, training), rows_between(series, training, series.size())};
}

namespace {

// The values with a missing one at each place.
std::vector<double> spread_out(const std::vector<double>& values,
                               std::span<const AbsentDates::Place> places) {
  std::vector<double> out;
  out.reserve(values.size() + places.size());
  std::size_t from = 0;
  for (const AbsentDates::Place& place : places) {
    for (; from < place.before; ++from) out.push_back(values[from]);
    out.push_back(kNaN);
  }
  out.insert(out.end(), values.begin() + static_cast<std::ptrdiff_t>(from), values.end());
  return out;
}

}  // namespace

void add_missing_rows(std::span<const AbsentDates::Place> places, std::vector<Timestamp>& times,
                      std::span<std::vector<double>* const> columns) {
  std::vector<Timestamp> out;
  out.reserve(times.size() + places.size());
  std::size_t from = 0;
  for (const AbsentDates::Place& place : places) {
    for (; from < place.before; ++from) out.push_back(times[from]);
    out.push_back(place.when);
  }
  out.insert(out.end(), times.begin() + static_cast<std::ptrdiff_t>(from), times.end());
  times = std::move(out);
  for (std::vector<double>* column : columns) *column = spread_out(*column, places);
}

std::string words_of_added(std::size_t rows, Clock clock) {
  const std::string noun(period_noun(clock));
  return fmt::format("{} that the file has not {} added as missing",
                     text::plural(rows, noun, noun + "s"), rows == 1 ? "was" : "were");
}

Series with_absent_rows(const Series& series, bool whatever_the_clock) {
  const AbsentDates absent = absent_dates(learn_calendar(series.times, series.clock), series.times);
  if (absent.places.empty() || !(absent.trusted || whatever_the_clock)) return series;
  Series out = series;
  std::vector<std::vector<double>*> columns{&out.values};
  for (Companion& companion : out.companions) columns.push_back(&companion.values);
  add_missing_rows(absent.places, out.times, columns);
  out.account.notes.push_back(words_of_added(absent.places.size(), series.clock));
  return out;
}

std::optional<Aggregate> aggregate_from(std::string_view name) {
  if (name == "last") return Aggregate::last;
  if (name == "mean") return Aggregate::mean;
  if (name == "sum") return Aggregate::sum;
  return std::nullopt;
}

Series regroup(const Series& series, Clock to, Aggregate how) {
  const std::vector<Group> groups = groups_of(series, to);
  Series out = series;
  out.clock = to;
  out.keep_rows(0, 0);
  std::vector<std::size_t> sizes;
  for (const Group& group : groups) {
    out.times.push_back(series.times[group.end - 1]);
    out.values.push_back(aggregate(series.values, group, how));
    for (std::size_t c = 0; c < out.companions.size(); ++c)
      out.companions[c].values.push_back(aggregate(series.companions[c].values, group, how));
    sizes.push_back(group.end - group.begin);
  }
  // Days of a market that is shut at weekends are business days.
  if (to == Clock::day || to == Clock::business_day) out.clock = infer_clock(out.times);
  const std::size_t last = sizes.back();
  std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2),
                   sizes.end());
  const std::size_t usual = sizes[sizes.size() / 2];
  if (4 * last < 3 * usual)
    out.account.notes.push_back(fmt::format(
        "the last {} holds {} of about {} rows: perhaps unfinished", period_noun(to), last, usual));
  return with_absent_rows(out);
}

Bars bars_of(const Series& series, Clock to) {
  Bars bars;
  for (const Group& group : groups_of(series, to)) {
    double open = kNaN, high = kNaN, low = kNaN, close = kNaN;
    for (std::size_t i = group.begin; i < group.end; ++i) {
      const double v = series.values[i];
      if (std::isnan(v)) continue;
      if (std::isnan(open)) open = high = low = v;
      high = std::max(high, v);
      low = std::min(low, v);
      close = v;
    }
    bars.open.push_back(open);
    bars.high.push_back(high);
    bars.low.push_back(low);
    bars.close.push_back(close);
  }
  return bars;
}

Series without_overnight(const Series& returns, const Series& levels, Overnight how) {
  if (how == Overnight::keep) return returns;
  const auto& t = levels.times;
  const auto midnight = [](Timestamp when) { return when == floor<days>(when); };
  if (t.size() != returns.size() + 1 || std::all_of(t.begin(), t.end(), midnight))
    throw Error(ErrorCode::bad_option,
                fmt::format("overnight returns: {} has no times of day, so none can be told apart",
                            levels.name));
  std::vector<long> steps;
  for (std::size_t i = 1; i < t.size(); ++i) steps.push_back((t[i] - t[i - 1]).count());
  std::vector<long> sorted = steps;
  const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
  std::nth_element(sorted.begin(), middle, sorted.end());
  Series out = returns;
  out.keep_rows(0, 0);
  std::size_t overnight = 0;
  for (std::size_t i = 0; i < returns.size(); ++i) {
    const bool bridges = steps[i] > *middle;
    overnight += bridges ? 1 : 0;
    if (bridges && how == Overnight::drop) continue;
    out.values.push_back(bridges ? kNaN : returns.values[i]);
    out.times.push_back(returns.times[i]);
    for (std::size_t c = 0; c < out.companions.size(); ++c)
      out.companions[c].values.push_back(returns.companions[c].values[i]);
  }
  out.account.notes.push_back(
      fmt::format("{} over a pause {}", text::plural(overnight, "return", "returns"),
                  how == Overnight::drop ? "dropped" : "marked as missing"));
  return out;
}

}  // namespace brace::inline v0
