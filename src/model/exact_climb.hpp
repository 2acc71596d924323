// SPDX-License-Identifier: Apache-2.0
// The climb to the maximum of the exact likelihood of a mean equation.
//
//   Peak peak = climb_exact(problem);
#pragma once

#include "model/problem.hpp"

namespace brace {

[[nodiscard]] Peak climb_exact(Problem& problem);

}  // namespace brace
