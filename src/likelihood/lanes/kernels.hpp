// SPDX-License-Identifier: Apache-2.0
// Passes over GARCH(1,1), and over GJR(1,1), with a constant mean in lanes of a vector register,
// compiled for several instruction sets and chosen when the program runs.
//
//   const brace::LaneKernels& kernels = brace::lane_kernels();
//   kernels.chunked(law, order, {.lanes = ..., .n = ...}, theta, presample, sums);
//
// The recursion waits for itself: one row cannot begin before h of the row before is known. Lanes
// break the wait in two ways. `chunked` cuts one series in W pieces, runs them side by side from
// zero, patches the state at the start of each (the recursion is linear in it) and runs again from
// there: equal to one scalar pass to rounding. `side_by_side` runs W windows of a series, or W
// points on one window, a lane each.
//
// A kernel's file must not define anything that another file may share: a function of the standard
// library compiled for a newer machine would be linked in the place of the plain one
// (tests/likelihood/lanes_test.cpp looks at the symbols).
#pragma once

#include <cstddef>
#include <vector>

namespace brace::inline v0 {

enum class LaneFamily { garch, gjr };
enum class LaneLaw { normal, student };
// `products` are sums of products of the rows' gradients.
enum class LaneOrder { value, gradient, scoring, hessian, products };

// mu, omega, alpha, beta, nu (read by Student's law only) and gamma (by gjr only), on data of about
// unit variance.
inline constexpr std::size_t kLaneParameters = 6;
// Log-likelihood without the law's constants, its gradient, and a packed lower triangle: of second
// derivatives (hessian), of the expected information in all but nu (scoring), or of products of
// rows' gradients.
inline constexpr std::size_t kLaneSums =
    1 + kLaneParameters + kLaneParameters * (kLaneParameters + 1) / 2;
inline constexpr int kMostLanes = 8;

// The mean of e^2 with its first and second derivative by mu: e^2 and h before the first row.
struct LanePresample {
  double m, m1, m2;
};

struct LaneSeries {
  const double* lanes;  // (n / width) x width: row j of every piece, then
  const double* rest;   // the n % width rows that are left over
  std::size_t n;
};

struct LaneWindows {
  const double* first;  // first row of the first window
  std::size_t n;        // rows of each
  std::size_t stride;   // rows from one window's start to the next's; 0: the same window
};

struct LaneKernels {
  const char* name;  // as a compiler's -march
  int width;         // lanes

  // theta: kLaneParameters numbers; sums: kLaneSums.
  void (*chunked)(LaneFamily family, LaneLaw law, LaneOrder order, const LaneSeries& series,
                  const double* theta, const LanePresample& presample, double* sums);

  // Element (i, lane) of theta, and of sums, at i * width + lane; a presample a lane.
  void (*side_by_side)(LaneFamily family, LaneLaw law, LaneOrder order, const LaneWindows& windows,
                       const double* theta, const LanePresample* presample, double* sums);
};

// The fastest of those that this machine can run.
[[nodiscard]] const LaneKernels& lane_kernels();
// All that it can run, plainest first.
[[nodiscard]] const std::vector<const LaneKernels*>& runnable_lane_kernels();

}  // namespace brace::inline v0
