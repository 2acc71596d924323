// SPDX-License-Identifier: Apache-2.0
// Covered by tests/model/wall_test.cpp.
#include "model/wall_climb.hpp"

#include "brace/model/model.hpp"
#include "model/families.hpp"

namespace brace {

using Eigen::VectorXd;

void WallClimb::climb(const NewtonResult& stalled) {
  const std::size_t first = problem_.parts.mean.size(), count = problem_.parts.variance.size();
  const VectorXd from = problem_.chart.natural(stalled.x);
  const std::optional<Wall> wall =
      variance_family(problem_.model.variance).wall(span_of(from).subspan(first, count));
  if (!wall) return;
  const std::size_t parameter = first + wall->parameter;
  const std::vector<std::optional<double>> held = problem_.held_scaled();
  if (held[parameter]) return;
  Chart along = problem_.make_chart(held, wall);
  if (along.size() == 0) return;
  NewtonResult r = minimise(problem_.objective_in(along), along.constraints(), along.working(from),
                            {.damping = true, .max_iterations = problem_.options.max_iterations});
  if (!settled(r) || (highest_ && highest_->top.f <= r.f)) return;
  // The bounds of the parameter itself are not among those of the climb.
  const VectorXd top = along.natural(r.x);
  const VectorXd x = problem_.chart.working(top);
  const LinearConstraints& bounds = problem_.chart.constraints();
  if ((bounds.d - bounds.C * x).minCoeff() < 0) return;
  const double inward = wall->at(span_of(top).subspan(first, count)).inward;
  if (!(inward * problem_.slope_in(parameter, top) > 0)) return;
  highest_ = Peak{.top = std::move(r),
                  .chart = std::move(along),
                  .kink = {},
                  .wall = Peak::OnWall{wall->name, parameter}};
}

}  // namespace brace
