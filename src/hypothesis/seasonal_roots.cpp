// SPDX-License-Identifier: Apache-2.0
// Seasonal unit roots and suggested differences. Covered by tests/hypothesis/unit_root_test.cpp.
#include "brace/hypothesis/seasonal_roots.hpp"

#include <fmt/format.h>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/series/transform.hpp"
#include "hypothesis/by_law.hpp"
#include "hypothesis/unit_root_statistics.hpp"

namespace brace::inline v0::hypothesis {
namespace {

using laws::SimulatedLaw;

SimulatedLaw law_after(SimulatedLaw first, int step) {
  return static_cast<SimulatedLaw>(static_cast<int>(first) + step);
}

}  // namespace

std::vector<TestResult> seasonal_roots(const Series& series, const SeasonalRootsOptions& options) {
  const int S = options.period;
  if (S != 4 && S != 12)
    throw Error(ErrorCode::bad_option,
                fmt::format("period = {}: seasonal unit roots are tested for periods 4 and 12", S));
  const SimulatedLaw first = S == 4 ? (options.with_trend ? SimulatedLaw::quarter_zero_trend
                                                          : SimulatedLaw::quarter_zero_constant)
                                    : (options.with_trend ? SimulatedLaw::month_zero_trend
                                                          : SimulatedLaw::month_zero_constant);
  require_usable(series, static_cast<std::size_t>(laws::least_T(first) + 2 * S),
                 "a test of seasonal roots");
  const int most = std::min(S, static_cast<int>(series.size()) / 6);
  if (options.rule == LagRule::maic || options.rule == LagRule::t)
    throw Error(ErrorCode::bad_option,
                "lags of a test of seasonal roots are a number, or chosen by aic or bic");
  if (options.rule == LagRule::fixed && (options.lags < 0 || options.lags > most))
    throw Error(ErrorCode::bad_option,
                fmt::format("lags = {}: a test of seasonal roots on {} observations takes 0 to {}",
                            options.lags, text::count(series.size()), most));
  const int k = options.rule == LagRule::fixed
                    ? options.lags
                    : unit_root::choose_seasonal_lags(series.values, S, options.with_trend,
                                                      options.rule, most);
  const auto roots = unit_root::seasonal_roots(series.values, S, options.with_trend, k);
  const auto of = [&](const std::string& variant, double statistic, int law,
                      unit_root::RejectsWhen when) {
    TestResult test = unit_root::by_law("seasonal-roots", variant, statistic, law_after(first, law),
                                        static_cast<int>(roots.rows), when);
    test.null = fmt::format("there are unit roots at {}", variant.substr(variant.find(", ") + 2));
    test.lags = k;
    test.deterministic = options.with_trend ? Deterministic::trend : Deterministic::constant;
    return test;
  };
  using enum unit_root::RejectsWhen;
  std::vector<TestResult> tests{of("t, frequency zero", roots.zero, 0, low)};
  for (std::size_t j = 0; j < roots.pairs.size(); ++j)
    tests.push_back(of(fmt::format("F, {} a year", text::plural(j + 1, "turn", "turns")),
                       roots.pairs[j], 2, high));
  tests.push_back(of(fmt::format("t, {} turns a year", S / 2), *roots.alternating, 1, low));
  tests.push_back(of("F, all seasonal frequencies", roots.seasonal, 3, high));
  tests.push_back(of("F, all frequencies", roots.all, 4, high));
  return tests;
}

DifferencesSuggested suggest_differences(const Series& series, std::optional<int> given,
                                         const BatteryOptions& options) {
  const int period = given.value_or(0);
  DifferencesSuggested out;
  Series x = series;
  std::string season;
  if (period > 1) {
    const bool drifts = unit_root::drifts(series);
    const auto roots = seasonal_roots(series, {.period = period, .with_trend = drifts});
    const TestResult& seasonal = roots[roots.size() - 2];
    out.tests.push_back(seasonal);
    if (!*seasonal.rejects()) {
      out.seasonal = 1;
      const auto S = static_cast<std::size_t>(period);
      Series changed = x;
      changed.keep_rows(S, x.size());
      for (std::size_t t = S; t < x.size(); ++t)
        changed.values[t - S] = x.values[t] - x.values[t - S];
      changed.name = fmt::format("seasonal difference of {}", x.name);
      x = std::move(changed);
      season = fmt::format("the season's unit roots are not rejected (p {}), ",
                           text::p_value(seasonal.p_value, seasonal.p_floor));
    } else {
      season = fmt::format("the season's unit roots are rejected (p {}), ",
                           text::p_value(seasonal.p_value, seasonal.p_floor));
    }
  }
  BatteryOptions deciding = options;
  deciding.only = {"adf", "pp", "df-gls", "kpss"};
  if (out.seasonal > 0) deciding.deterministic = {};  // that given was the level's
  for (; out.regular < 2; ++out.regular) {
    const UnitRootBattery battery = unit_root_battery(x, deciding);
    out.tests.insert(out.tests.end(), battery.tests.begin(), battery.tests.end());
    if (!asks_for_difference(battery)) break;
    deciding.deterministic = {};  // that given was the level's
    x = differences(x);
  }
  out.reading = fmt::format(
      "{}: {}{}", series.name, season,
      out.regular == 0 && out.seasonal == 0 ? "no difference is needed"
      : out.seasonal == 0
          ? text::plural(static_cast<std::size_t>(out.regular), "difference", "differences")
      : out.regular == 0
          ? fmt::format("one difference over {}", period)
          : fmt::format("one difference over {} and {} over 1", period, out.regular));
  return out;
}

}  // namespace brace::inline v0::hypothesis
