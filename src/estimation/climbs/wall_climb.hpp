// SPDX-License-Identifier: Apache-2.0
// Where a rule that is no linear bound stops a climb (longmem: every lambda >= 0), the maximum may
// lie on it: the climb goes on along it, with one parameter following from the others.
//
//   WallClimb walls(problem);
//   walls.climb(stalled);
//   walls.keep_corner(peak, held, name);       // where several meet
//   if (walls.highest()) ...                   // a maximum on a wall, which is named
#pragma once

#include <optional>

#include "estimation/problem.hpp"

namespace brace::inline v0 {

class WallClimb {
 public:
  explicit WallClimb(Problem& problem) : problem_(problem) {}

  // From where a climb stalled, along the wall next to it, to a maximum from which the likelihood
  // falls into the admitted side. Kept where it is higher than what was found before.
  void climb(const maths::NewtonResult& stalled);

  // A maximum with some parameters of the variance held where bounds and such rules meet: kept
  // where it is higher, and where to first order no step that they leave open leads on.
  void keep_corner(const Peak& held, const std::vector<Held>& at, const std::string& name);

  [[nodiscard]] const std::optional<Peak>& highest() const { return highest_; }

 private:
  std::optional<Peak> climbed_along(const Wall& wall, const ScaledParameters& from);
  [[nodiscard]] bool falls_inward(const Wall& wall, const Peak& peak);
  [[nodiscard]] bool is_corner(const ScaledParameters& top);

  Problem& problem_;
  std::optional<Peak> highest_;
};

}  // namespace brace::inline v0
