// SPDX-License-Identifier: Apache-2.0
// Cholesky factor of a symmetric positive definite band matrix, and the part of its inverse that
// lies in the band.
//
//   BandCholesky of;
//   of.compute(A);                              // A(d, j) is element (j + d, j): (band + 1) x m
//   if (of.ok()) MatrixXd x = of.solve(b);
//
// m b^2 products for a matrix of m rows and half-bandwidth b, where a full factor takes m^3 / 3.
// The inverse by the recursion of Takahashi, Fagan and Chen (1973), which needs no element beyond
// the band. Bands of half the matrix and more are treated as full.
#pragma once

#include <Eigen/Dense>

namespace brace::inline v0::maths {

class BandCholesky {
 public:
  using Index = Eigen::Index;
  using MatrixXd = Eigen::MatrixXd;

  // The lower triangle within the band, a column of it below its diagonal element.
  void compute(const MatrixXd& A);

  [[nodiscard]] bool ok() const { return ok_; }
  [[nodiscard]] Index band() const { return band_; }
  [[nodiscard]] double log_determinant() const;
  // A^-1 B, B with as many rows as A.
  [[nodiscard]] MatrixXd solve(const MatrixXd& B) const;
  // Those elements of A^-1 that lie in the band, laid out as A.
  void inverse_in_band(MatrixXd& out) const;

 private:
  [[nodiscard]] bool full() const { return 2 * band_ >= m_; }

  Index m_ = 0, band_ = 0;
  bool ok_ = false;
  MatrixXd L_;  // (band + 1) x m: a column of the factor from its diagonal down
  Eigen::LLT<MatrixXd> whole_;
};

}  // namespace brace::inline v0::maths
