// SPDX-License-Identifier: Apache-2.0
// The regression under the unit-root tests, dy_t on deterministic terms, y_{t-1} and lagged
// differences, as a triangular factor from which it and all smaller ones are read.
//
//   LagRegression of = lag_regression(y, /*k=*/4, Deterministic::constant, /*reach=*/4);
//   double rho = of.coefficients(of.columns())(of.rho);
#pragma once

#include <Eigen/Dense>
#include <cstddef>
#include <vector>

#include "brace/hypothesis/unit_root.hpp"

namespace brace::inline v0::hypothesis::unit_root {

// R of X = Q R, Q' dy and what of dy is left. Leading columns are those of the smaller regressions.
struct LagRegression {
  Eigen::MatrixXd R;
  Eigen::VectorXd rotated;  // as many as columns
  double rest = 0;          // sum of squared residuals
  std::size_t rows = 0;
  Eigen::Index rho = 0;      // column of y_{t-1}
  double squared_level = 0;  // sum of y_{t-1}^2

  [[nodiscard]] Eigen::Index columns() const { return R.cols(); }
  // Of the leading `count` columns.
  [[nodiscard]] Eigen::VectorXd coefficients(Eigen::Index count) const;
  // Standard error of rho among all columns; not finite where they are collinear.
  [[nodiscard]] double error() const;
};

// Where y_{t-1} stands: behind the deterministic terms, or behind the lags too.
enum class Level { first, last };

// k lagged differences, on the rows where those of `reach` >= k lags are present. Level and time
// are centred where there is a constant, which changes no coefficient but its own. On many rows
// from sums of products, in n k operations and without a row of X; else by reflections.
[[nodiscard]] LagRegression lag_regression(const std::vector<double>& y, int k, Deterministic terms,
                                           int reach, Level level = Level::first);

// Constant and trend.
[[nodiscard]] Eigen::Index columns_of(Deterministic terms);

// Rows whose value and the `reach` + 1 before it are present.
[[nodiscard]] std::vector<std::size_t> rows_of(const std::vector<double>& y, int reach);

}  // namespace brace::inline v0::hypothesis::unit_root
