// SPDX-License-Identifier: Apache-2.0
// The tables of the simulated laws. Covered by tests/laws/laws_test.cpp.
#include "laws/response_surfaces.hpp"

namespace brace::inline v0::laws {
namespace {

#include "laws/response_surfaces_table.inc"

}  // namespace

const std::span<const ResponseSurface> kResponseSurfaces = kAll;

}  // namespace brace::inline v0::laws
