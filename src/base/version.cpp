// SPDX-License-Identifier: Apache-2.0
// Covered by tests/base/base_test.cpp.
#include "brace/base/version.hpp"

namespace brace::inline v0 {

std::string_view version() {
  return BRACE_VERSION;
}

}  // namespace brace::inline v0
