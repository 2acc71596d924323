// SPDX-License-Identifier: Apache-2.0
// Minimises a function within bounds without derivatives, through NLopt: for jobs where speed is
// not the point and derivatives are not to be had.
//
//   auto r = brace::maths::minimise_bounded(f, {.3, .1}, {0, 0}, {1, 1});   // r.x, r.f
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::maths {

struct BoundedOptions {
  // Stop once a step changes every coordinate by less than this share of it.
  double relative = 1e-8;
  int max_evaluations = 20000;
};

struct BoundedResult {
  std::vector<double> x;
  double f = 0;
  int evaluations = 0;
  bool converged = false;  // false: the cap was reached; x is the best point seen
};

// Nelder and Mead (1965) on subspaces (Rowan 1990). `start` must lie within the bounds; f may
// return infinity where it is not defined.
[[nodiscard]] BoundedResult minimise_bounded(
    const std::function<double(std::span<const double>)>& f, std::vector<double> start,
    const std::vector<double>& low, const std::vector<double>& high,
    const BoundedOptions& options = {});

}  // namespace brace::inline v0::maths
BRACE_API_END
