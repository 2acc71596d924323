// SPDX-License-Identifier: Apache-2.0
// Volatility from open, high, low and close: the range of a day tells more than its close.
//
//   auto days = table.bars();
//   auto variance = brace::mean_variance(*days, brace::RangeEstimator::yang_zhang);  // percent^2
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Prices of each period, all positive and as long as one another; NaN where missing.
struct Bars {
  std::vector<double> open, high, low, close;
};

enum class RangeEstimator {
  close_to_close,   // squared log change of the close, for comparison
  parkinson,        // high and low, no drift (Parkinson 1980)
  garman_klass,     // all four, no drift (Garman and Klass 1980, without its small cross terms)
  rogers_satchell,  // all four, any drift (Rogers and Satchell 1991)
  yang_zhang,       // the night as well, any drift (Yang and Zhang 2000); only as a mean
};

// "garman-klass".
[[nodiscard]] std::string_view to_string(RangeEstimator estimator);

// Variance of each period in percent squared, NaN where a price is missing (or the close before,
// for close_to_close). All but close_to_close leave out the night between close and open. Throws
// Error (bad_option) for yang_zhang, which needs a sample.
[[nodiscard]] std::vector<double> range_variances(const Bars& bars, RangeEstimator estimator);

// Mean variance of a period in percent squared over the periods that are whole. Parkinson,
// Garman-Klass and Rogers-Satchell are of the time from open to close; yang_zhang and
// close_to_close are of the whole day. Empty with fewer than three whole periods.
[[nodiscard]] std::optional<double> mean_variance(const Bars& bars, RangeEstimator estimator);

// The first period (0-based) whose high is below its low, open or close, or whose low is above
// them, or that has a price <= 0: no bar at all.
[[nodiscard]] std::optional<std::size_t> first_impossible(const Bars& bars);

// Periods that only repeat the last close in all four prices: holidays kept as flat candles.
[[nodiscard]] std::size_t flat_bars(const Bars& bars);

}  // namespace brace::inline v0
BRACE_API_END
