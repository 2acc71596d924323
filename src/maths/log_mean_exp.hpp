// SPDX-License-Identifier: Apache-2.0
// Means of what is known by its logarithm, safe from overflow.
//
//   double of_mixture = brace::maths::log_mean_exp(log_densities);           // equal parts
//   double of_pool = brace::maths::log_mean_exp(log_densities, weights);     // that add up to 1
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <span>

namespace brace::inline v0::maths {

// ln of the mean of exp(v); -infinity for none. NaN where one is.
[[nodiscard]] inline double log_mean_exp(std::span<const double> v,
                                         std::span<const double> weights = {}) {
  double top = -std::numeric_limits<double>::infinity();
  for (const double x : v) top = std::max(top, x);
  if (!std::isfinite(top)) return top;
  double sum = 0;
  for (std::size_t i = 0; i < v.size(); ++i)
    sum +=
        (weights.empty() ? 1 / static_cast<double>(v.size()) : weights[i]) * std::exp(v[i] - top);
  return top + std::log(sum);
}

}  // namespace brace::inline v0::maths
