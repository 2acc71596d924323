// SPDX-License-Identifier: Apache-2.0
// The law of the Dickey-Fuller t statistic for the actual sample size.
//
//   double p = brace::laws::dickey_fuller_p(-2.87, 250, brace::Deterministic::constant);   // .05
#pragma once

#include <string_view>

namespace brace {

// Deterministic terms of a unit-root or stationarity test.
enum class Deterministic { none, constant, trend };  // trend: a constant and a linear trend
[[nodiscard]] std::string_view to_string(Deterministic terms);

namespace laws {

// Verified by simulation down to this p-value (16 million replications at T = 100); below it the
// law is only known to be smaller.
inline constexpr double kDickeyFullerFloor = 1e-5;

// The surfaces are fitted on this range of T; above it they tend to the limit law.
inline constexpr int kDickeyFullerLeastT = 20;

// P(tau <= statistic) when there is a unit root; T = usable rows of the test regression, at least
// kDickeyFullerLeastT. Quantile surfaces q_i(T) = b0 + b1/T + b2/T^2 at 221 levels, of our own
// simulation in the manner of MacKinnon (1996), interpolated monotonically in the normal scale.
// Largest error in p on sample sizes held out of the fit: .001.
[[nodiscard]] double dickey_fuller_p(double statistic, int T, Deterministic terms);

// The statistic below which a share p lies, for p in [.0001, .9999].
[[nodiscard]] double dickey_fuller_quantile(double p, int T, Deterministic terms);

}  // namespace laws
}  // namespace brace
