// SPDX-License-Identifier: Apache-2.0
// Is anything systematic left in the residuals of a fit?
//
//   brace::Check checked = brace::check(fitted);
//   std::cout << checked;       // verdict, then each test with its null
#pragma once

#include <complex>
#include <iosfwd>
#include <optional>
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

  // Rows in a season, whose multiples are looked at among the lags; 0 takes the model's or, in
  // months and quarters, the year's.
  int period = 0;
};

// An inverse root of the ARMA equation: inside the unit circle where it is stationary or
// invertible.
struct InverseRoot {
  bool ar = true;  // else of the MA side
  std::complex<double> value;
};

// A lag at which the autocorrelation of z lies outside its 95 % band.
struct Spike {
  int lag = 0;
  double acf = 0, band = 0;
  bool seasonal = false;  // a multiple of the period
};

struct Check {
  std::string model;
  // ljung-box and ljung-box-robust on z, mcleod-li on z^2, arch-lm on z, jarque-bera on z (not
  // after a variance equation with another law than the normal). After a variance equation li-mak,
  // arch-left, sign-bias (three and joint), law-fit and nyblom (joint and single); for mean models
  // breusch-pagan (on the fitted values, and on them and their squares: White) and chow (two
  // halves).
  std::vector<TestResult> tests;
  // Ljung-Box on z at several lags, degrees of freedom less the ARMA terms.
  std::vector<TestResult> whiteness;
  std::vector<Spike> spikes;
  int lags_looked_at = 0;  // for the spikes; chance alone gives one in twenty
  std::vector<InverseRoot> roots;
  CheckVerdict verdict = CheckVerdict::not_judged;
  std::string reading;
  std::vector<Warning> warnings;
};

// Tests on z = e / sqrt(h). The mean is judged by Ljung-Box with the degrees of freedom less the
// ARMA terms, in its robust form where the variance is found wanting; the variance by McLeod-Li and
// ARCH-LM together (the smaller p doubled, Bonferroni). Both are in their plain form, which rejects
// too seldom after a variance equation was fitted (Li and Mak 1994). The others inform and do not
// enter the verdict.
[[nodiscard]] Check check(const Fit& fit, const CheckOptions& options = {});

// Two p-values that rank candidates: McLeod-Li on z^2, and Ljung-Box on z with the degrees of
// freedom less the ARMA terms, in its robust form where the first rejects. Empty where z is too
// short.
struct ResidualP {
  std::optional<double> whiteness, arch;
};
[[nodiscard]] ResidualP residual_p(const Fit& fit);

// Of the AR side, then of the MA side.
[[nodiscard]] std::vector<InverseRoot> inverse_roots(const Fit& fit);

// Null: the variance of the residuals does not move with the fitted values (and, with `squares`,
// with their squares: White 1980). e_t^2 on these, n R^2, chi-squared (Breusch and Pagan 1979 in
// the form of Koenker 1981, which needs no normality).
[[nodiscard]] TestResult breusch_pagan(const Fit& fit, bool squares = false);

// Null: the parameters of the first half hold in the second. Both halves are fitted;
// (a - b)' (V_a + V_b)^-1 (a - b), chi-squared. Throws Error (too_few_observations) where a half is
// too short or its fit is not usable.
[[nodiscard]] TestResult two_halves(const Fit& fit);

std::ostream& operator<<(std::ostream& out, const Check& check);

}  // namespace brace
