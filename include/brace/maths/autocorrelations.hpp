// SPDX-License-Identifier: Apache-2.0
// Autocorrelations and partial autocorrelations of numbers, rows without one left out.
//
//   std::vector<double> r = brace::maths::autocorrelations(returns.values, 20);    // r[0] is r_1
//   std::vector<double> partials = brace::maths::partial_from_autocorrelations(r);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <span>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::maths {

//   r_k = sum_{t>k} (y_t - ybar)(y_{t-k} - ybar) / sum_t (y_t - ybar)^2,   k = 1 .. lags
// NaN in y is missing: products are summed over pairs where both are present. Throws Error
// (bad_option) unless 1 <= lags < n present.
[[nodiscard]] std::vector<double> autocorrelations(std::span<const double> y, int lags);

// Partial autocorrelations by Durbin (1960) and Levinson on the autocorrelations given.
[[nodiscard]] std::vector<double> partial_from_autocorrelations(std::span<const double> r);

}  // namespace brace::inline v0::maths
BRACE_API_END
