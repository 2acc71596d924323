// SPDX-License-Identifier: Apache-2.0
// Where climbs begin.
//
//   for (const WorkingPoint& x : starting_points(problem)) climb(x);
#pragma once

#include <Eigen/Dense>
#include <vector>

#include "estimation/problem.hpp"

namespace brace::inline v0 {

// Best first; the start that was given among them.
[[nodiscard]] std::vector<WorkingPoint> starting_points(Problem& problem);

// Of the exact likelihood: a share of the answer of a
// regression (of its lags), and the sigma2 that goes with it.
[[nodiscard]] ScaledParameters exact_start(Problem& problem, double share = 1);

}  // namespace brace::inline v0
