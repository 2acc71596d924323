// SPDX-License-Identifier: Apache-2.0
// The one instantiation of the likelihood that the library uses.
#include "likelihood/joint_passes.hpp"

namespace brace {
template class JointLikelihood<double>;
}  // namespace brace
