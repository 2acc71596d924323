// SPDX-License-Identifier: Apache-2.0
// Series and its validation. Covered by tests/series/series_test.cpp.
#include "brace/series/series.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"

namespace brace::inline v0 {
namespace {

// "data/kelp.csv, settle" or "series 'settle'".
std::string place(const Series& series) {
  return series.file.empty() ? fmt::format("series '{}'", series.name)
                             : fmt::format("{}, {}", series.file, series.name);
}

}  // namespace

std::size_t DataAccount::rows_dropped() const {
  return std::accumulate(dropped.begin(), dropped.end(), std::size_t{0},
                         [](std::size_t sum, const Dropped& d) { return sum + d.rows; });
}

void DataAccount::drop(std::size_t rows, const std::string& because) {
  if (rows > 0) dropped.push_back({because, rows});
}

std::size_t Series::present() const {
  return static_cast<std::size_t>(
      std::count_if(values.begin(), values.end(), [](double v) { return !std::isnan(v); }));
}

std::optional<double> Series::rows_per_year() const {
  const bool within_day = clock == Clock::hour || clock == Clock::minute;
  return within_day ? periods_per_year(learn_calendar(times, clock)) : periods_per_year(clock);
}

std::string Series::when(std::size_t i) const {
  return i < times.size() ? format_date(times[i]) : fmt::format("row {}", text::count(i + 1));
}

std::vector<double> Series::present_values() const {
  std::vector<double> kept;
  kept.reserve(values.size());
  std::copy_if(values.begin(), values.end(), std::back_inserter(kept),
               [](double v) { return !std::isnan(v); });
  return kept;
}

void Series::keep_rows(std::size_t begin, std::size_t end) {
  const auto cut = [&](auto& items) {
    if (items.empty()) return;
    items.erase(items.begin() + static_cast<std::ptrdiff_t>(end), items.end());
    items.erase(items.begin(), items.begin() + static_cast<std::ptrdiff_t>(begin));
  };
  cut(values);
  cut(times);
  for (Companion& companion : companions) cut(companion.values);
}

void Series::append(const Series& next) {
  values.insert(values.end(), next.values.begin(), next.values.end());
  times.insert(times.end(), next.times.begin(), next.times.end());
  for (std::size_t c = 0; c < companions.size() && c < next.companions.size(); ++c)
    companions[c].values.insert(companions[c].values.end(), next.companions[c].values.begin(),
                                next.companions[c].values.end());
}

bool is_return(SeriesKind kind) {
  return kind == SeriesKind::log_return || kind == SeriesKind::simple_return;
}

std::string_view to_string(Unit unit) {
  return unit == Unit::percent ? "percent" : "decimal";
}

std::string unit_a_period(std::optional<Unit> unit, std::string_view period) {
  return unit ? fmt::format("{} {} {}", to_string(*unit), period == "hour" ? "an" : "a", period) : "";
}

Series make_series(std::vector<double> values, std::string name, std::optional<Unit> unit) {
  Series series;
  series.values = std::move(values);
  series.name = std::move(name);
  series.unit = unit;
  return series;
}

namespace {

void require_a_date_each(const Series& series) {
  if (!series.times.empty() && series.times.size() != series.values.size())
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: {} dates for {} values; give one date a value, or none",
                            place(series), series.times.size(), series.values.size()));
}

void require_rising(const Series& series) {
  for (std::size_t i = 1; i < series.times.size(); ++i)
    if (series.times[i] <= series.times[i - 1])
      throw Error(series.times[i] == series.times[i - 1] ? ErrorCode::date_repeated
                                                         : ErrorCode::dates_out_of_order,
                  fmt::format("{}: {} comes after {}; sort the rows and keep one a date",
                              place(series), series.when(i), series.when(i - 1)));
}

}  // namespace

Series make_series(std::span<const double> values, std::span<const Timestamp> times,
                   std::string name, std::optional<Unit> unit) {
  Series series = make_series({values.begin(), values.end()}, std::move(name), unit);
  series.times.assign(times.begin(), times.end());
  require_a_date_each(series);
  require_rising(series);
  series.clock = infer_clock(series.times);
  return series;
}

void require_usable(const Series& series, std::size_t observations, const std::string& task) {
  require_a_date_each(series);
  const std::vector<double>& values = series.values;
  if (const auto far = std::find_if(values.begin(), values.end(),
                                    [](double v) { return std::abs(v) > kLargest; });
      far != values.end())
    throw Error(
        ErrorCode::not_finite,
        fmt::format(
            "{}, {}: {}", place(series),
            series.when(static_cast<std::size_t>(far - values.begin())),
            std::isinf(*far)
                ? std::string("the value is infinite; correct it or name it as missing")
                : fmt::format("{} is beyond {}, where squares are no numbers any more; take "
                              "another unit",
                              text::significant(*far, 6), kLargest)));
  require_rising(series);
  for (const Companion& companion : series.companions)
    if (companion.values.size() != series.size())
      throw Error(ErrorCode::bad_option,
                  fmt::format("{}: {} values of '{}' for {}; give one a row", place(series),
                              companion.values.size(), companion.name, series.size()));
  const std::size_t kept = series.present();
  if (kept < observations)
    throw Error(
        ErrorCode::too_few_observations,
        fmt::format("{}: {} for {}, which needs at least {}; give a longer series", place(series),
                    text::plural(kept, "observation", "observations"), task, observations));
  const auto first =
      std::find_if(values.begin(), values.end(), [](double v) { return !std::isnan(v); });
  if (kept > 0 &&
      std::all_of(first, values.end(), [&](double v) { return std::isnan(v) || v == *first; }))
    throw Error(
        ErrorCode::constant_series,
        fmt::format("{}: every value is {:.6g}, so there is nothing to estimate or test; is it the "
                    "right column?",
                    place(series), *first));
}

Series without_gaps(const Series& series) {
  if (series.missing() == 0) return series;
  Series out = series;
  const auto keep = [&](auto& items) {
    std::size_t kept = 0;
    for (std::size_t t = 0; t < items.size(); ++t)
      if (!std::isnan(series.values[t])) items[kept++] = items[t];
    items.resize(kept);
  };
  keep(out.values);
  keep(out.times);
  for (Companion& companion : out.companions) keep(companion.values);
  return out;
}

}  // namespace brace::inline v0
