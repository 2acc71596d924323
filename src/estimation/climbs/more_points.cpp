// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/estimate_test.cpp, study_test.cpp and variance_study_test.cpp.
#include "estimation/climbs/more_points.hpp"

#include <algorithm>
#include <cmath>

#include "brace/maths/random.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// How far the mu of scattered points lies from the mean in standard deviations, and they beyond the
// starts in distances between two.
constexpr double kScatterMean = 0.1, kScatterBeyond = 3;
constexpr std::uint64_t kScatterSeed = 20;
// Lags of the variance, in pairs, up to which the models with one less are climbed too.
constexpr double kFewLags = 2;
// By what share of itself a variance that does not revert grows over the sample to begin with.
constexpr double kGrowth = 0.2;

// x moved to where a sum meets its bound, such as the persistence, by the shortest way: with shocks
// that move the variance, and without, where it grows by omega alone. What grows begins small.
WorkingPoint on_sum(const Problem& problem, WorkingPoint x, VectorXd row, double limit,
                    bool without_news) {
  for (Index c = 0; c < x.size(); ++c) {
    const std::string& name = problem.names[problem.coordinates.parameter(c)];
    if (name == "omega") x(c) = kGrowth / static_cast<double>(problem.scaled.observed);
    if (without_news && (name.starts_with("alpha") || name.starts_with("gamma"))) {
      x(c) = 0;
      row(c) = 0;
    }
  }
  if (row.squaredNorm() > 0) x += (limit - row.dot(x)) / row.squaredNorm() * row;
  return x;
}

}  // namespace

std::vector<WorkingPoint> scattered(const Problem& problem, const std::vector<WorkingPoint>& starts,
                                    std::size_t count) {
  maths::RandomStream u(kScatterSeed, 0);
  const std::vector<ShapeCoordinate>& shapes = shock_law(problem.model.shocks).shapes;
  const std::size_t first_shape = problem.names.size() - shapes.size();
  const auto any = [&] {
    return starts[static_cast<std::size_t>(u.uniform() * static_cast<double>(starts.size()))];
  };
  std::vector<WorkingPoint> points;
  for (std::size_t i = 0; i < count; ++i) {
    const double share = i % 2 == 0 ? u.uniform() : kScatterBeyond * u.uniform();
    WorkingPoint x(share * any() + (1 - share) * any());
    for (Index c = 0; c < x.size(); ++c) {
      const std::size_t p = problem.coordinates.parameter(c);
      if (p == 0 && problem.model.mean.constant) x(c) += kScatterMean * u.normal();
      if (p < first_shape) continue;
      const ShapeCoordinate& shape = shapes[p - first_shape];
      x(c) = shape.low + (shape.high - shape.low) * (.05 + .9 * u.uniform());
    }
    points.push_back(problem.feasible(x));  // to where the bounds stop it
  }
  return points;
}

WorkingPoint brought_inside(const Problem& problem, const WorkingPoint& x,
                            const WorkingPoint& inner) {
  const maths::LinearConstraints& bounds = problem.coordinates.constraints();
  if (bounds.admit(x)) return x;
  const Eigen::LLT<MatrixXd> identity = maths::cholesky(MatrixXd::Identity(x.size(), x.size()));
  return WorkingPoint(
      inner +
      maths::solve_quadratic(inner - x, identity, bounds.C, bounds.slack(inner).cwiseMax(0)).s);
}

std::vector<WorkingPoint> on_each_bound(const Problem& problem, const maths::NewtonResult& end,
                                        const WorkingPoint& inner) {
  const maths::LinearConstraints& bounds = problem.coordinates.constraints();
  std::vector<WorkingPoint> points;
  for (Index i = 0; i < bounds.C.rows(); ++i) {
    if (end.is_active(i)) continue;
    WorkingPoint x(end.x);
    if ((bounds.C.row(i).array() != 0).count() != 1) {
      for (const bool without_news : {false, true})
        points.push_back(brought_inside(
            problem, on_sum(problem, x, bounds.C.row(i).transpose(), bounds.d(i), without_news),
            inner));
      continue;
    }
    Index coordinate = 0;
    bounds.C.row(i).cwiseAbs().maxCoeff(&coordinate);
    if (problem.coordinates.parameter(coordinate) < problem.parts.mean.size()) continue;
    x(coordinate) = bounds.d(i) / bounds.C(i, coordinate);
    points.push_back(brought_inside(problem, x, inner));
  }
  return points;
}

std::vector<WorkingPoint> twins_of(const Problem& problem, const WorkingPoint& x,
                                   const WorkingPoint& inner) {
  const ScaledParameters top = problem.coordinates.scaled(x);
  const std::span<const double> variance = span_of(top).subspan(problem.parts.mean.size());
  std::vector<WorkingPoint> points;
  for (const std::vector<double>& twin :
       variance_family(problem.model.variance).twins(problem.model, variance)) {
    ScaledParameters theta = top;
    std::copy(twin.begin(), twin.end(), theta.begin() + problem.first_variance());
    points.push_back(brought_inside(
        problem, problem.coordinates.working(problem.with_held(std::move(theta))), inner));
  }
  return points;
}

std::vector<Model> contained_models(const Model& model) {
  std::vector<Model> models;
  if (const std::optional<Shocks>& plainer = shock_law(model.shocks).contains) {
    models.push_back(model);
    models.back().shocks = *plainer;
  }
  // The last beta of igarch is what the others leave; of many lags each model would cost as much.
  if (std::holds_alternative<Igarch>(model.variance) || pairs_of_lags(model) > kFewLags)
    return models;
  for (const bool of_shocks : {true, false}) {
    const Lags* lags = of_shocks ? shock_lags(model.variance) : variance_lags(model.variance);
    if (!lags || lags->size() < 2) continue;
    models.push_back(model);
    std::visit(
        [&](auto& family) {
          if constexpr (requires { family.e; })
            if (of_shocks) family.e.pop_back();
          if constexpr (requires { family.h; })
            if (!of_shocks) family.h.pop_back();
        },
        models.back().variance);
  }
  return models;
}

double pairs_of_lags(const Model& model) {
  std::size_t lags = 0;
  for (const Lags* some : {shock_lags(model.variance), variance_lags(model.variance)})
    if (some) lags += some->size();
  return std::max(1.0, static_cast<double>(lags) / 2);
}

}  // namespace brace::inline v0
