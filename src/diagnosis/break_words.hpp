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

// Whether the interval of the last date leaves most of the sample out; and what follows that date.
[[nodiscard]] bool last_date_is_known(const BreakReport& report);
[[nodiscard]] std::size_t rows_after_breaks(const BreakReport& report);

[[nodiscard]] std::string reading_of(const BreakReport& report);
[[nodiscard]] std::vector<std::string> advice_of(const BreakReport& report);

}  // namespace brace::inline v0
