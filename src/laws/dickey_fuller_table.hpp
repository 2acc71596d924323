// SPDX-License-Identifier: Apache-2.0
// The quantile surfaces behind dickey_fuller.hpp; the numbers are in dickey_fuller_table.cpp, which
// tools/laws/tables_to_cpp writes from tools/laws/dickey_fuller.json.
#pragma once

#include <array>
#include <cstddef>

namespace brace::laws {

inline constexpr std::size_t kSurfaceLevels = 221;

using Surface = std::array<std::array<double, 3>, kSurfaceLevels>;  // b0, b1, b2 a level

extern const std::array<double, kSurfaceLevels> kLevels;  // lower-tail probabilities
extern const Surface kTauNone, kTauConstant, kTauTrend;

}  // namespace brace::laws
