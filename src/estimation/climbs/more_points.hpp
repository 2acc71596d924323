// SPDX-License-Identifier: Apache-2.0
// Where a search for the maximum goes on once the climbs from its starts have ended: points between
// and around the starts, points beside the highest end, and the models that this one contains.
//
//   climb(scattered(problem, starts, 64));
//   climb(on_each_bound(problem, best, inner));
#pragma once

#include <vector>

#include "estimation/problem.hpp"

namespace brace::inline v0 {

// Between two of the starts or, every second one, beyond them, with other shapes and another mu:
// the same on every run.
[[nodiscard]] std::vector<WorkingPoint> scattered(const Problem& problem,
                                                  const std::vector<WorkingPoint>& starts,
                                                  std::size_t count);

// The point nearest to x that meets the bounds, as `inner` does but for rounding.
[[nodiscard]] WorkingPoint brought_inside(const Problem& problem, const WorkingPoint& x,
                                          const WorkingPoint& inner);

// Beside the end of a climb, where it is flat and a hill of its own may rise: each coordinate of
// variance and shocks moved to each of its bounds that does not hold it yet, and sums to theirs.
[[nodiscard]] std::vector<WorkingPoint> on_each_bound(const Problem& problem,
                                                      const maths::NewtonResult& end,
                                                      const WorkingPoint& inner);

// Where parameters lie that mean nearly the same as those at x.
[[nodiscard]] std::vector<WorkingPoint> twins_of(const Problem& problem, const WorkingPoint& x,
                                                 const WorkingPoint& inner);

// Models that this one contains, which differ in one thing: a plainer law, whose hills of tails
// that are hardly there are met by no start that has heavy ones; a lag of the variance less.
[[nodiscard]] std::vector<Model> contained_models(const Model& model);

// Lags of the variance in pairs of one each, at least one.
[[nodiscard]] double pairs_of_lags(const Model& model);

}  // namespace brace::inline v0
