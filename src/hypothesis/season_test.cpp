// SPDX-License-Identifier: Apache-2.0
// Kruskal and Wallis on seasons. Covered by tests/hypothesis/first_look_test.cpp.
#include "brace/hypothesis/season_test.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/text.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/laws/standard.hpp"
#include "hypothesis/own_lags.hpp"

namespace brace::inline v0::hypothesis {
namespace {

struct Labelled {
  double value;
  std::size_t group;
};

// H and its number of groups; ranks of ties are averaged and H divided by 1 - sum(t^3 - t)/(n^3 -
// n).
TestResult kruskal_wallis(std::vector<Labelled> values, std::size_t groups) {
  std::sort(values.begin(), values.end(),
            [](const Labelled& a, const Labelled& b) { return a.value < b.value; });
  std::vector<double> rank_sum(groups), count(groups);
  const auto n = static_cast<double>(values.size());
  double ties = 0;
  for (std::size_t begin = 0; begin < values.size();) {
    std::size_t end = begin;
    while (end < values.size() && values[end].value == values[begin].value) ++end;
    const auto t = static_cast<double>(end - begin);
    const double rank = static_cast<double>(begin + end + 1) / 2;
    for (; begin < end; ++begin) {
      rank_sum[values[begin].group] += rank;
      ++count[values[begin].group];
    }
    ties += t * t * t - t;
  }
  double h = 0;
  std::size_t filled = 0;
  for (std::size_t g = 0; g < groups; ++g)
    if (count[g] > 0) {
      h += rank_sum[g] * rank_sum[g] / count[g];
      ++filled;
    }
  const double correction = 1 - ties / (n * n * n - n);
  TestResult test;
  test.test = "kruskal-wallis";
  test.variant = "chi-squared";
  test.observations = values.size();
  test.statistic =
      correction > 0 ? std::max(0.0, (12 / (n * (n + 1)) * h - 3 * (n + 1)) / correction) : 0;
  test.dof = {static_cast<double>(filled) - 1};
  if (filled > 1) test.p_value = laws::chi_squared_tail(test.statistic, test.dof[0]);
  return test;
}

}  // namespace

TestResult season_test(const Decomposition& parts) {
  const bool ratio = parts.form == DecompositionForm::multiplicative;
  const auto period = static_cast<std::size_t>(parts.period);
  const std::size_t n = parts.series.size();
  std::vector<double> values = parts.series.values, means(period), counts(period);
  if (ratio)
    for (double& v : values) v = std::log(v);
  for (std::size_t t = 0; t < n; ++t) {
    if (std::isnan(values[t])) continue;
    means[t % period] += values[t] - (ratio ? std::log(parts.trend[t]) : parts.trend[t]);
    ++counts[t % period];
  }
  // Ranks are compared as if rows were independent. Less their trend they are not: it takes the
  // slow part of the noise and leaves that of the season, and of white series of 300 rows with
  // period 5 one in five had a season. Less their memory they are, and what repeats is left.
  std::vector<double> unseasonal = values;
  for (std::size_t t = 0; t < n; ++t)
    if (counts[t % period] > 0) unseasonal[t] -= means[t % period] / counts[t % period];
  const OwnLags memory = own_lags(unseasonal);
  const std::vector<double> white = without(memory, values);
  std::vector<Labelled> placed;
  for (std::size_t t = 0; t < n; ++t)
    if (!std::isnan(white[t])) placed.push_back({white[t], t % period});
  TestResult test = kruskal_wallis(std::move(placed), period);
  test.null = "no season: the same law at every place in the period";
  if (const auto lags = static_cast<std::size_t>(memory.coefficients.size()); lags > 0) {
    test.lags = static_cast<int>(lags);
    test.null = "no season beside " + text::plural(lags, "own lag", "own lags");
  }
  test.reading = test.rejects().value_or(false) ? "there is a season" : "no sign of a season";
  return test;
}

TestResult profile_test(const Series& series, ProfileBy by) {
  const VolatilityProfile profile = volatility_profile(series, by);
  const double middle = maths::median(series.present_values());
  std::vector<Labelled> values;
  for (std::size_t t = 0; t < series.size(); ++t)
    if (!std::isnan(series.values[t]))
      values.push_back({std::abs(series.values[t] - middle), slot_of(profile, series.times[t])});
  TestResult test = kruskal_wallis(std::move(values), profile.slots.size());
  const bool hours = by == ProfileBy::time_of_day;
  test.null = hours ? "moves are of the same size at each time of day"
                    : "moves are of the same size on each weekday";
  test.reading =
      test.rejects().value_or(false)
          ? (hours ? "volatility depends on the time of day" : "volatility depends on the weekday")
          : (hours ? "no sign that volatility depends on the time of day"
                   : "no sign that volatility depends on the weekday");
  return test;
}

}  // namespace brace::inline v0::hypothesis

namespace brace::inline v0 {

void print(std::ostream& out, const VolatilityProfile& profile, const TestResult& test,
           const Series& series) {
  const auto [least, most] =
      std::minmax_element(profile.slots.begin(), profile.slots.end(),
                          [](const auto& a, const auto& b) { return a.factor < b.factor; });
  out << text::wrap(fmt::format("{0}: {1}, from {2} times the average {6} {3} to {4} {6} {5}.",
                                text::sentence(series.name), test.reading,
                                text::fixed(least->factor, 2), least->label,
                                text::fixed(most->factor, 2), most->label,
                                profile.by == ProfileBy::weekday ? "on" : "at"))
      << fmt::format("\n  {:<11}{:>8}{:>10}{:>12}{:>9}{:>8}\n",
                     profile.by == ProfileBy::weekday ? "day" : "time", "values", "mean",
                     "volatility", "factor", "error");
  for (const VolatilityProfile::Slot& slot : profile.slots) {
    // Twenty cells to twice the average, which is marked.
    std::string bar(30, ' ');
    const auto reach = static_cast<std::size_t>(std::clamp(std::lround(10 * slot.factor), 0L, 30L));
    std::fill_n(bar.begin(), reach, '=');
    bar[9] = '|';
    out << fmt::format("  {:<11}{:>8}{:>10}{:>12}{:>9}{:>8}   {}\n", slot.label,
                       text::count(slot.count), text::significant(slot.mean, 2),
                       text::significant(slot.volatility, 3), text::fixed(slot.factor, 2),
                       text::fixed(slot.error, 2), bar);
  }
  out << fmt::format("\n  {:<17}{:>9}  p {:<9}null: {}\n", test.test,
                     text::significant(test.statistic, 4), text::p_value(test.p_value), test.null);
}

}  // namespace brace::inline v0
