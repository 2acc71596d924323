// SPDX-License-Identifier: Apache-2.0
// Did intervals and tail forecasts hold? Tests on hits: rows outside an interval, or beyond a
// quantile.
//
//   brace::TestResult often = brace::hit_frequency_test(hits, .05);    // Kupiec
//   brace::TestResult alone = brace::hit_independence_test(hits);      // Christoffersen
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <span>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// All throw Error (too_few_observations) for fewer than 10 rows, (bad_option) for a share outside
// (0, 1).

// Null: hits come with the probability `expected` (Kupiec 1995, likelihood ratio, chi2(1)).
[[nodiscard]] TestResult hit_frequency_test(std::span<const unsigned char> hits, double expected);

// Null: a hit does not depend on the row before (Christoffersen 1998, chi2(1)).
[[nodiscard]] TestResult hit_independence_test(std::span<const unsigned char> hits);

// Both at once: the sum of the two, chi2(2).
[[nodiscard]] TestResult conditional_coverage(std::span<const unsigned char> hits, double expected);

// Null: nothing known the row before foretells a hit. Engle and Manganelli (2004): hits
// less `expected` on a constant, `lags` of their own and the forecast quantile, chi2(lags + 2).
[[nodiscard]] TestResult dynamic_quantile(std::span<const unsigned char> hits,
                                          std::span<const double> quantile, double expected,
                                          int lags = 4);

// Expected shortfall by the cumulated violations of Du and Escanciano (2017), H = 1(u <= alpha)
// (alpha - u) / alpha with u the probability transform of the row: every quantile below alpha is in
// it. `frequency`: their mean is alpha / 2 (equation 9, normal). `independence`: they are
// uncorrelated over `lags` (equation 12, chi2(lags)).
[[nodiscard]] TestResult shortfall_frequency_test(std::span<const double> transforms, double alpha);
[[nodiscard]] TestResult shortfall_independence_test(std::span<const double> transforms,
                                                     double alpha, int lags = 5);

}  // namespace brace::inline v0
BRACE_API_END
