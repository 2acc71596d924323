// SPDX-License-Identifier: Apache-2.0
// The lane kernels for every machine. Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/loops.hpp"
#include "likelihood/lanes/one_state.hpp"
#include "likelihood/lanes/pass.hpp"
#include "likelihood/lanes/two_lags.hpp"

namespace brace::inline v0 {

extern const LaneKernels kPlainKernels{"plain",      2,           chunked<2>, side_by_side<2>,
                                       one_state<2>, two_lags<2>, slide<2>,   powers<2>};

}  // namespace brace::inline v0
