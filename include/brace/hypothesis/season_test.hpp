// SPDX-License-Identifier: Apache-2.0
// Is there a season, in the values or in their size?
//
//   auto test = brace::hypothesis::season_test(brace::decompose(prices, {.period = 12}));
//   auto hours = brace::hypothesis::profile_test(returns, brace::ProfileBy::time_of_day);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/decomposition.hpp"
#include "brace/series/profile.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

// Null: the values have the same law at every place in the period. Kruskal and Wallis (1952) on
// ranks, corrected for ties; chi-squared with places - 1 degrees of freedom. Of what the values
// (their logarithms, if multiplicative) leave over their own lags: as many as BIC chooses, with
// coefficients of the values less the means of the season, so that a season is not taken out.
[[nodiscard]] TestResult season_test(const Decomposition& parts);

// Null: moves are of the same size at each time of day or weekday. Ranks of |y - median|.
// Volatility that clusters over days is spread over all places: p is then a little too large (it
// rejects in 2.5 to 3.5 % of series of garch where 5 % are asked for).
[[nodiscard]] TestResult profile_test(const Series& series, ProfileBy by);

}  // namespace brace::inline v0::hypothesis

namespace brace::inline v0 {

// A profile as a table, a bar a slot, with the test's verdict first.
void print(std::ostream& out, const VolatilityProfile& profile, const TestResult& test,
           const Series& series);

}  // namespace brace::inline v0
BRACE_API_END
