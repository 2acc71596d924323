// SPDX-License-Identifier: Apache-2.0
// ADF, KPSS and their joint verdict. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "brace/hypothesis/unit_root.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/laws/kpss.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/maths/regression.hpp"
#include "brace/series/transform.hpp"

namespace brace {
namespace {

using Eigen::Index;

struct AdfRegression {
  Regression fit;
  std::size_t rows = 0;
  Index rho = 0;  // column of y_{t-1}
};

// The test regression with k lagged differences, on the rows where all terms of a regression with
// `reach` >= k lagged differences are present.
AdfRegression run_adf(const std::vector<double>& y, int k, Deterministic terms, int reach) {
  const auto difference = [&](std::size_t t) { return y[t] - y[t - 1]; };
  std::vector<std::size_t> rows;
  for (auto t = static_cast<std::size_t>(reach) + 1; t < y.size(); ++t) {
    double whole = y[t];
    for (int j = 1; j <= reach + 1; ++j) whole += y[t - static_cast<std::size_t>(j)];
    if (!std::isnan(whole)) rows.push_back(t);
  }
  const Index fixed = terms == Deterministic::none ? 0 : terms == Deterministic::constant ? 1 : 2;
  Eigen::MatrixXd X(static_cast<Index>(rows.size()), fixed + 1 + k);
  Eigen::VectorXd dy(static_cast<Index>(rows.size()));
  for (Index i = 0; i < dy.size(); ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    dy(i) = difference(t);
    if (fixed > 0) X(i, 0) = 1;
    if (fixed > 1) X(i, 1) = static_cast<double>(t + 1);
    X(i, fixed) = y[t - 1];
    for (int j = 1; j <= k; ++j) X(i, fixed + j) = difference(t - static_cast<std::size_t>(j));
  }
  return {regress(X, dy), rows.size(), fixed};
}

// N ln(SSR/N) + penalty * regressors on the sample common to all candidates; the smallest k wins a
// tie.
int choose_lags(const std::vector<double>& y, const AdfOptions& options, int most) {
  int best = 0;
  double least = std::numeric_limits<double>::infinity();
  for (int k = 0; k <= most; ++k) {
    const AdfRegression r = run_adf(y, k, options.deterministic, most);
    const auto N = static_cast<double>(r.rows);
    const double penalty = options.rule == LagRule::aic ? 2 : std::log(N);
    const double value =
        N * std::log(r.fit.ssr / N) + penalty * static_cast<double>(r.fit.coefficients.size());
    if (value < least) {
      least = value;
      best = k;
    }
  }
  return best;
}

std::string_view kpss_name(bool with_trend) {
  return with_trend ? "trend" : "level";
}

}  // namespace

TestResult adf(const Series& series, const AdfOptions& options) {
  require_usable(series, 24, "an ADF test");
  const std::vector<double>& y = series.values;
  const auto n = static_cast<double>(series.present());
  int k = options.lags;
  if (options.rule != LagRule::fixed) {
    const int most =
        options.max_lags > 0 ? options.max_lags : static_cast<int>(12 * std::pow(n / 100, 0.25));
    k = choose_lags(y, options, most);
  } else if (k < 0 || k > static_cast<int>(n) / 2 - 4) {
    throw Error(ErrorCode::bad_option,
                fmt::format("lags = {}: an ADF test on {} observations takes 0 to {}", k,
                            text::count(series.present()), static_cast<int>(n) / 2 - 4));
  }
  const AdfRegression r = run_adf(y, k, options.deterministic, k);
  const int T = static_cast<int>(r.rows);
  if (r.fit.errors.size() == 0)
    throw Error(ErrorCode::constant_series,
                fmt::format("{}: the terms of the ADF regression are collinear; take fewer lags or "
                            "terms",
                            series.name));

  TestResult test;
  test.test = "adf";
  test.variant = "t";
  test.null = "there is a unit root";
  test.statistic = r.fit.coefficients(r.rho) / r.fit.errors(r.rho);
  test.lags = k;
  test.observations = r.rows;
  test.deterministic = options.deterministic;
  test.p_floor = laws::kDickeyFullerFloor;
  test.p_value = std::max(laws::dickey_fuller_p(test.statistic, T, options.deterministic),
                          laws::kDickeyFullerFloor);
  const auto at = [&](double p) {
    return laws::dickey_fuller_quantile(p, T, options.deterministic);
  };
  test.critical = CriticalValues{at(0.01), at(0.05), at(0.10)};
  test.reading = *test.rejects() ? "a unit root is rejected" : "a unit root is not rejected";
  return test;
}

TestResult kpss(const Series& series, const KpssOptions& options) {
  require_usable(series, 10, "a KPSS test");
  const std::vector<double> y = series.present_values();
  const auto n = static_cast<Index>(y.size());
  const int bandwidth = options.bandwidth >= 0
                            ? options.bandwidth
                            : static_cast<int>(4 * std::pow(static_cast<double>(n) / 100, 0.25));
  Eigen::MatrixXd X(n, options.with_trend ? 2 : 1);
  for (Index i = 0; i < n; ++i) {
    X(i, 0) = 1;
    if (options.with_trend) X(i, 1) = static_cast<double>(i + 1);
  }
  const Eigen::Map<const Eigen::VectorXd> values(y.data(), n);
  const Regression fit = regress(X, values);
  double partial = 0, total = 0;
  for (Index i = 0; i < n; ++i) {
    partial += fit.residuals(i);
    total += partial * partial;
  }
  const double l2 = long_run_variance({fit.residuals.data(), y.size()}, bandwidth);

  TestResult test;
  test.test = "kpss";
  test.variant = kpss_name(options.with_trend);
  test.null = options.with_trend ? "it is stationary around a trend" : "it is stationary";
  test.statistic = total / (static_cast<double>(n) * static_cast<double>(n) * l2);
  test.bandwidth = bandwidth;
  test.observations = y.size();
  test.deterministic = options.with_trend ? Deterministic::trend : Deterministic::constant;
  test.p_value = laws::kpss_p(test.statistic, options.with_trend);
  const auto at = [&](double p) { return laws::kpss_critical(p, options.with_trend); };
  test.critical = CriticalValues{at(0.01), at(0.05), at(0.10)};
  test.reading = *test.rejects() ? "stationarity is rejected" : "stationarity is not rejected";
  return test;
}

std::string_view to_string(StationarityVerdict verdict) {
  switch (verdict) {
    case StationarityVerdict::stationary: return "stationary";
    case StationarityVerdict::trend_stationary: return "trend-stationary";
    case StationarityVerdict::unit_root: return "unit-root";
    case StationarityVerdict::conflict: return "conflict";
  }
  return "conflict";
}

UnitRootBattery unit_root_battery(const Series& series, const BatteryOptions& options) {
  UnitRootBattery battery;
  battery.of = series.name;
  const bool drifts = *mean_zero(differences(series)).rejects();
  battery.deterministic =
      options.deterministic.value_or(drifts ? Deterministic::trend : Deterministic::constant);
  AdfOptions for_adf = options.adf;
  for_adf.deterministic = battery.deterministic;
  KpssOptions for_kpss = options.kpss;
  for_kpss.with_trend = battery.deterministic == Deterministic::trend;
  battery.tests = {adf(series, for_adf), kpss(series, for_kpss)};

  const bool unit_root_rejected = *battery.tests[0].rejects();
  const bool stationarity_rejected = *battery.tests[1].rejects();
  if (unit_root_rejected && !stationarity_rejected) {
    battery.verdict = for_kpss.with_trend ? StationarityVerdict::trend_stationary
                                          : StationarityVerdict::stationary;
    battery.reading = fmt::format("{} is stationary{}: both tests agree", series.name,
                                  for_kpss.with_trend ? " around a trend" : "");
  } else if (!unit_root_rejected && stationarity_rejected) {
    battery.verdict = StationarityVerdict::unit_root;
    battery.reading = fmt::format("{} has a unit root: both tests agree", series.name);
  } else if (unit_root_rejected) {
    battery.reading = fmt::format(
        "the tests on {} conflict: both nulls are rejected, as long memory or a break would do",
        series.name);
  } else {
    battery.reading =
        fmt::format("the tests on {} conflict: neither null is rejected, so the sample cannot tell",
                    series.name);
  }
  if (drifts && battery.deterministic != Deterministic::trend)
    battery.warnings.push_back(
        {WarningCode::trend_missing,
         fmt::format("{} drifts, and a test without trend term then finds a unit root whatever the "
                     "truth; add --deterministic trend",
                     series.name)});
  if (series.missing() > 0)
    battery.warnings.push_back(
        {WarningCode::gaps_dropped,
         fmt::format("{} missing in {}: adf drops the rows they touch, kpss closes the gaps",
                     text::plural(series.missing(), "value is", "values are"), series.name)});
  return battery;
}

UnitRootReport compare_unit_roots(const Series& level, const Series& change,
                                  const BatteryOptions& options) {
  UnitRootReport report;
  BatteryOptions for_change = options;
  for_change.deterministic = Deterministic::constant;
  report.batteries = {unit_root_battery(level, options), unit_root_battery(change, for_change)};
  // The change has the gaps of the level and more: one word on them is enough.
  if (level.missing() > 0)
    std::erase_if(report.batteries[1].warnings,
                  [](const Warning& w) { return w.code == WarningCode::gaps_dropped; });
  const StationarityVerdict of_level = report.batteries[0].verdict;
  const StationarityVerdict of_change = report.batteries[1].verdict;
  using enum StationarityVerdict;
  if (of_level == unit_root && of_change == stationary)
    report.reading =
        fmt::format("{} has a unit root; {} does not. Model the latter.", level.name, change.name);
  else if (of_level == stationary)
    report.reading =
        fmt::format("{} is stationary as it is: model it without differencing.", level.name);
  else if (of_level == trend_stationary)
    report.reading =
        fmt::format("{} is stationary around a trend: model it with a trend, do not difference it.",
                    level.name);
  else
    report.reading = fmt::format("On {}: {}. On {}: {}.", level.name, report.batteries[0].reading,
                                 change.name, report.batteries[1].reading);
  return report;
}

std::ostream& operator<<(std::ostream& out, const UnitRootReport& report) {
  out << text::wrap(text::sentence(report.reading)) << '\n';
  const std::size_t tests = report.batteries.front().tests.size();
  for (std::size_t i = 0; i < tests; ++i) {
    const TestResult& first = report.batteries.front().tests[i];
    out << fmt::format("  null: {} (a small p speaks against it)\n",
                       first.test == "adf" ? "there is a unit root" : "it is stationary");
    for (const UnitRootBattery& battery : report.batteries) {
      const TestResult& t = battery.tests[i];
      const std::string how = t.lags
                                  ? text::plural(static_cast<std::size_t>(*t.lags), "lag", "lags")
                                  : fmt::format("bandwidth {}", t.bandwidth.value_or(0));
      out << fmt::format("    {:<6}{:<32}{:<10}{:<14}{:>8}  p {:<9}5 % at {}\n", t.test, battery.of,
                         to_string(*t.deterministic), how, text::fixed(t.statistic, 2),
                         text::p_value(t.p_value, t.p_floor), text::fixed(t.critical->at_5, 2));
    }
  }
  for (const UnitRootBattery& battery : report.batteries)
    for (const Warning& warning : battery.warnings)
      out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
