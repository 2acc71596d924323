// SPDX-License-Identifier: Apache-2.0
// Is anything systematic left in the residuals of a fit?
//
//   brace::Check checked = brace::check(fitted);
//   std::cout << checked;       // verdict, then each test with its null
#pragma once

#include <iosfwd>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/warning.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/model/fit.hpp"

namespace brace {

enum class CheckVerdict {
  clean,               // nothing found at 5 %
  memory_in_mean,      // z is autocorrelated: the mean equation misses a lag
  memory_in_variance,  // z^2 is autocorrelated: the variance equation misses something
  memory_in_both,
  not_judged,  // the fit is not usable
};
[[nodiscard]] std::string_view to_string(CheckVerdict verdict);

struct CheckOptions {
  // Lags of the portmanteau and ARCH tests; 0 takes min(10, n/5), and at least one more than the
  // fitted ARMA terms.
  int lags = 0;
};

struct Check {
  std::string model;
  // ljung-box and ljung-box-robust on z, mcleod-li on z^2, arch-lm on z, jarque-bera on z
  std::vector<TestResult> tests;
  CheckVerdict verdict = CheckVerdict::not_judged;
  std::string reading;
  std::vector<Warning> warnings;
};

// Tests on z = e / sqrt(h). The mean is judged by Ljung-Box with the degrees of freedom less the
// ARMA terms, in its robust form where the variance is found wanting; the variance by McLeod-Li and
// ARCH-LM together (the smaller p doubled, Bonferroni). Both are in their plain form, which rejects
// too seldom after a variance equation was fitted (Li and Mak 1994). Jarque-Bera informs and does
// not enter the verdict: the law of the shocks may well not be normal.
[[nodiscard]] Check check(const Fit& fit, const CheckOptions& options = {});

std::ostream& operator<<(std::ostream& out, const Check& check);

}  // namespace brace
