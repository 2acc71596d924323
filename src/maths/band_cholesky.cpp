// SPDX-License-Identifier: Apache-2.0
// Covered by tests/maths/maths_test.cpp.
#include "maths/band_cholesky.hpp"

#include <algorithm>
#include <cmath>

namespace brace::inline v0::maths {

void BandCholesky::compute(const MatrixXd& A) {
  m_ = A.cols();
  band_ = A.rows() - 1;
  if (full()) {
    MatrixXd whole = MatrixXd::Zero(m_, m_);
    for (Index j = 0; j < m_; ++j) {
      const Index below = std::min(band_, m_ - 1 - j);
      whole.col(j).segment(j, below + 1) = A.col(j).head(below + 1);
    }
    whole_.compute(whole.selfadjointView<Eigen::Lower>());
    ok_ = whole_.info() == Eigen::Success;
    return;
  }
  ok_ = false;
  L_ = A;
  for (Index j = 0; j < m_; ++j) {
    const Index below = std::min(band_, m_ - 1 - j);
    for (Index k = std::max<Index>(0, j - band_); k < j; ++k) {
      const double factor = L_(j - k, k);
      const Index reach = std::min(below, k + band_ - j);  // rows that column k reaches
      for (Index d = 0; d <= reach; ++d) L_(d, j) -= factor * L_(j - k + d, k);
    }
    if (!(L_(0, j) > 0)) return;
    const double root = std::sqrt(L_(0, j));
    for (Index d = 0; d <= below; ++d) L_(d, j) /= root;
  }
  ok_ = true;
}

double BandCholesky::log_determinant() const {
  double sum = 0;
  for (Index j = 0; j < m_; ++j) sum += 2 * std::log(full() ? whole_.matrixLLT()(j, j) : L_(0, j));
  return sum;
}

BandCholesky::MatrixXd BandCholesky::solve(const MatrixXd& B) const {
  if (B.size() == 0) return B;
  if (full()) return whole_.solve(B);
  MatrixXd x = B;
  for (Index c = 0; c < x.cols(); ++c) {
    for (Index j = 0; j < m_; ++j) {
      x(j, c) /= L_(0, j);
      for (Index d = 1; d <= std::min(band_, m_ - 1 - j); ++d) x(j + d, c) -= L_(d, j) * x(j, c);
    }
    for (Index j = m_ - 1; j >= 0; --j) {
      for (Index d = 1; d <= std::min(band_, m_ - 1 - j); ++d) x(j, c) -= L_(d, j) * x(j + d, c);
      x(j, c) /= L_(0, j);
    }
  }
  return x;
}

void BandCholesky::inverse_in_band(MatrixXd& out) const {
  out.setZero(band_ + 1, m_);
  if (full()) {
    const MatrixXd inverse = whole_.solve(MatrixXd::Identity(m_, m_));
    for (Index j = 0; j < m_; ++j) {
      const Index below = std::min(band_, m_ - 1 - j);
      out.col(j).head(below + 1) = inverse.col(j).segment(j, below + 1);
    }
    return;
  }
  for (Index j = m_ - 1; j >= 0; --j) {
    const Index below = std::min(band_, m_ - 1 - j);
    for (Index i = below; i >= 0; --i) {
      double sum = i == 0 ? 1 / L_(0, j) : 0;
      for (Index k = 1; k <= below; ++k)
        sum -= L_(k, j) * (k >= i ? out(k - i, j + i) : out(i - k, j + k));
      out(i, j) = sum / L_(0, j);
    }
  }
}

}  // namespace brace::inline v0::maths
