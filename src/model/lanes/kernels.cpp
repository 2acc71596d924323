// SPDX-License-Identifier: Apache-2.0
// Which kernels this machine can run. Covered by tests/model/lanes_test.cpp.
#include "model/lanes/kernels.hpp"

namespace brace {

// One file each, of the same text (pass.hpp).
extern const LaneKernels kPlainKernels;  // any machine
#ifdef BRACE_X86_KERNELS
extern const LaneKernels kV3Kernels;  // AVX2 and fused multiply-add
extern const LaneKernels kV4Kernels;  // AVX-512
#endif

const std::vector<const LaneKernels*>& runnable_lane_kernels() {
  static const std::vector<const LaneKernels*> runnable = [] {
    std::vector<const LaneKernels*> kernels{&kPlainKernels};
#ifdef BRACE_X86_KERNELS
    if (__builtin_cpu_supports("x86-64-v3")) kernels.push_back(&kV3Kernels);
    if (__builtin_cpu_supports("x86-64-v4")) kernels.push_back(&kV4Kernels);
#endif
    return kernels;
  }();
  return runnable;
}

const LaneKernels& lane_kernels() {
  return *runnable_lane_kernels().back();
}

}  // namespace brace
