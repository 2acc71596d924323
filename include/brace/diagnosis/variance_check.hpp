// SPDX-License-Identifier: Apache-2.0
// What a variance equation has left behind, each test with the uncertainty of the fitted parameters
// in it. The shock law is judged in law_fit.hpp.
//
//   brace::TestResult left = brace::li_mak(fit, 10);          // squares of z
//   std::vector<brace::TestResult> signs = brace::sign_bias(fit);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <span>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// All throw Error (bad_option) where the fit is not usable or was made by exact likelihood, which
// has no variance equation, and (too_few_observations) where rows are fewer than the lags ask for.

// Li and Mak (1994) on the autocorrelations of z^2 up to `lags`: with w = z^2 - 1,
//   Q = n r' V^-1 r, chi2(lags)
// Under normal shocks V = I - X G^-1 X' / 4, X_k the mean of (dh/dtheta)/h w_{t-k} and G the
// information; under other laws V is the sample covariance of the same terms, by influence.
[[nodiscard]] TestResult li_mak(const Fit& fit, int lags = 10);

// Lundbergh and Terasvirta (2002): z^2 - 1 on its own lags beside the slopes of h by
// the variance parameters; N times the share of squares explained, chi2(lags). `robust` takes their
// form that stands any fourth moment.
[[nodiscard]] TestResult remaining_arch_test(const Fit& fit, int lags = 10, bool robust = true);

// Engle and Ng (1993, section III): z^2 on 1(e < 0), on e 1(e < 0) and on e 1(e > 0), all of the
// row before: each alone (t), then jointly, N R^2, chi2(3); e is z here. At least three residuals
// of either sign.
[[nodiscard]] std::vector<TestResult> sign_bias(const Fit& fit);
[[nodiscard]] std::vector<TestResult> sign_bias_of(std::span<const double> z);

}  // namespace brace::inline v0
BRACE_API_END
