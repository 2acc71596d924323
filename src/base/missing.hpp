// SPDX-License-Identifier: Apache-2.0
// What stands for a missing value in a row of numbers.
#pragma once

#include <limits>

namespace brace::inline v0 {

inline constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

}  // namespace brace::inline v0
