// SPDX-License-Identifier: Apache-2.0
// Covered by tests/evaluate/scores_test.cpp.
#include "brace/evaluate/volatility.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/laws/standard.hpp"
#include "evaluate/rows.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0 {
namespace {

void require_variances(const char* test, std::span<const double> proxy,
                       std::span<const double> forecast) {
  require_same(test, proxy.size(), forecast.size());
  for (std::size_t t = 0; t < proxy.size(); ++t)
    if (!(forecast[t] > 0) || !(proxy[t] >= 0))
      throw Error(ErrorCode::bad_option,
                  fmt::format("{}: row {}: a forecast of {:g} and a proxy of {:g}; variances are "
                              "positive",
                              test, t + 1, forecast[t], proxy[t]));
}

}  // namespace

std::vector<double> qlike_by_row(std::span<const double> proxy, std::span<const double> forecast) {
  require_variances("qlike", proxy, forecast);
  std::vector<double> loss(proxy.size());
  for (std::size_t t = 0; t < loss.size(); ++t)
    loss[t] = std::log(forecast[t]) + proxy[t] / forecast[t];
  return loss;
}

VolatilityLosses volatility_losses(std::span<const double> proxy,
                                   std::span<const double> forecast) {
  require_variances("volatility losses", proxy, forecast);
  require_rows("volatility losses", proxy.size(), 1);
  double least = std::numeric_limits<double>::infinity();
  for (const double p : proxy)
    if (p > 0) least = std::min(least, p);
  VolatilityLosses l;
  l.n = proxy.size();
  const auto n = static_cast<double>(l.n);
  for (std::size_t t = 0; t < l.n; ++t) {
    const double p = proxy[t], h = forecast[t], x = (p > 0 ? p : least) / h;
    l.qlike += (std::log(h) + p / h) / n;
    l.qlike_ratio += (x - std::log(x) - 1) / n;
    l.mse += (p - h) * (p - h) / n;
    l.mae += std::abs(p - h) / n;
  }
  return l;
}

MincerZarnowitz mincer_zarnowitz(std::span<const double> proxy, std::span<const double> forecast) {
  require_variances("mincer-zarnowitz", proxy, forecast);
  require_rows("mincer-zarnowitz", proxy.size());
  const auto n = static_cast<Eigen::Index>(proxy.size());
  const Eigen::Map<const Eigen::VectorXd> p(proxy.data(), n), h(forecast.data(), n);
  Eigen::MatrixXd X(n, 2);
  X.col(0).setOnes();
  X.col(1) = h;
  const maths::Regression r = maths::regress(X, p);
  MincerZarnowitz m;
  m.fair = named_test("mincer-zarnowitz", "F", "forecasts are fair: a = 0 and b = 1", proxy.size());
  m.fair_robust = named_test("mincer-zarnowitz", "robust", m.fair.null, proxy.size());
  const double spread = (p.array() - p.mean()).square().sum();
  const bool fixed_proxy = !(r.ssr > 1e-20 * p.squaredNorm());
  if (r.rank < 2 || fixed_proxy) {
    m.fair.reading = m.fair_robust.reading =
        fixed_proxy ? "the outcome is an exact line in the forecast, so there is nothing to test"
                    : "the forecast never changes, so there is no slope";
    return m;
  }
  m.a = r.coefficients(0);
  m.b = r.coefficients(1);
  m.a_error = r.errors(0);
  m.b_error = r.errors(1);
  m.r2 = 1 - r.ssr / spread;
  const double dof = static_cast<double>(n) - 2, restricted = (p - h).squaredNorm();
  m.fair.statistic = (restricted - r.ssr) / 2 / (r.ssr / dof);
  m.fair.dof = {2, dof};
  m.fair.p_value = laws::f_tail(m.fair.statistic, 2, dof);
  const Eigen::MatrixXd weighted = r.residuals.asDiagonal() * X;
  const Eigen::MatrixXd V =
      maths::sandwich(maths::inverse(maths::cross(X, X)), maths::cross(weighted, weighted));
  const Eigen::VectorXd away{{m.a, m.b - 1}};
  m.fair_robust.statistic = away.dot(maths::solve_symmetric(V, away));
  m.fair_robust.dof = {2};
  m.fair_robust.p_value = laws::chi_squared_tail(m.fair_robust.statistic, 2);
  for (TestResult* test : {&m.fair, &m.fair_robust})
    test->reading = *test->rejects() ? "forecasts are biased, or too lively or too flat"
                                     : "no evidence against fair forecasts";
  return m;
}

}  // namespace brace::inline v0
