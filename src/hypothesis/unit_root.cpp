// SPDX-License-Identifier: Apache-2.0
// ADF, Phillips-Perron, KPSS. Covered by tests/hypothesis/unit_root_test.cpp.
#include "brace/hypothesis/unit_root.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"
#include "brace/laws/kpss.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "hypothesis/by_law.hpp"
#include "hypothesis/unit_root_statistics.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis {
namespace {

using Eigen::Index;
using laws::SimulatedLaw;

// Laws of one statistic follow one another: none, constant, trend.
SimulatedLaw law_of(SimulatedLaw none, Deterministic terms) {
  return static_cast<SimulatedLaw>(static_cast<int>(none) + static_cast<int>(terms));
}

int bandwidth_of(const Bandwidth& asked, std::span<const double> u, double rule) {
  if (!asked.number && asked.rule == Bandwidth::Rule::newey_west)
    return maths::automatic_bandwidth(u);
  return given_or(asked.number, static_cast<int>(rule), "bandwidth", 0);
}

void refuse_collinear(bool collinear, const Series& series, const char* test) {
  if (collinear)
    throw Error(ErrorCode::constant_series,
                fmt::format("{}: the terms of the {} regression are collinear; take fewer lags or "
                            "terms",
                            series.name, test));
}

}  // namespace

TestResult adf(const Series& series, const AdfOptions& options) {
  require_usable(series, 24, "an ADF test");
  const int k = unit_root::lags_for(series.values, options.deterministic, options.rule,
                                    options.lags, options.max_lags, "an ADF");
  const auto fit = unit_root::autoregress(series.values, k, options.deterministic, k);
  refuse_collinear(!(fit.error > 0), series, "ADF");
  TestResult test =
      unit_root::by_law("adf", "t", fit.t(), law_of(SimulatedLaw::tau_none, options.deterministic),
                        static_cast<int>(fit.rows));
  test.lags = k;
  test.deterministic = options.deterministic;
  return test;
}

TestResult phillips_perron(const Series& series, const PhillipsPerronOptions& options) {
  require_usable(series, 24, "a Phillips-Perron test");
  const std::vector<double> y = series.present_values();
  const auto N = static_cast<double>(y.size() - 1);
  std::vector<double> steps;
  for (std::size_t t = 1; t < y.size(); ++t) steps.push_back(y[t] - y[t - 1]);
  const int bandwidth = bandwidth_of(options.bandwidth, steps, 4 * std::pow(N / 100, 2.0 / 9));
  const auto z = unit_root::phillips_perron(y, options.deterministic, bandwidth);
  refuse_collinear(!std::isfinite(z.tau), series, "Phillips-Perron");
  TestResult test = unit_root::by_law(
      "pp", options.rho ? "rho" : "t", options.rho ? z.rho : z.tau,
      law_of(options.rho ? SimulatedLaw::rho_none : SimulatedLaw::tau_none, options.deterministic),
      static_cast<int>(z.rows));
  test.bandwidth = bandwidth;
  test.deterministic = options.deterministic;
  return test;
}

TestResult kpss(const Series& series, const KpssOptions& options) {
  require_usable(series, 10, "a KPSS test");
  const std::vector<double> y = series.present_values();
  const auto n = static_cast<Index>(y.size());
  Eigen::MatrixXd X(n, options.with_trend ? 2 : 1);
  for (Index i = 0; i < n; ++i) {
    X(i, 0) = 1;
    if (options.with_trend) X(i, 1) = static_cast<double>(i + 1);
  }
  const Eigen::Map<const Eigen::VectorXd> values(y.data(), n);
  const maths::Regression fit = maths::regress(X, values);
  const std::span<const double> residuals(fit.residuals.data(), y.size());
  const int bandwidth =
      bandwidth_of(options.bandwidth, residuals, 4 * std::pow(static_cast<double>(n) / 100, 0.25));
  double partial = 0, total = 0;
  for (const double u : residuals) {
    partial += u;
    total += partial * partial;
  }
  const double l2 = maths::long_run_variance(residuals, bandwidth);

  TestResult test;
  test.test = "kpss";
  test.variant = options.with_trend ? "trend" : "level";
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

}  // namespace brace::inline v0::hypothesis
