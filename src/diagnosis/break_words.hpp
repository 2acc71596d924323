// SPDX-License-Identifier: Apache-2.0
// The verdict and the advice of a search for breaks, from its numbers alone.
//
//   report.reading = reading_of(report);
//   report.advice = advice_of(report);
#pragma once

#include <string>
#include <vector>

#include "brace/diagnosis/find_breaks.hpp"

namespace brace::inline v0 {

[[nodiscard]] std::string reading_of(const BreakReport& report);
[[nodiscard]] std::vector<std::string> advice_of(const BreakReport& report);

}  // namespace brace::inline v0
