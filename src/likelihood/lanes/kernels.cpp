// SPDX-License-Identifier: Apache-2.0
// Which kernels this machine can run. Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/kernels.hpp"

#include "brace/base/machine.hpp"

namespace brace::inline v0 {

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
    // What each file is compiled for (src/CMakeLists.txt), by names that GCC and clang both know.
    const bool v3 = __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma") &&
                    __builtin_cpu_supports("bmi") && __builtin_cpu_supports("bmi2");
    const bool v4 = v3 && __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") &&
                    __builtin_cpu_supports("avx512cd") && __builtin_cpu_supports("avx512dq") &&
                    __builtin_cpu_supports("avx512vl");
    if (v3) kernels.push_back(&kV3Kernels);
    if (v4) kernels.push_back(&kV4Kernels);
#endif
    return kernels;
  }();
  return runnable;
}

const LaneKernels& lane_kernels() {
  return plain_kernels_are_used() ? kPlainKernels : *runnable_lane_kernels().back();
}

}  // namespace brace::inline v0
