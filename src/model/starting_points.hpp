// SPDX-License-Identifier: Apache-2.0
// Where climbs begin.
//
//   for (const Eigen::VectorXd& x : starting_points(problem)) climb(x);
#pragma once

#include <Eigen/Dense>
#include <vector>

#include "model/problem.hpp"

namespace brace {

// Working coordinates, best first; the start that was given among them.
[[nodiscard]] std::vector<Eigen::VectorXd> starting_points(Problem& problem);

// Of the exact likelihood, natural parameters of the scaled data: a share of the answer of a
// regression (of its lags), and the sigma2 that goes with it.
[[nodiscard]] Eigen::VectorXd exact_start(Problem& problem, double share = 1);

}  // namespace brace
