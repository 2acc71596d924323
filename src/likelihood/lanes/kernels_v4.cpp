// SPDX-License-Identifier: Apache-2.0
// The lane kernels for machines with AVX-512. Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/loops.hpp"
#include "likelihood/lanes/one_state.hpp"
#include "likelihood/lanes/pass.hpp"
#include "likelihood/lanes/two_lags.hpp"

namespace brace::inline v0 {

extern const LaneKernels kV4Kernels{"x86-64-v4",  8,           chunked<8>, side_by_side<8>,
                                    one_state<8>, two_lags<8>, slide<8>,   powers<8>};

}  // namespace brace::inline v0
