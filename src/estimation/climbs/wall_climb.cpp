// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/wall_test.cpp.
//
//   the wall nearest to where a climb stalled; one parameter follows from the others on it
//   the others are climbed
//   a maximum where the likelihood falls into the admitted side
#include "estimation/climbs/wall_climb.hpp"

#include "brace/model/model.hpp"
#include "families/variance_family.hpp"

namespace brace::inline v0 {

void WallClimb::climb(const maths::NewtonResult& stalled) {
  const std::size_t first = problem_.parts.mean.size(), count = problem_.parts.variance.size();
  const ScaledParameters from = problem_.coordinates.scaled(WorkingPoint(stalled.x));
  const std::optional<Wall> wall =
      variance_family(problem_.model.variance).wall(span_of(from).subspan(first, count));
  if (!wall) return;
  const std::size_t parameter = first + wall->parameter;
  const std::vector<std::optional<double>> held = problem_.held_scaled();
  if (held[parameter]) return;
  Coordinates along = problem_.make_coordinates(held, wall);
  if (along.size() == 0) return;
  maths::NewtonResult r =
      maths::minimise(problem_.objective_in(along), along.constraints(), along.working(from),
                      {.damping = true, .max_iterations = problem_.options.max_iterations});
  if (!settled(r) || (highest_ && highest_->top.f <= r.f)) return;
  // The bounds of the parameter itself are not among those of the climb.
  const ScaledParameters top = along.scaled(WorkingPoint(r.x));
  const WorkingPoint x = problem_.coordinates.working(top);
  const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
  const Eigen::VectorXd slack = bounds.d - bounds.C * x;
  for (Eigen::Index c = 0; c < x.size(); ++c)
    if (problem_.coordinates.parameter(c) == parameter)
      for (Eigen::Index i = 0; i < slack.size(); ++i)
        if (bounds.C(i, c) != 0 && slack(i) < 0) return;
  const double inward = wall->at(span_of(top).subspan(first, count)).inward;
  if (!(inward * problem_.slope_in(parameter, top) > 0)) return;
  highest_ = Peak{.top = std::move(r),
                  .coordinates = std::move(along),
                  .kink = {},
                  .wall = Peak::OnWall{wall->name, parameter}};
}

}  // namespace brace::inline v0
