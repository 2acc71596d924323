// SPDX-License-Identifier: Apache-2.0
// The climb to the maximum of the exact likelihood of a mean equation.
//
//   SmallerModels smaller;
//   Peak peak = climb_exact(problem, smaller);
#pragma once

#include "estimation/problem.hpp"

namespace brace::inline v0 {

class SmallerModels;

// `smaller` is shared by models of the same mean on the same rows.
[[nodiscard]] Peak climb_exact(Problem& problem, SmallerModels& smaller);

}  // namespace brace::inline v0
