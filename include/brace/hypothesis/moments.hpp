// SPDX-License-Identifier: Apache-2.0
// Sample moments, and tests on them.
//
//   brace::Moments m = brace::moments(returns);
//   brace::TestResult normal = brace::hypothesis::jarque_bera(returns);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct Moments {
  std::size_t n = 0;  // values present
  double mean = 0;
  double sd = 0;  // divisor n - 1
  double min = 0, median = 0, max = 0;
  double skewness = 0;         // m3 / m2^1.5, moments with 1/n
  double excess_kurtosis = 0;  // m4 / m2^2 - 3
};

namespace maths {
// Of at least one value, none of them missing.
[[nodiscard]] double median(std::vector<double> x);
}  // namespace maths

// At least two values, not all equal; else Error.
[[nodiscard]] Moments moments(const Series& series);

namespace hypothesis {

// Null: the values are independent draws of a normal law. n/6 (g1^2 + g2^2/4), chi-squared with 2
// degrees of freedom (Jarque and Bera 1980). Slow to reach its limit law: small n gives too few
// rejections at 5 %.
[[nodiscard]] TestResult jarque_bera(const Series& series);

// Null: the law is symmetric (skewness 0), whatever its tails and though volatility clusters: g1
// over its long-run standard error (Bai and Ng 2005; Bartlett, bandwidth as in
// mean_zero); normal law. Low power where the tails have no sixth moment.
[[nodiscard]] TestResult symmetry_test(const Series& series);

// Null: the kurtosis is the normal's, for independent values; g2 brought to the normal law by
// Anscombe and Glynn (1983). At least 20 values, else Error.
[[nodiscard]] TestResult kurtosis_test(const Series& series);

// Null: the mean is zero. t = mean / (s / sqrt n) with s^2 the long-run variance (Bartlett,
// bandwidth floor(4 (n/100)^(2/9))), since returns may be correlated; normal law.
[[nodiscard]] TestResult mean_zero_test(const Series& series);

}  // namespace hypothesis
}  // namespace brace::inline v0
BRACE_API_END
