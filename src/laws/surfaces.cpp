// SPDX-License-Identifier: Apache-2.0
// The tables of the simulated laws. Covered by tests/laws/laws_test.cpp.
#include "laws/surfaces.hpp"

namespace brace::laws {
namespace {

#include "laws/surfaces_table.inc"

}  // namespace

const std::span<const Surface> kSurfaces = kAll;

}  // namespace brace::laws
