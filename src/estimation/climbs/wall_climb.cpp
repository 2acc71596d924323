// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/wall_test.cpp.
//
//   the wall nearest to where a climb stalled; one parameter follows from the others on it
//   the others are climbed
//   a maximum where the likelihood falls into the admitted side
//   a corner is one where the quadratic programme of a step, under the bounds that are met there
//   and the slopes of the rules that are, leads nowhere (Karush, Kuhn and Tucker's condition)
#include "estimation/climbs/wall_climb.hpp"

#include <algorithm>
#include <cmath>

#include "brace/model/model.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

// The share of the information added where it says nothing.
constexpr double kRidge = 1e-6;

}  // namespace

void WallClimb::climb(const maths::NewtonResult& stalled) {
  const ScaledParameters from = problem_.coordinates.scaled(WorkingPoint(stalled.x));
  const std::span<const double> variance =
      span_of(from).subspan(problem_.parts.mean.size(), problem_.parts.variance.size());
  const VarianceFamily& family = variance_family(problem_.model.variance);
  if (const std::optional<Wall> wall = family.wall(variance)) {
    const std::optional<Peak> peak = climbed_along(*wall, from);
    if (peak && falls_inward(*wall, *peak)) {
      highest_ = peak;
      return;
    }
  }
  if (const std::optional<Wall> plane = family.wall_at_bound(variance))
    if (const std::optional<Peak> peak = climbed_along(*plane, from))
      if (is_corner(peak->parameters())) highest_ = peak;
}

// The maximum on it, where it is higher than what was found before.
std::optional<Peak> WallClimb::climbed_along(const Wall& wall, const ScaledParameters& from) {
  const std::size_t parameter = problem_.parts.mean.size() + wall.parameter;
  const std::vector<std::optional<double>> held = problem_.held_scaled();
  if (held[parameter]) return {};
  Coordinates along = problem_.make_coordinates(held, wall);
  if (along.size() == 0) return {};
  const WorkingPoint start = along.working(from);
  const maths::LinearConstraints& bounds = along.constraints();
  if (wall.plane && !bounds.admit(start)) return {};
  maths::NewtonResult r =
      maths::minimise(problem_.objective_in(along), bounds, start,
                      {.damping = true, .max_iterations = problem_.options.max_iterations});
  if (!settled(r) || (highest_ && highest_->top.f <= r.f)) return {};
  return Peak{.top = std::move(r),
              .coordinates = std::move(along),
              .kink = {},
              .wall = Peak::OnWall{wall.name, {parameter}}};
}

// Whether the likelihood falls into the admitted side, and the bounds of the parameter itself,
// which are not among those of the climb, are met.
bool WallClimb::falls_inward(const Wall& wall, const Peak& peak) {
  const std::size_t parameter = peak.wall->parameters.front();
  const ScaledParameters top = peak.parameters();
  const WorkingPoint x = problem_.coordinates.working(top);
  const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
  const Eigen::VectorXd slack = bounds.slack(x);
  for (Eigen::Index c = 0; c < x.size(); ++c)
    if (problem_.coordinates.parameter(c) == parameter)
      for (Eigen::Index i = 0; i < slack.size(); ++i)
        if (bounds.C(i, c) != 0 && slack(i) < 0) return false;
  const double inward =
      wall.at(span_of(top).subspan(problem_.parts.mean.size(), problem_.parts.variance.size()))
          .inward;
  return inward * problem_.slope_in(parameter, top) > 0;
}

void WallClimb::keep_corner(const Peak& held, const std::vector<Held>& at,
                            const std::string& name) {
  if (!settled(held.top) || held.wall || (highest_ && highest_->top.f <= held.top.f)) return;
  if (!is_corner(held.parameters())) return;
  highest_ = held;
  highest_->wall = Peak::OnWall{name, {}};
  for (std::size_t j = 0; j < problem_.names.size(); ++j)
    if (std::any_of(at.begin(), at.end(),
                    [&](const Held& h) { return h.name == problem_.names[j]; }))
      highest_->wall->parameters.push_back(j);
}

bool WallClimb::is_corner(const ScaledParameters& top) {
  const Coordinates& all = problem_.coordinates;
  const WorkingPoint x = all.working(top);
  Eigen::VectorXd gradient;
  Eigen::MatrixXd information;
  if (!std::isfinite(problem_.objective_in(all).derivatives(x, maths::Curvature::information,
                                                            gradient, information)))
    return false;
  // The others are at their maximum: those that the rules tie together.
  const std::size_t first = problem_.parts.mean.size();
  const Eigen::MatrixXd rules =
      variance_family(problem_.model.variance)
          .rules_met(span_of(top).subspan(first, problem_.parts.variance.size()));
  std::vector<Eigen::Index> tied;
  for (Eigen::Index c = 0; c < all.size(); ++c)
    if (const std::size_t p = all.parameter(c);
        p > first && p < first + problem_.parts.variance.size())
      tied.push_back(c);
  const auto count = static_cast<Eigen::Index>(tied.size());
  Eigen::MatrixXd C(0, count);
  const auto add = [&](const auto& row) {
    C.conservativeResize(C.rows() + 1, count);
    C.row(C.rows() - 1) = row;
  };
  const maths::LinearConstraints& bounds = all.constraints();
  for (const Eigen::Index i : bounds.met(x)) add(bounds.C(i, tied));
  for (Eigen::Index i = 0; i < rules.rows(); ++i) {
    Eigen::RowVectorXd row(count);
    for (Eigen::Index j = 0; j < count; ++j)
      row(j) = -rules(
          i, static_cast<Eigen::Index>(all.parameter(tied[static_cast<std::size_t>(j)]) - first));
    add(row);
  }
  Eigen::MatrixXd B = information(tied, tied);
  B += kRidge * B.trace() * Eigen::MatrixXd::Identity(count, count);
  const Eigen::VectorXd g = gradient(tied);
  const maths::QuadraticStep step =
      maths::solve_quadratic(g, maths::cholesky(B), C, Eigen::VectorXd::Zero(C.rows()));
  return std::sqrt(std::max(0.0, -g.dot(step.s))) < kConverged;
}

}  // namespace brace::inline v0
