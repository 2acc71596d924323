// SPDX-License-Identifier: Apache-2.0
// Newton's method on several windows of one series at once, a lane each.
//
//   brace::LaneWindowClimb climb(model, y, 1);
//   climb.run(0, 1000, start, found);
#pragma once

#include <span>
#include <vector>

#include "brace/estimation/rolling.hpp"
#include "estimation/coordinates.hpp"
#include "likelihood/lanes/lane_likelihood.hpp"

namespace brace::inline v0 {

class LaneWindowClimb {
 public:
  // y has no gaps; the model is one that lanes_serve() and nothing of it is held. Windows begin
  // `stride` rows apart.
  LaneWindowClimb(const Model& model, std::span<const double> y, std::size_t stride,
                  const LaneKernels& kernels = lane_kernels());

  [[nodiscard]] std::size_t width() const { return static_cast<std::size_t>(kernels_.width); }

  // Climbs up to width() windows of n rows, the first of which begins at `first`, from `start`
  // (parameters in the unit of the data). Fills what converged inside all bounds; where a window
  // did not, its status stays not_run: the caller climbs it with more care.
  void run(std::size_t first, std::size_t n, const std::vector<double>& start,
           std::span<RollingFit> found) const;

 private:
  struct Lane;
  // One Newton step of a lane from the sums of a pass; true where it is done, for better or worse.
  bool step(Lane& lane, std::size_t n, const double* sums) const;
  void write(const Lane& lane, std::size_t n, RollingFit& found) const;

  const LaneKernels& kernels_;
  std::size_t stride_;
  LaneModel of_;
  Coordinates coordinates_;
  double centre_ = 0, scale_ = 1;
  std::vector<double> y_;               // scaled, with room for lanes that have no window
  std::vector<double> sums_, squares_;  // of the rows before each
};

}  // namespace brace::inline v0
