// SPDX-License-Identifier: Apache-2.0
// A regression of values on their own lags, for tests that must not take memory for something else.
//
//   const OwnLags memory = own_lags(values);              // as many as BIC chooses
//   auto white = without(memory, values);                 // its residuals
#pragma once

#include <Eigen/Core>
#include <optional>
#include <vector>

namespace brace::inline v0::hypothesis {

struct OwnLags {
  double constant = 0;
  Eigen::VectorXd coefficients;  // of lags 1 ...; empty: no memory, or too few rows to tell
};

// Least squares on the rows whose lags are present, the latest 50,000 at most; `lags` left out: as
// many as BIC chooses, gaps closed.
[[nodiscard]] OwnLags own_lags(const std::vector<double>& values, std::optional<int> lags = {});

// What each value leaves over its lags and the constant; missing where one of these is. The values
// themselves without lags.
[[nodiscard]] std::vector<double> without(const OwnLags& memory, const std::vector<double>& values);

// A row of `values` and, in X, a constant and its lags 1 .. `lags`, for each of `rows`.
struct LagColumns {
  Eigen::MatrixXd X;  // rows x (lags + 1)
  Eigen::VectorXd y;
};
[[nodiscard]] LagColumns lag_columns(const std::vector<double>& values,
                                     const std::vector<std::size_t>& rows, int lags);

// Rows t for which the values at t, t - 1, ..., t - lags are all present.
[[nodiscard]] std::vector<std::size_t> rows_with_lags(const std::vector<double>& values, int lags);

}  // namespace brace::inline v0::hypothesis
