// SPDX-License-Identifier: Apache-2.0
// Laws of statistics that look for a change: exact or by convergent series, tables only where
// named.
//
//   double p = brace::laws::sup_wald_tail(8.86, 1, 0.15, 0);   // .05 in the limit
//   double q = brace::laws::bridge_tail(1.358);             // .05 too
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::laws {

// A discrete maximum over n steps falls short of the continuous one as if the boundary stood
// .5826/sqrt n local standard deviations farther out (Siegmund 1985); n left out: the limit.

// P(sup |Brownian bridge| > x) (Kolmogorov 1933).
[[nodiscard]] double bridge_tail(double x, std::optional<int> n = {});

// P(|W(t)| crosses a (1 + 2 t) on [0, 1]): the CUSUM of recursive residuals (Brown, Durbin and
// Evans 1975), by reflection in projective time.
[[nodiscard]] double cusum_tail(double a, std::optional<int> n = {});

// P(sup W > x), W = |B_p|^2 / (s (1 - s)) over trim <= s <= 1 - trim, in Wald scale (p times F);
// Andrews (1993), by the expansion of a killed Ornstein-Uhlenbeck radius in Kummer functions. p
// from 1 to 30, trim in [.02, .4]. n: the number of dates' grid.
[[nodiscard]] double sup_wald_tail(double x, int p, double trim, int n);

inline constexpr int kMostBroken = 10;

// P(mean W > x), trim .15, p from 1 to kMostBroken (Andrews and Ploberger 1994), by Imhof (1961) on
// 40 eigenvalues. Absolute error 1e-12.
[[nodiscard]] double ave_wald_tail(double x, int p);

}  // namespace brace::inline v0::laws
BRACE_API_END
