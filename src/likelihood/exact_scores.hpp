// SPDX-License-Identifier: Apache-2.0
// Each row's derivative of the exact log-likelihood of an ARMA equation, for sandwich errors and
// tests of constancy.
//
//   std::vector<double> scores = exact_scores(model, data, theta);   // rows x k, row by row
//
// Of the prediction-error form. While the start is remembered they are differences: the errors are
// linear in the regression coefficients, so that one is their derivative; by the lags central ones
// with a step of 1e-5, which balances truncation and rounding. From there on the errors follow a
// recursion with constant coefficients, and so do their derivatives:
//   de_t / da_l = -z_{t-l} - sum b de_{t-.},   de_t / db_l = -e_{t-l} - sum b de_{t-.}
#pragma once

#include <span>
#include <vector>

#include "model/mean_data.hpp"

namespace brace::inline v0 {

// Zeros where theta is not admitted.
[[nodiscard]] std::vector<double> exact_scores(const Model& model, const MeanData& data,
                                               std::span<const double> theta);

}  // namespace brace::inline v0
