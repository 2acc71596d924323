// SPDX-License-Identifier: Apache-2.0
// The one instantiation of the likelihood that the library uses.
#include "model/likelihood_passes.hpp"

namespace brace {
template class Likelihood<double>;
}  // namespace brace
