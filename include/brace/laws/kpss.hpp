// SPDX-License-Identifier: Apache-2.0
// The exact limit law of the KPSS statistic, over the whole range.
//
//   double p = brace::laws::kpss_p(.46136, /*with_trend=*/false);   // .05
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::laws {

// Tail probability below which the leading term takes over from the inversion.
inline constexpr double kKpssSwitch = 1e-10;

// P(eta > x) under stationarity, for n to infinity. Level: integral of a squared Brownian bridge,
// whose characteristic function is D(2it)^(-1/2) with D(l) = sin(w)/w, w = sqrt(l) (Anderson and
// Darling 1952). Trend: D(l) = 3 sin(w) (sin w - w cos w) / w^4, w = sqrt(l)/2 (MacNeill 1978).
// Inverted by Gil-Pelaez (1951), absolute error below 1e-12; below kKpssSwitch the leading term of
// the tail, 4 % low at worst.
[[nodiscard]] double kpss_p(double x, bool with_trend);

// The value exceeded with probability p in [1e-6, .999].
[[nodiscard]] double kpss_critical(double p, bool with_trend);
[[nodiscard]] double kpss_critical_by_search(double p, bool with_trend);

inline constexpr int kMostNyblom = 40;

// P(sum over k independent bridges of the integral of B^2 > x) (Nyblom 1989; Hansen 1992); k from 1
// to kMostNyblom. The level case of KPSS is k = 1. Absolute error 1e-12.
[[nodiscard]] double nyblom_p(double x, int k);

}  // namespace brace::inline v0::laws
BRACE_API_END
