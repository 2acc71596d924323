// SPDX-License-Identifier: Apache-2.0
// Warnings: what an analyst must know before trusting a number. They travel inside results.
//
//   brace::print_warnings(std::cerr, fitted.warnings);
//   bool pinned = brace::has_warning(fitted.warnings, brace::WarningCode::parameter_at_bound);
//
// Threads: a plain value; reading one from several threads at once is safe.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// docs/warnings.md has a paragraph on each, under the same name.
enum class WarningCode {
  level_modelled,        // the series modelled looks like a level with a unit root
  trend_missing,         // a unit-root test without trend term on a series that trends
  over_differenced,      // differenced once more than it needed: an MA root at 1
  break_suspected,       // a test that allows a break reads otherwise than those that do not
  root_at_edge,          // an AR or MA factor at the edge of stationarity or invertibility
  parameter_at_bound,    // an estimate pinned at its bound: no standard error
  persistence_near_one,  // volatility hardly reverts: perhaps a break
  few_observations,      // fewer than the method needs to be trusted
  gaps_dropped,          // a test closed or dropped gaps
  zero_returns_many,     // many exact zeros: a flat or filled series
  few_rows_decide,       // one row, or a few, make most of the variance
  flat_bars,             // candles that only repeat the last close
  impossible_bar,        // a high below its low, open or close
  clock_irregular,       // dates that the clock should have and the file has not
  overnight_returns,     // returns over a session's pause among those within it
  variance_ignored,      // mean terms judged before the variance is modelled
  not_converged,         // the numbers are not estimates
  no_fourth_moment,      // the shock law has no finite fourth moment
  moment_undefined,      // a moment that a figure would be is infinite; another stands for it
  outlier_drives_fit,    // many rows stand out of what the model expects
  windows_left_out,      // fits to some windows of an average did not converge
  few_draws,             // the simulation's own error is too large to overlook
  draws_rejected,        // parameter draws outside the admissible region were redrawn
  fit_stopped,           // stopped before every start had been climbed
};

// The code as written in JSON, such as "persistence-near-one".
[[nodiscard]] std::string_view to_string(WarningCode code);

// The code so written; empty for a word that is none.
[[nodiscard]] std::optional<WarningCode> warning_code_from(std::string_view word);

struct Warning {
  WarningCode code;
  std::string text;  // what is the case, and the mend
};

[[nodiscard]] bool has_warning(const std::vector<Warning>& warnings, WarningCode code);

// Each with its code, indented and folded, as results print theirs.
void print_warnings(std::ostream& out, const std::vector<Warning>& warnings);

}  // namespace brace::inline v0
BRACE_API_END
