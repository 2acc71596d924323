// SPDX-License-Identifier: Apache-2.0
// Did the parameters of a fitted model change within the sample?
//
//   auto tests = brace::nyblom(fitted);            // joint first, then each parameter
//   auto scan = brace::variance_break_test(fitted);  // one break in the variance equation, dated
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Null: the parameters are constant, against their wandering off as random walks (Nyblom 1989;
// Hansen 1992): cumulated scores. Joint, then one a free parameter. No date. Throws
// Error (bad_option) for a fit that must not be used.
[[nodiscard]] std::vector<TestResult> nyblom(const Fit& fit);

struct VarianceBreakOptions {
  int dates = 30;  // evenly over the middle .7 of the sample
};

// Null: the variance equation is constant; mean and shocks' law stay at their estimates. Largest
// likelihood ratio of one equation against one on each side of a date (Andrews 1993). Right where
// the shocks' law is; NOT proof where it is not. Throws Error (too_few_observations) below 300 rows
// or 10 dates.
[[nodiscard]] TestResult variance_break_test(const Fit& fit,
                                             const VarianceBreakOptions& options = {},
                                             const Executor& executor = serial());

}  // namespace brace::inline v0
BRACE_API_END
