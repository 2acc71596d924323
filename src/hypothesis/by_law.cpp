// SPDX-License-Identifier: Apache-2.0
// Shared by the unit-root tests. Covered by tests/hypothesis/unit_root_test.cpp.
#include "hypothesis/by_law.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/series/split.hpp"
#include "brace/series/transform.hpp"
#include "hypothesis/own_lags.hpp"
#include "hypothesis/unit_root_statistics.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis::unit_root {

int lags_for(const std::vector<double>& y, Deterministic terms, LagRule rule, int lags,
             std::optional<int> max_lags, const std::string& test) {
  const auto n = static_cast<std::size_t>(
      std::count_if(y.begin(), y.end(), [](double v) { return !std::isnan(v); }));
  const int most = static_cast<int>(n) / 2 - 4;
  const int asked = rule == LagRule::fixed ? lags : max_lags.value_or(0);
  if (asked < 0 || asked > most)
    throw Error(ErrorCode::bad_option,
                fmt::format("lags = {}: {} test on {} observations takes 0 to {}", asked, test,
                            text::count(n), most));
  // Missing values take the rows after them along; a few more rows than terms must be left.
  const auto carries = [&](int k) {
    constexpr int kSpare = 6, kTerms = 3;
    return whole_rows(y, k) >= static_cast<std::size_t>(k + kTerms + kSpare);
  };
  int tried = rule == LagRule::fixed ? lags : max_lags.value_or(most_lags(n));
  while (rule != LagRule::fixed && tried > 0 && !carries(tried)) --tried;
  if (!carries(tried))
    throw Error(ErrorCode::too_few_observations,
                fmt::format("{} test with {}: missing values leave {} of {} rows with all values "
                            "before them; take a slower clock (`regroup` week:last)",
                            test, text::plural(static_cast<std::size_t>(tried), "lag", "lags"),
                            text::count(whole_rows(y, tried)), text::count(y.size())));
  return rule == LagRule::fixed ? lags : choose_lags(y, terms, rule, tried);
}

TestResult by_law(const std::string& id, const std::string& variant, double statistic,
                  laws::SimulatedLaw law, int T, RejectsWhen rejects) {
  TestResult test;
  test.test = id;
  test.variant = variant;
  test.null = "there is a unit root";
  test.statistic = statistic;
  test.p_floor = laws::floor_of(law);
  const bool low = rejects == RejectsWhen::low;
  const double p = low ? laws::lower_tail(law, statistic, T) : laws::upper_tail(law, statistic, T);
  test.p_value = std::max(p, *test.p_floor);
  const auto at = [&](double level) { return laws::quantile(law, low ? level : 1 - level, T); };
  test.critical = CriticalValues{at(0.01), at(0.05), at(0.10)};
  test.observations = static_cast<std::size_t>(T);
  test.reading = *test.rejects() ? "a unit root is rejected" : "a unit root is not rejected";
  return test;
}

laws::SimulatedLaw law_with(laws::SimulatedLaw constant, laws::SimulatedLaw trend,
                            Deterministic terms) {
  return terms == Deterministic::trend ? trend : constant;
}

Series latest_rows(const Series& series) {
  constexpr std::size_t kEnough = 5000;
  return series.size() > kEnough ? rows_between(series, series.size() - kEnough, series.size())
                                 : series;
}

namespace {

// The slope over time is away from zero at 5 %: least squares, with the long-run variance of the
// residuals by an autoregression.
bool slopes(const Series& series) {
  const std::vector<std::size_t> rows = rows_with_lags(series.values, 0);
  const auto n = static_cast<Eigen::Index>(rows.size());
  Eigen::MatrixXd X(n, 2);
  Eigen::VectorXd y(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    X.row(i) << 1, static_cast<double>(t);
    y(i) = series.values[t];
  }
  const maths::Regression fit = maths::regress(X, y);
  const double variance =
      maths::spectral_variance({fit.residuals.data(), rows.size()}, {}, /*by_bic=*/true).value;
  const double spread = (X.col(1).array() - X.col(1).mean()).square().sum();
  return std::abs(fit.coefficients(1)) > laws::normal_quantile(.975) * std::sqrt(variance / spread);
}

}  // namespace

bool drifts(const Series& series) {
  const Series steps = differences(series);
  const std::vector<double> x = steps.present_values();
  const bool varies = std::any_of(x.begin(), x.end(), [&](double v) { return v != x.front(); });
  if (!varies) return !x.empty() && x.front() != 0;
  if (*mean_zero_test(steps).rejects()) return true;
  if (!slopes(series)) return false;
  try {
    return adf(latest_rows(series), {.deterministic = Deterministic::trend}).p_value.value_or(1) <
           .01;
  } catch (const Error&) {
    return false;  // too few rows, or an exact line: the tests themselves say so
  }
}

TestResult::Break break_at(const Series& series, std::size_t rows_before) {
  return {rows_before - 1,
          series.times.empty() ? std::nullopt : std::optional(series.times[rows_before - 1])};
}

}  // namespace brace::inline v0::hypothesis::unit_root
