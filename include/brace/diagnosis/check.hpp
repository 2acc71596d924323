// SPDX-License-Identifier: Apache-2.0
// Is anything systematic left in the residuals of a fit?
//
//   brace::Check checked = brace::check(fitted);
//   std::cout << checked;       // verdict, then each test with its null
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <complex>
#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/warning.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// What the tests ask, in the order in which they are told.
enum class CheckQuestion {
  mean,       // is any memory left in z?
  variance,   // is anything left in z^2: clustering, signs, the level?
  law,        // do the shocks follow the law?
  constancy,  // are the parameters constant?
};
[[nodiscard]] std::string_view to_string(CheckQuestion question);

enum class CheckAnswer {
  holds,     // no test of the question rejects at 5 %
  doubtful,  // one that does not decide rejects
  fails,     // one that decides rejects
};
[[nodiscard]] std::string_view to_string(CheckAnswer answer);

// The tests of one question, led by their answer. Which of them decide is told at check().
struct CheckGroup {
  CheckQuestion question = CheckQuestion::mean;
  CheckAnswer answer = CheckAnswer::holds;
  std::string reading;  // a sentence that agrees with every test below it
  std::string finding;  // what fails, in few words; empty where nothing does
  std::vector<TestResult> tests;
};

// Of all questions: the first one below that fails gives its name. A question in doubt leaves
// `clean`, and the reading names it.
enum class CheckVerdict {
  clean,               // no question fails
  memory_in_mean,      // z is autocorrelated: the mean equation misses a lag
  memory_in_variance,  // z^2 is autocorrelated: the variance equation misses something
  memory_in_both,
  asymmetry_left,  // falls and rises still differ in what they do to volatility
  law_departs,     // the shocks do not follow the law
  not_constant,    // the parameters changed
  not_judged,      // the fit is not usable
};
[[nodiscard]] std::string_view to_string(CheckVerdict verdict);

struct CheckOptions {
  // Lags of the portmanteau and ARCH tests; left out: min(10, n/5), and at least one more than the
  // fitted ARMA terms.
  std::optional<int> lags{};

  // Rows in a season, whose multiples are looked at among the lags; left out: the model's or, in
  // months and quarters, the year's.
  std::optional<int> period{};

  // Lags up to which Check::whiteness is told; left out: those that leave 1, 3, 6, 10, 20 and 30
  // degrees of freedom, and two seasons.
  std::vector<int> whiteness{};

  // Level of the tests whose critical values of Q are told with them; left out: none.
  std::optional<double> significance{};

  // Whether models that might mend what fails are fitted, and the best of them named. Costs some
  // fits where something fails; no test, answer or verdict depends on it.
  bool advice = true;
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
  // mean: ljung-box and ljung-box-robust on z. variance: mcleod-li on z^2, arch-lm on z; after a
  // variance equation li-mak, arch-left, sign-bias (three and joint); for mean models breusch-pagan
  // (on the fitted values, and on them and their squares: White). law: anderson-darling,
  // cramer-von-mises, and jarque-bera where the law is normal. constancy: nyblom (joint and single)
  // after a variance equation; chow (two halves) for mean models. A question without tests that
  // these rows bear is left out.
  std::vector<CheckGroup> groups;
  // Ljung-Box on z at several lags, degrees of freedom less the ARMA terms.
  std::vector<TestResult> whiteness;
  std::optional<double> significance;    // of CheckOptions
  std::vector<double> whiteness_limits;  // what each Q must exceed to reject at that level
  std::vector<Spike> spikes;
  int lags_looked_at = 0;  // for the spikes; chance alone gives one in twenty
  std::vector<InverseRoot> roots;
  CheckVerdict verdict = CheckVerdict::not_judged;
  std::string reading;
  std::vector<Warning> warnings;

  // Those of all groups, in order.
  [[nodiscard]] std::vector<TestResult> tests() const;
};

// Tests on z = e / sqrt(h). What decides, at 5 %:
//   mean       Ljung-Box with the degrees of freedom less the ARMA terms; its robust form where
//              memory is left in the variance, which the plain form takes for memory of z; and any
//              multiple of the season beyond 1.5 times its band
//   variance   Li-Mak and arch-left (where there is no variance equation McLeod-Li and ARCH-LM),
//   the
//              smaller p doubled (Bonferroni); and the joint sign bias
//   law        Anderson-Darling
//   constancy  the joint Nyblom statistic, or Chow's
// The others inform: where one of them alone rejects, the answer is in doubt and names it.
[[nodiscard]] Check check(const Fit& fit, const CheckOptions& options = {});

// Two p-values that rank candidates: McLeod-Li on z^2, and Ljung-Box on z with the degrees of
// freedom less the ARMA terms, in its robust form where the first rejects; where a multiple of the
// season (`period`, as in CheckOptions) stands out so far that check() would say so, that lag's own
// p if it is smaller. Empty where z is too short.
struct ResidualP {
  std::optional<double> whiteness, arch;
};
[[nodiscard]] ResidualP residual_p(const Fit& fit, std::optional<int> period = {});

// Of the AR side, then of the MA side.
[[nodiscard]] std::vector<InverseRoot> inverse_roots(const Fit& fit);

// Null: the variance of the residuals does not move with the fitted values (and, with `squares`,
// with their squares: White 1980). e_t^2 on these, n R^2, chi-squared (Breusch and Pagan 1979 in
// the form of Koenker 1981, which needs no normality).
[[nodiscard]] TestResult breusch_pagan(const Fit& fit, bool squares = false);

// Null: the parameters of the first half hold in the second. Both halves are fitted;
// (a - b)' (V_a + V_b)^-1 (a - b), chi-squared. Throws Error (too_few_observations) where a half is
// too short or its fit is not usable.
[[nodiscard]] TestResult two_halves_test(const Fit& fit);

std::ostream& operator<<(std::ostream& out, const Check& check);

}  // namespace brace::inline v0
BRACE_API_END
