// SPDX-License-Identifier: Apache-2.0
// A moving-average root at one. Covered by tests/estimation/unit_ma_root_test.cpp.
#include "estimation/unit_ma_root.hpp"

#include <algorithm>
#include <limits>
#include <numeric>

#include "brace/maths/lag_polynomial.hpp"
#include "estimation/problem.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::VectorXd;

// Inverse roots from here on are tested.
constexpr double kNearOne = 0.95, kNearOneOfSeason = 0.8;

// At 5 %, by the power of B in which the root stands and whether a mean is estimated.
double critical_value(int step, bool mean) {
  if (step == 1) return mean ? 0.05 : 1.94;
  return !mean ? 2.25 : step <= 5 ? 1.35 : 1.8;
}

double largest_real_inverse_root(const Lags& lags, std::span<const double> coefficients) {
  int step = 0;
  for (const int lag : lags) step = std::gcd(step, lag);
  std::vector<double> c(static_cast<std::size_t>(lags.back() / step), 0.0);
  for (std::size_t i = 0; i < lags.size(); ++i)
    c[static_cast<std::size_t>(lags[i] / step) - 1] = -coefficients[i];
  double largest = 0;
  for (const std::complex<double>& root : maths::inverse_roots(c))
    if (std::abs(root.imag()) < 1e-9) largest = std::max(largest, root.real());
  return largest;
}

}  // namespace

std::optional<UnitMaRoot> unit_ma_root(const Fit& fit, const MeanData& data) {
  if (!fit.exact || !fit.usable() || fit.lost == 0) return std::nullopt;
  const std::vector<double> estimates = fit.estimates();
  const Mean& mean = fit.model.mean;
  const MeanPositions at = mean_positions(fit.model);
  UnitMaRoot out;
  int step = 1;
  for (const auto& [lags, first] :
       {std::pair{&mean.ma, at.ma}, std::pair{&mean.seasonal_ma, at.seasonal_ma}}) {
    if (lags->empty()) continue;
    const double root =
        largest_real_inverse_root(*lags, std::span(estimates).subspan(first, lags->size()));
    if (root <= out.inverse_root) continue;
    out.inverse_root = root;
    step = lags->front();
  }
  if (out.inverse_root < (step == 1 ? kNearOne : kNearOneOfSeason)) return std::nullopt;
  const EstimateOptions options;
  Problem problem(fit.model, data, options, true);
  const WorkingPoint x = problem.coordinates.working(problem.to_scaled(DataParameters(estimates)));
  const double top = problem.value(problem.coordinates, x);

  // The highest point on each bound that puts a root of that factor there.
  const maths::LinearConstraints& bounds = problem.coordinates.constraints();
  double on_bound = std::numeric_limits<double>::infinity();
  for (const Index row : problem.coordinates.ma_root_at_one()) {
    Index coordinate = 0;
    bounds.C.row(row).cwiseAbs().maxCoeff(&coordinate);
    WorkingPoint start = x;
    start(coordinate) = bounds.d(row) * bounds.C(row, coordinate);
    maths::LinearConstraints there = bounds;
    there.C.conservativeResize(bounds.C.rows() + 1, Eigen::NoChange);
    there.d.conservativeResize(bounds.d.size() + 1);
    there.C.row(bounds.C.rows()) = -bounds.C.row(row);
    there.d(bounds.d.size()) = -bounds.d(row);
    const maths::NewtonResult end = maths::minimise(
        problem.objective_in(problem.coordinates, true), there, start,
        {.scoring_steps = 20, .damping = true, .max_iterations = 20, .certificate = false});
    on_bound = std::min(on_bound, end.f);
  }
  if (!std::isfinite(on_bound)) return std::nullopt;
  out.statistic = std::max(0.0, 2 * (on_bound - top));
  out.critical = critical_value(step, !at.regression.empty());
  return out;
}

}  // namespace brace::inline v0
