// SPDX-License-Identifier: Apache-2.0
// Starting points. Covered by tests/estimation/estimate_test.cpp and study_test.cpp.
#include "estimation/starting_points.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/maths/autocorrelations.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// Position among all parameters of the i-th of ar, sar, ma, sma.
std::size_t lag_parameter(const Problem& problem, std::size_t i) {
  const Mean& m = problem.model.mean;
  for (const auto& [first, count] : {std::pair{problem.at.ar, m.ar.size()},
                                     std::pair{problem.at.seasonal_ar, m.seasonal_ar.size()},
                                     std::pair{problem.at.ma, m.ma.size()}}) {
    if (i < count) return first + i;
    i -= count;
  }
  return problem.at.seasonal_ma + i;
}

bool factors_inside(const Problem& problem, const ScaledParameters& theta) {
  const WorkingPoint x = problem.coordinates.working(theta);
  return problem.coordinates.at_edge(problem.coordinates.scaled(x)).empty() &&
         (problem.coordinates.scaled(x) - problem.with_held(theta))
                 .cwiseAbs()
                 .head(problem.first_variance())
                 .maxCoeff() < 1e-8;
}

// Coefficients of the lags of y, then of those of the shocks; empty where too few rows are there.
std::vector<double> hannan_rissanen(const std::vector<double>& y, const Lags& ar, const Lags& ma) {
  int longest = 0;
  for (const Lags* lags : {&ar, &ma})
    for (const int lag : *lags) longest = std::max(longest, lag);
  const auto n = static_cast<int>(y.size()), k = static_cast<int>(ar.size() + ma.size());
  if (n - longest < k + 2) return {};
  std::vector<double> shocks = y;
  if (!ma.empty()) {
    const int order = std::min(std::max(10, longest + 5), n / 4);
    const std::vector<double> a = maths::coefficients_from_partials(
        maths::partial_from_autocorrelations(maths::autocorrelations(y, order)));
    for (int l = 1; l <= order; ++l)
      for (int t = l; t < n; ++t)
        shocks[static_cast<std::size_t>(t)] -=
            a[static_cast<std::size_t>(l - 1)] * y[static_cast<std::size_t>(t - l)];
  }
  const Index rows = n - longest;
  MatrixXd X(rows, k);
  Index column = 0;
  const std::vector<double>* const shocks_at = &shocks;
  for (const auto& [lags, from] : {std::pair{&ar, &y}, std::pair{&ma, shocks_at}})
    for (const int lag : *lags)
      X.col(column++) = Eigen::Map<const VectorXd>(from->data() + longest - lag, rows);
  const VectorXd right = Eigen::Map<const VectorXd>(y.data() + longest, rows);
  const VectorXd c = maths::solve_symmetric(maths::cross(X, X), maths::cross(X, right));
  if (!c.allFinite()) return {};
  return {c.begin(), c.end()};
}

// Regression coefficients by least squares, then AR and MA coefficients by Hannan and Rissanen
// (1982): a long autoregression gives shocks, y is then regressed on its lags and theirs. Shrunk
// until stationary and invertible; zeros where even that fails.
std::vector<double> mean_start(const Problem& problem) {
  std::vector<double> start(problem.at.count, 0.0);
  std::vector<double> y = problem.scaled.data.change;
  for (double& v : y)
    if (std::isnan(v)) v = 0;
  Eigen::Map<VectorXd> rows(y.data(), static_cast<Index>(y.size()));
  if (const MatrixXd& X = problem.scaled.data.columns;
      X.cols() > 1 ||
      (X.cols() == 1 && (problem.scaled.centre == 0 || !problem.model.mean.constant))) {
    const VectorXd beta =
        maths::solve_symmetric(maths::cross(X, X), maths::cross(X, VectorXd(rows)));
    rows -= X * beta;
    for (std::size_t j = 0; j < problem.at.regression.size(); ++j)
      start[problem.at.regression[j]] = beta(static_cast<Index>(j));
  }
  const Mean& m = problem.model.mean;
  Lags ar = m.ar, ma = m.ma;
  ar.insert(ar.end(), m.seasonal_ar.begin(), m.seasonal_ar.end());
  ma.insert(ma.end(), m.seasonal_ma.begin(), m.seasonal_ma.end());
  if (ar.empty() && ma.empty()) return start;
  const std::vector<double> coefficients = hannan_rissanen(y, ar, ma);
  if (coefficients.empty()) return start;
  double shrink = 1;
  for (int attempt = 0; attempt < 20; ++attempt, shrink *= 0.8) {
    auto theta = all_equal<ScaledParameters>(static_cast<Index>(problem.names.size()), 0);
    for (std::size_t i = 0; i < coefficients.size(); ++i)
      theta(static_cast<Index>(lag_parameter(problem, i))) = shrink * coefficients[i];
    if (problem.coordinates.admits(theta) && factors_inside(problem, theta)) {
      for (std::size_t i = 0; i < coefficients.size(); ++i)
        start[lag_parameter(problem, i)] = theta(static_cast<Index>(lag_parameter(problem, i)));
      break;
    }
  }
  return start;
}

