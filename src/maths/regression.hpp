// SPDX-License-Identifier: Apache-2.0
// Ordinary least squares, for the tests that regress.
//
//   brace::Regression r = brace::maths::regress(X, y);   // X n x k, y n
//   r.coefficients(0) / r.errors(0);              // a t statistic
#pragma once

#include <Eigen/Core>

namespace brace::inline v0::maths {

// The solution through a column-pivoted QR factorisation, which keeps trend columns accurate.
struct Regression {
  Eigen::VectorXd coefficients;  // k
  Eigen::VectorXd errors;        // k; from s^2 (X'X)^-1 with s^2 = ssr / (n - k)
  Eigen::VectorXd residuals;     // n
  double ssr = 0;                // sum of squared residuals
  int rank = 0;                  // below k: columns are collinear and `errors` is empty
};

// X is n x k with n > k. Throws Error (too_few_observations) otherwise.
[[nodiscard]] Regression regress(const Eigen::MatrixXd& X, const Eigen::VectorXd& y);

// Least squares by QR with column pivoting: columns that add nothing get no coefficient.
struct PivotedFit {
  Eigen::MatrixXd coefficients;  // k x columns of Y
  Eigen::Index rank = 0;
};
[[nodiscard]] PivotedFit pivoted_fit(const Eigen::MatrixXd& X, const Eigen::MatrixXd& Y);
[[nodiscard]] Eigen::Index pivoted_rank(const Eigen::MatrixXd& X);

}  // namespace brace::inline v0::maths
