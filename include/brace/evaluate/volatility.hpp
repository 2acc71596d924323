// SPDX-License-Identifier: Apache-2.0
// How good were variance forecasts, against something that the variance left behind: a squared
// return, or a measure from the day's range.
//
//   brace::VolatilityLosses l = brace::volatility_losses(squared_errors, forecasts);
//   brace::MincerZarnowitz fair = brace::mincer_zarnowitz(squared_errors, forecasts);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <span>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Means over the rows (Patton 2011, table 1). MSE and QLIKE rank forecasts rightly also where the
// proxy is noisy; MAE does not.
struct VolatilityLosses {
  std::size_t n = 0;
  double qlike = 0;        // ln h + p / h
  double qlike_ratio = 0;  // x - ln x - 1, x = p / h: 0 where the forecast was the proxy
  double mse = 0, mae = 0;
};

// Throws Error (bad_option) for lists of different length, a forecast that is not positive, a
// negative proxy; (too_few_observations) for none. A proxy of 0 leaves qlike_ratio infinite: there
// it takes the least positive proxy.
[[nodiscard]] VolatilityLosses volatility_losses(std::span<const double> proxy,
                                                 std::span<const double> forecast);

// ln h + p / h of each row.
[[nodiscard]] std::vector<double> qlike_by_row(std::span<const double> proxy,
                                               std::span<const double> forecast);

// p = a + b h + u by least squares (Mincer and Zarnowitz 1969): a fair forecast has a = 0, b = 1.
struct MincerZarnowitz {
  double a = 0, b = 0, a_error = 0, b_error = 0, r2 = 0;
  TestResult fair;         // F(2, n - 2) of a = 0 and b = 1
  TestResult fair_robust;  // the same, chi2(2), with White's errors: proxies are heteroskedastic
};
[[nodiscard]] MincerZarnowitz mincer_zarnowitz(std::span<const double> proxy,
                                               std::span<const double> forecast);

}  // namespace brace::inline v0
BRACE_API_END
