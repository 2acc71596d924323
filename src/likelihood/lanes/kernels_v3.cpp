// SPDX-License-Identifier: Apache-2.0
// The lane kernels for machines with AVX2 and fused multiply-add. Covered by
// tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/loops.hpp"
#include "likelihood/lanes/one_state.hpp"
#include "likelihood/lanes/pass.hpp"
#include "likelihood/lanes/two_lags.hpp"

namespace brace::inline v0 {

extern const LaneKernels kV3Kernels{"x86-64-v3",  4,           chunked<4>, side_by_side<4>,
                                    one_state<4>, two_lags<4>, slide<4>,   powers<4>};

}  // namespace brace::inline v0
