// SPDX-License-Identifier: Apache-2.0
// Long-run variance of a series: by a Bartlett window (Newey and West 1987) or an autoregression.
//
//   double l2 = brace::maths::long_run_variance(residuals, 9);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <span>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::maths {

//   g_0 + 2 sum_{j=1..L} (1 - j/(L+1)) g_j,   g_j = (1/n) sum_{t=j+1..n} u_t u_{t-j}
// u is taken as it is (no mean removed); L = bandwidth >= 0. Unit of u squared.
[[nodiscard]] double long_run_variance(std::span<const double> u, int bandwidth);

// The same by an autoregression (Andrews and Monahan 1992; den Haan and Levin 1997): least squares
// of u_t on p own lags, s^2 / (1 - sum a)^2, with p among 0 .. most by AIC (or BIC) on common rows
// and re-estimated on the longest. Holds where memory decays too slowly for a short window, such as
// in squares of returns. `most` left out: floor(12 (n/100)^(1/4)).
struct SpectralVariance {
  double value = 0;
  int order = 0;
};
[[nodiscard]] SpectralVariance spectral_variance(std::span<const double> u,
                                                 std::optional<int> most = {}, bool by_bic = false);
[[nodiscard]] int most_spectral_order(std::size_t n);
[[nodiscard]] double spectral_variance_of_order(std::span<const double> u, int order);

// The Bartlett bandwidth that Newey and West (1994, table II) estimate from u:
// floor(1.1447 (s1/s0)^(2/3) n^(1/3)) with s1, s0 over floor(4 (n/100)^(2/9)) autocovariances.
[[nodiscard]] int automatic_bandwidth(std::span<const double> u);

}  // namespace brace::inline v0::maths
BRACE_API_END
