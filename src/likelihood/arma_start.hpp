// SPDX-License-Identifier: Apache-2.0
// What the infinite past of an ARMA process means for its first rows: the covariance of
//   s_i = sum_{l >= i} a_l y_{i-l} + b_l e_{i-l},   i = 1 .. r,
// the part that rows before the first take in row i, and its derivatives.
//
//   ArmaStart start(ar_lags, ma_lags, r);
//   ArmaStart::Matrix Sigma;                         // r x r, for shocks of variance 1
//   bool stationary = start.update(a, b, Sigma);
//
// The forecasts f_i of row i from the infinite past have covariance
//   F_ij = sum_{k >= 0} psi_{i+k} psi_{j+k}.  With the autocovariances g,
//   S_0j = g_j,   S_{i+1,j+1} = S_ij - psi_i psi_j,   F = S without row and column 0,
// g from the p + 1 equations  g_k - sum a_l g_|k-l| = sum_{j >= k} b_j psi_{j-k}
// (Brockwell and Davis 1991, equation 3.3.8), whose factors serve the derivatives too; and
// s_i = f_i - sum_{l < i} a_l f_{i-l} turns F into Sigma.
#pragma once

#include <Eigen/Dense>
#include <optional>
#include <vector>

namespace brace::inline v0 {

class ArmaStart {
 public:
  // Near the unit circle all of this is differences of numbers that are 1e8 times as large: the
  // eleven bits more keep the likelihood smooth there (a step of 1e-7 along the edge moved it by
  // 1e-3 in double precision).
  using Real = long double;
  using Vector = Eigen::Matrix<Real, Eigen::Dynamic, 1>;
  using Matrix = Eigen::Matrix<Real, Eigen::Dynamic, Eigen::Dynamic>;

  ArmaStart(std::vector<int> ar_lags, std::vector<int> ma_lags, Eigen::Index r);

  // Takes the coefficients of those lags. False where the process is not stationary.
  [[nodiscard]] bool update(const std::vector<double>& a, const std::vector<double>& b,
                            Matrix& Sigma);

  // d Sigma by the AR (else MA) coefficient of one lag, at the coefficients of update().
  void slope(bool by_ar, int lag, Matrix& slope) const;

 private:
  [[nodiscard]] Real ma_at(Eigen::Index j) const;
  [[nodiscard]] Real ar_sum(const Vector& x, Eigen::Index k) const;
  [[nodiscard]] Vector right_side(const Vector& x, std::optional<int> moved) const;
  [[nodiscard]] Vector autocovariances(const Vector& side, int moved) const;
  void accumulate(const Vector& g, const Vector& x, const Vector& y, Matrix& out) const;
  // Each row less a_l times the row l before it.
  void filter_rows(Matrix& m) const;

  std::vector<int> ar_, ma_;
  std::vector<Real> a_, b_;
  Eigen::Index r_, p_, q_;
  Matrix A_;
  Matrix half_;  // F with its rows filtered
  Eigen::PartialPivLU<Matrix> lu_;
  Vector gamma_, psi_, by_ar_, impulse_;
};

// F with F F' = A, which may be singular.
[[nodiscard]] ArmaStart::Matrix factor_of(const ArmaStart::Matrix& A);

}  // namespace brace::inline v0
