// SPDX-License-Identifier: Apache-2.0
// Is the level a random walk? The variance of its q-step moves against q times that of one step.
//
//   auto result = brace::hypothesis::variance_ratio(brace::log_level(prices), {.periods = {2, 5,
//   10}}); std::cout << result.tests.back();   // the joint test
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <cstdint>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

struct VarianceRatioOptions {
  std::vector<int> periods{2, 5, 10};  // each at least 2 and below n / 2
  int draws = 999;                     // of the wild bootstrap
  std::uint64_t seed = 1;
};

struct VarianceRatio {
  struct Row {
    int period = 0;
    double ratio = 0;                   // 1 under the null; overlapping, unbiased
    double z = 0, p_value = 0;          // against equal variances, normal law
    double z_robust = 0, p_robust = 0;  // against changing variances, normal law
  };
  std::vector<Row> rows;
  std::vector<TestResult> tests;  // one a period, then the joint one (the largest |z|)
};

// Null: the increments are uncorrelated; their variance may change. z by Lo and MacKinlay (1988,
// equations 14, 19 and 20); p-values of the tests by a wild bootstrap with random signs (Kim 2006),
// which holds its size in small samples; joint: Chow and Denning (1993). Gaps are closed.
[[nodiscard]] VarianceRatio variance_ratio(const Series& level,
                                           const VarianceRatioOptions& options = {},
                                           const Executor& executor = serial());

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
