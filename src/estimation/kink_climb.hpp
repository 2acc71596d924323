// SPDX-License-Identifier: Apache-2.0
// Where the likelihood has a kink in mu at every mu = y_t (egarch, aparch with delta up to 1, ged
// with nu at 1) its maximum may lie on one, where no gradient vanishes.
//
//   KinkClimb kinks(problem);
//   kinks.look(best, stalled);                 // around where climbs stalled, beside a smooth top
//   if (kinks.highest()) ...                   // a maximum on a kink, which is named
#pragma once

#include <optional>

#include "estimation/problem.hpp"

namespace brace::inline v0 {

class KinkClimb {
 public:
  explicit KinkClimb(Problem& problem) : problem_(problem) {}

  // Whether this model's likelihood may have kinks that are looked for.
  [[nodiscard]] bool may_be() const;
  // A maximum with mu held at a value of the series from which the likelihood falls to both sides:
  // looked for where the highest climb stalled, which is forgotten then, and beside a smooth
  // maximum.
  void look(const maths::NewtonResult& best, std::optional<maths::NewtonResult>& stalled);
  // From the highest kink, where there is one, to higher ones around it.
  void follow();
  // Where many rows have one value, the likelihood rises steeply to both sides of it and has a top
  // on each: the mu as far on the other side, where the value next to mu is such a one.
  [[nodiscard]] std::optional<double> other_side_of_a_shared_value(double mu) const;

  [[nodiscard]] const std::optional<Peak>& highest() const { return highest_; }

 private:
  [[nodiscard]] bool at(const ScaledParameters& theta) const;
  bool climb(const ScaledParameters& from, double below, std::size_t seen,
             std::optional<double> give = {});

  Problem& problem_;
  std::optional<Peak> highest_;
};

}  // namespace brace::inline v0
