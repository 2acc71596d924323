// SPDX-License-Identifier: Apache-2.0
// Does the season wander? Unit roots at the seasonal frequencies, and how often to difference.
//
//   auto roots = brace::hypothesis::seasonal_roots(brace::log_level(monthly), {.period = 12});
//   std::cout << brace::hypothesis::suggest_differences(brace::log_level(monthly), 12).reading;
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/unit_root_battery.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

struct SeasonalRootsOptions {
  int period = 12;          // 4 or 12
  bool with_trend = false;  // beside the seasonal constants
  LagRule rule = LagRule::bic;
  int lags = 0;  // lagged seasonal differences with LagRule::fixed; else chosen among 0 .. period
};

// Null: there are unit roots. y_t - y_{t-s} on seasonal constants and the level filtered to each
// frequency (Hylleberg, Engle, Granger and Yoo 1990; Beaulieu and Miron 1993). In
// this order: t at frequency zero, F at each pair of frequencies, t at the alternating one, F of
// all but frequency zero, F of all. Rows with a missing term are dropped: a gap costs a period or
// two.
[[nodiscard]] std::vector<TestResult> seasonal_roots(const Series& series,
                                                     const SeasonalRootsOptions& options = {});

struct DifferencesSuggested {
  int regular = 0;   // d
  int seasonal = 0;  // D, of the period given
  std::string reading;
  std::vector<TestResult> tests;  // what decided, in order
};

// One seasonal difference where the F of the seasonal frequencies does not reject (period 4 or 12,
// else none is considered), then differences as long as the battery asks for one
// (`asks_for_difference`), two at most. A deterministic given holds for the series itself.
[[nodiscard]] DifferencesSuggested suggest_differences(const Series& series,
                                                       std::optional<int> period = {},
                                                       const BatteryOptions& options = {});

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
