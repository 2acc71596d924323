// SPDX-License-Identifier: Apache-2.0
// Do the shocks of a fit follow its law, and where do they depart from it?
//
//   brace::LawFit judged = brace::law_fit(fit);
//   std::cout << judged.anderson_darling << brace::words(judged.departures);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// A part of the law that holds another share of the shocks than the law gives it.
struct LawDeparture {
  enum class Where { lower_tail, upper_tail, centre };
  Where where = Where::centre;
  double expected = 0;  // share under the law: below (above) its quantile, or in its middle half
  double share = 0;     // of the shocks
  double score = 0;     // their distance over its standard error, which knows of the estimates
};

struct LawFit {
  // Null: the shocks follow the law, of unknown parameters.
  TestResult anderson_darling, cramer_von_mises;
  // Of each tail the farthest level out (1, 2.5 or 5 %) whose score is beyond 2 in size and of the
  // sign of those farther out, the clearer tail first; then the centre. Empty where neither test
  // rejects at 5 %.
  std::vector<LawDeparture> departures;
};

// The statistics of Anderson and Darling (1952, equation 4.5 in n) and of Cramer and von Mises of
// the probability transforms F(z), under the limit law for estimated parameters (Durbin 1973):
// with M_t and D_t the slopes of a row's mean and log variance, their averages and the information
// at the estimates say what estimation takes out of the transforms (src/laws/transforms.hpp). Sizes
// and power are in docs/sizes.md. Throws Error (bad_option) where the fit is not usable,
// (too_few_observations) below 30 rows.
[[nodiscard]] LawFit law_fit(const Fit& fit);

// "the lower tail is heavier than the law's: 2.1 % of the shocks lie below its 1 % quantile"; empty
// for none.
[[nodiscard]] std::string words(const std::vector<LawDeparture>& departures);

// The quantile of order p of the fitted law, whose variance is one.
[[nodiscard]] double shock_quantile(const Fit& fit, double p);

// F(z) of each counted row under the fitted law.
[[nodiscard]] std::vector<double> probability_transforms(const Fit& fit);

}  // namespace brace::inline v0
BRACE_API_END
