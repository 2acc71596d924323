// SPDX-License-Identifier: Apache-2.0
// Climbs of a likelihood with kinks in the terms of its mean: with lags, trends or regressors it has
// one wherever a shock is 0 (egarch, aparch, ged with nu near 1), and its maximum may lie on as many
// of them as the mean has terms, where no gradient vanishes. A constant alone has KinkClimb, and
// comes here where that finds no end.
//
//   RoundedClimb rounded(problem);
//   rounded.climb(stalled);                    // from where Newton's method stalled
//   if (rounded.highest()) ...                 // a maximum on kinks, whose terms are named
#pragma once

#include <optional>

#include "estimation/problem.hpp"

namespace brace::inline v0 {

class RoundedClimb {
 public:
  explicit RoundedClimb(Problem& problem);

  // Whether this model's likelihood may have kinks that are looked for here.
  [[nodiscard]] bool may_be() const { return may_be_; }

  // Where a climb ended: on kinks, or at a maximum without, which is then in `smooth`.
  struct End {
    double f;
    WorkingPoint x;
    Eigen::MatrixXd hessian;  // of the rounded likelihood
    std::optional<maths::NewtonResult> smooth{};
  };
  // A climb with kinks that are rounded less and less; empty where it did not come to an end.
  std::optional<End> climb(const maths::NewtonResult& stalled);

  [[nodiscard]] const std::optional<Peak>& highest() const { return highest_; }

 private:
  bool keep(const ScaledParameters& top, int steps);

  Problem& problem_;
  bool may_be_ = false;
  std::optional<Peak> highest_;
};

}  // namespace brace::inline v0