std::vector<ScaledParameters> joint_starts(const Problem& problem) {
  const std::vector<double> mean = mean_start(problem);
  std::vector<ScaledParameters> points;
  for (const std::vector<double>& variance :
       variance_family(problem.model.variance).starts(problem.model)) {
    auto theta = all_equal<ScaledParameters>(static_cast<Index>(problem.names.size()), 0);
    Index at = 0;
    for (const double v : mean) theta(at++) = v;
    for (const double v : variance) theta(at++) = v;
    // Regressors of the variance begin with a small share of it.
    for (std::size_t c = 0; c < problem.model.variance_regressors.size(); ++c)
      theta(at++) = variance_family(problem.model.variance).column_start;
    for (const ShapeCoordinate& shape : shock_law(problem.model.shocks).shapes)
      theta(at++) = shape.shape(shape.start);
    points.push_back(std::move(theta));
  }
  return points;
}

}  // namespace

ScaledParameters exact_start(Problem& problem, double share) {
  const std::vector<double> mean = mean_start(problem);
  auto theta = all_equal<ScaledParameters>(static_cast<Index>(problem.names.size()), 0);
  const std::size_t last_lag = problem.at.seasonal_ma + problem.model.mean.seasonal_ma.size();
  for (std::size_t j = 0; j < mean.size(); ++j)
    theta(static_cast<Index>(j)) = (j >= problem.at.ar && j < last_lag ? share : 1) * mean[j];
  theta(static_cast<Index>(problem.at.count)) = 1;
  if (!problem.coordinates.admits(theta)) return theta;
  // -2 l is linear in 1 / sigma2 but for a known logarithm: two values give its maximum.
  const auto at_variance = [&](double sigma2) {
    theta(static_cast<Index>(problem.at.count)) = sigma2;
    return problem.value(problem.coordinates,
                         problem.coordinates.working(problem.with_held(theta)));
  };
  const double one = at_variance(1), two = at_variance(2);
  const auto n = static_cast<double>(problem.scaled.observed);
  const double sum = 2 * (n * std::log(2.0) - 2 * (two - one));
  theta(static_cast<Index>(problem.at.count)) = sum > 0 && std::isfinite(sum) ? sum / n : 1;
  return theta;
}

std::vector<WorkingPoint> starting_points(Problem& problem) {
  std::vector<ScaledParameters> points;
  if (problem.options.from == ClimbFrom::everywhere || problem.options.start.empty())
    points =
        problem.exact ? std::vector<ScaledParameters>{exact_start(problem)} : joint_starts(problem);
  if (!problem.options.start.empty())
    points.push_back(problem.to_scaled(DataParameters(problem.options.start)));
  struct Ranked {
    double f;
    WorkingPoint x;
  };
  std::vector<Ranked> ranked;
  for (const ScaledParameters& theta : points) {
    const WorkingPoint x = problem.feasible(problem.coordinates.working(problem.with_held(theta)));
    ranked.push_back({problem.value(problem.coordinates, x), x});
  }
  std::stable_sort(ranked.begin(), ranked.end(),
                   [](const Ranked& a, const Ranked& b) { return a.f < b.f; });
  std::vector<WorkingPoint> starts;
  for (Ranked& r : ranked) starts.push_back(std::move(r.x));
  return starts;
}

}  // namespace brace::inline v0
