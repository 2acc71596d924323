// SPDX-License-Identifier: Apache-2.0
// Deviations from the mean of the values present, 0 where one is missing, which drops its pairs
// from every sum of products.
//
//   std::size_t present = 0;
//   const std::vector<double> d = deviations_from_mean(y, present);
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace brace::inline v0::maths {

[[nodiscard]] std::vector<double> deviations_from_mean(std::span<const double> y,
                                                       std::size_t& present);

}  // namespace brace::inline v0::maths
