// SPDX-License-Identifier: Apache-2.0
// How much of the machine is used: the newest instructions of its processor, or only those that
// every machine has.
//
//   brace::use_plain_kernels();     // before the first fit
//
// Threads: to be called before other threads compute.
#pragma once

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// From here on likelihoods are computed two numbers at a time, each product and each sum rounded by
// itself, so that results do not depend on the processor; what is left is what exp and log of the
// C library differ by. Takes about twice the time.
void use_plain_kernels();

// Whether that was asked for.
[[nodiscard]] bool plain_kernels_are_used();

}  // namespace brace::inline v0
BRACE_API_END
