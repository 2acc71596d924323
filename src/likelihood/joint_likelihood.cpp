// SPDX-License-Identifier: Apache-2.0
// The joint likelihood in double. Covered by tests/likelihood/likelihood_test.cpp.
#include "likelihood/joint_passes.hpp"

namespace brace::inline v0 {

BRACE_STAGES_OF(double);
template class JointLikelihood<double>;

}  // namespace brace::inline v0
