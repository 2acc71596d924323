// SPDX-License-Identifier: Apache-2.0
// Long-run variance of a series by a Bartlett window (Newey and West 1987).
//
//   double l2 = brace::long_run_variance(residuals, 9);
#pragma once

#include <span>

namespace brace {

//   g_0 + 2 sum_{j=1..L} (1 - j/(L+1)) g_j,   g_j = (1/n) sum_{t=j+1..n} u_t u_{t-j}
// u is taken as it is (no mean removed); L = bandwidth >= 0. Unit of u squared.
[[nodiscard]] double long_run_variance(std::span<const double> u, int bandwidth);

}  // namespace brace
