// SPDX-License-Identifier: Apache-2.0
// Where climbs begin.
//
//   Starts starts = starting_points(problem);             // working coordinates, best first
#pragma once

#include <Eigen/Dense>
#include <optional>
#include <vector>

#include "model/problem.hpp"

namespace brace {

struct Starts {
  std::vector<Eigen::VectorXd> points;
  std::optional<std::size_t> given;  // which of them the caller gave
};
[[nodiscard]] Starts starting_points(Problem& problem);

// Of the exact likelihood, natural parameters of the scaled data: the regression's answer and,
// where there are both AR and MA terms, which may stand in for one another, half of it and none of
// it. sigma2 follows. Without `all` the first alone, where there are lags.
[[nodiscard]] std::vector<Eigen::VectorXd> exact_starts(Problem& problem, bool all);

}  // namespace brace
