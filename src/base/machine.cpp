// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp.
#include "brace/base/machine.hpp"

#include <atomic>

namespace brace::inline v0 {
namespace {

std::atomic<bool> plain{false};

}  // namespace

void use_plain_kernels() {
  plain.store(true, std::memory_order_relaxed);
}

bool plain_kernels_are_used() {
  return plain.load(std::memory_order_relaxed);
}

}  // namespace brace::inline v0
