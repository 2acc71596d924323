// SPDX-License-Identifier: Apache-2.0
// The climb to the maximum of the joint likelihood of mean, variance and shocks, which may have
// many hills and, in mu, kinks.
//
//   Peak peak = climb_joint(problem);
#pragma once

#include "estimation/problem.hpp"

namespace brace::inline v0 {

[[nodiscard]] Peak climb_joint(Problem& problem);

}  // namespace brace::inline v0
