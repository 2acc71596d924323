// SPDX-License-Identifier: Apache-2.0
// Quantiles of draws, several at once.
//
//   const std::vector<double> q = brace::maths::quantiles(values, std::array{.025, .5, .975});
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace brace::inline v0::maths {

// One for each of the orders p, between the two order statistics around p (n + 1), so that another
// draw from the same law lies below it with probability p (Wilks 1941); the least and the greatest
// value where n is too small for that. There must be at least one value.
[[nodiscard]] std::vector<double> quantiles(std::span<const double> values,
                                            std::span<const double> p);
[[nodiscard]] inline double quantile(std::span<const double> values, double p) {
  return quantiles(values, {&p, 1}).front();
}

// The values of these ranks, counted from 0 for the least; each must be below the number of values.
[[nodiscard]] std::vector<double> order_statistics(std::span<const double> values,
                                                   std::span<const std::size_t> ranks);
// Of the `count` least values, the greatest of which is `last`.
[[nodiscard]] double mean_of_lowest(std::span<const double> values, std::size_t count, double last);

}  // namespace brace::inline v0::maths
