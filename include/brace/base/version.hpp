// SPDX-License-Identifier: Apache-2.0
// Which Brace this is: of the headers that a program was compiled with, and of the library that it
// runs on.
//
//   static_assert(BRACE_VERSION_MINOR >= 1);
//   if (brace::version() != BRACE_VERSION) std::cerr << "headers and library differ";
//
// All names stand in the inline namespace brace::v0: write brace::Fit, and see v0 in symbols. It
// changes with an interface that older programs cannot link to.
//
// Threads: constants alone.
#pragma once

#include <string_view>

#include "brace/base/api.hpp"

// CMakeLists.txt reads the version from here.
#define BRACE_VERSION_MAJOR 0
#define BRACE_VERSION_MINOR 1
#define BRACE_VERSION_PATCH 0
#define BRACE_VERSION "0.1.0"

BRACE_API_BEGIN
namespace brace::inline v0 {

// BRACE_VERSION of the library.
[[nodiscard]] std::string_view version();

}  // namespace brace::inline v0
BRACE_API_END
