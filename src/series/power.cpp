// SPDX-License-Identifier: Apache-2.0
// The power of Box and Cox by profile likelihood. Covered by tests/series/chain_test.cpp.
#include "brace/series/power.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <limits>

#include "brace/series/transform.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

constexpr double kLeast = -2, kMost = 3;
constexpr double kChiSquared95 = 3.841458820694124;  // one degree of freedom

constexpr int kLeastSpacing = 24, kMostCorners = 40;

int period_of(const Series& series, std::optional<int> given) {
  if (given) return *given;
  return series.clock == Clock::month ? 12 : series.clock == Clock::quarter ? 4 : 0;
}

// The place of a row in the season: by the calendar where that is the year's, else by its number.
Eigen::Index place_of(const Series& series, std::size_t t, int period) {
  const bool monthly = series.clock == Clock::month && period == 12,
             quarterly = series.clock == Clock::quarter && period == 4;
  if (series.times.empty() || (!monthly && !quarterly))
    return static_cast<Eigen::Index>(t % static_cast<std::size_t>(period));
  const std::chrono::year_month_day date(std::chrono::floor<std::chrono::days>(series.times[t]));
  const auto month = static_cast<Eigen::Index>(static_cast<unsigned>(date.month())) - 1;
  return monthly ? month : month / 3;
}

// Hats over time, whose sums are the broken lines, and dummies of the season but one where there
// are four seasons or more.
Eigen::MatrixXd regressors(const Series& series, const std::vector<std::size_t>& rows, int period) {
  const bool seasonal = period > 1 && rows.size() >= 4 * static_cast<std::size_t>(period);
  const auto n = static_cast<Eigen::Index>(rows.size());
  const Eigen::Index pieces =
      std::clamp<Eigen::Index>(n / std::max(2 * period, kLeastSpacing), 1, kMostCorners - 1);
  const Eigen::Index dummies = seasonal ? period - 1 : 0;
  Eigen::MatrixXd X = Eigen::MatrixXd::Zero(n, pieces + 1 + dummies);
  for (Eigen::Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    const double at =
        static_cast<double>(pieces) * static_cast<double>(t) / static_cast<double>(series.size());
    const auto left = static_cast<Eigen::Index>(at);
    X(i, left) = 1 - (at - static_cast<double>(left));
    X(i, left + 1) = at - static_cast<double>(left);
    if (!seasonal) continue;
    if (const Eigen::Index place = place_of(series, t, period); place > 0) X(i, pieces + place) = 1;
  }
  return X;
}

// So small a power is the logarithm to the last digit, and its products would lose theirs.
bool is_logarithm(double power) {
  return std::abs(power) < 1e-100;
}

// The transform of x from ln x.
double of_log(double log_x, double power) {
  return is_logarithm(power) ? log_x : std::expm1(power * log_x) / power;
}

}  // namespace

double power_transform(double x, double power) {
  return of_log(std::log(x), power);
}

double power_inverse(double y, double power) {
  if (is_logarithm(power)) return std::exp(y);
  if (1 + power * y <= 0) return std::numeric_limits<double>::quiet_NaN();
  return std::exp(std::log1p(power * y) / power);
}

PowerEstimate estimate_power(const Series& series, std::optional<int> period) {
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
  const Eigen::MatrixXd X = regressors(series, rows, period_of(series, period));
  const Eigen::MatrixXd Q = maths::Qr(X).thin_q();
  const auto minus_log_likelihood = [&](double power) {
    const Eigen::VectorXd y = log_x.unaryExpr([&](double v) { return of_log(v, power); });
    const double ssr = (y - maths::product(Q, maths::cross(Q, y))).squaredNorm();
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

}  // namespace brace::inline v0
