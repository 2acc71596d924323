// SPDX-License-Identifier: Apache-2.0
// The power of Box and Cox by profile likelihood. Covered by tests/series/chain_test.cpp.
#include "brace/series/power.hpp"

#include <Eigen/Dense>
#include <boost/math/tools/minima.hpp>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <limits>

#include "brace/series/transform.hpp"

namespace brace {
namespace {

constexpr double kLeast = -2, kMost = 3;
constexpr double kChiSquared95 = 3.841458820694124;  // one degree of freedom

// A column of ones, time, and dummies of the season but one.
Eigen::MatrixXd regressors(const Series& series, const std::vector<std::size_t>& rows) {
  const bool monthly = series.clock == Clock::month, quarterly = series.clock == Clock::quarter;
  const bool seasonal = !series.times.empty() && (monthly || quarterly) && rows.size() >= 48;
  const auto n = static_cast<Eigen::Index>(rows.size());
  const Eigen::Index dummies = !seasonal ? 0 : monthly ? 11 : 3;
  Eigen::MatrixXd X = Eigen::MatrixXd::Zero(n, 2 + dummies);
  for (Eigen::Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    X(i, 0) = 1;
    X(i, 1) = static_cast<double>(t) / static_cast<double>(series.size());
    if (!seasonal) continue;
    const std::chrono::year_month_day date(std::chrono::floor<std::chrono::days>(series.times[t]));
    const auto month = static_cast<Eigen::Index>(static_cast<unsigned>(date.month())) - 1;
    const Eigen::Index season = monthly ? month : month / 3;
    if (season > 0) X(i, 1 + season) = 1;
  }
  return X;
}

// The transform of x from ln x.
double of_log(double log_x, double power) {
  return power == 0 ? log_x : std::expm1(power * log_x) / power;
}

}  // namespace

double power_transform(double x, double power) {
  return of_log(std::log(x), power);
}

double power_inverse(double y, double power) {
  if (power == 0) return std::exp(y);
  if (1 + power * y <= 0) return std::numeric_limits<double>::quiet_NaN();
  return std::exp(std::log1p(power * y) / power);
}

PowerEstimate estimate_power(const Series& series) {
  require_usable(series, 10, "a Box-Cox power");
  const Series logs = log_level(series);  // throws where a value is not positive
  std::vector<std::size_t> rows;
  for (std::size_t t = 0; t < series.size(); ++t)
    if (!std::isnan(logs.values[t])) rows.push_back(t);
  const auto n = static_cast<Eigen::Index>(rows.size());
  Eigen::VectorXd log_x(n);
  for (Eigen::Index i = 0; i < n; ++i) log_x(i) = logs.values[rows[static_cast<std::size_t>(i)]];
  // In units of the geometric mean the Jacobian is 1 for every power.
  log_x.array() -= log_x.mean();
  const Eigen::MatrixXd X = regressors(series, rows);
  const Eigen::MatrixXd Q = Eigen::HouseholderQR<Eigen::MatrixXd>(X).householderQ() *
                            Eigen::MatrixXd::Identity(n, X.cols());
  const auto minus_log_likelihood = [&](double power) {
    const Eigen::VectorXd y = log_x.unaryExpr([&](double v) { return of_log(v, power); });
    const double ssr = (y - Q * (Q.transpose() * y)).squaredNorm();
    return 0.5 * static_cast<double>(n) * std::log(ssr / static_cast<double>(n));
  };
  PowerEstimate out;
  const std::pair<double, double> found = boost::math::tools::brent_find_minima(
      minus_log_likelihood, kLeast, kMost, std::numeric_limits<double>::digits / 2);
  const double best = found.first, least = found.second;
  out.power = best;
  const auto excess = [&](double power) {
    return 2 * (minus_log_likelihood(power) - least) - kChiSquared95;
  };
  const auto end = [&](double edge) {
    if (excess(edge) <= 0) return edge;
    std::uintmax_t steps = 100;
    const auto [a, b] =
        boost::math::tools::toms748_solve(excess, std::min(edge, best), std::max(edge, best),
                                          boost::math::tools::eps_tolerance<double>(30), steps);
    return (a + b) / 2;
  };
  out.low = end(kLeast);
  out.high = end(kMost);
  constexpr double kNear = 1e-6;
  out.at_edge = best < kLeast + kNear || best > kMost - kNear;
  return out;
}

}  // namespace brace
