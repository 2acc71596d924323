// SPDX-License-Identifier: Apache-2.0
// Autocovariances of an ARMA process and the covariance of its start. Covered by
// tests/model/lag_product_test.cpp.
#include "likelihood/arma_start.hpp"

#include <algorithm>
#include <cmath>

namespace brace::inline v0 {

using Eigen::Index;

ArmaStart::ArmaStart(std::vector<int> ar_lags, std::vector<int> ma_lags, Index r)
    : ar_(std::move(ar_lags)),
      ma_(std::move(ma_lags)),
      r_(r),
      p_(ar_.empty() ? 0 : ar_.back()),
      q_(ma_.empty() ? 0 : ma_.back()),
      A_(p_ + 1, p_ + 1),
      gamma_(std::max(r_, p_) + 1),
      psi_(std::max(r_, q_) + 1),
      by_ar_(psi_.size()),
      impulse_(psi_.size()) {}

bool ArmaStart::update(const std::vector<double>& a, const std::vector<double>& b, Matrix& Sigma) {
  a_.assign(a.begin(), a.end());
  b_.assign(b.begin(), b.end());
  for (Index k = 0; k < psi_.size(); ++k) {
    impulse_(k) = ar_sum(impulse_, k) + (k == 0 ? 1 : 0);
    psi_(k) = ar_sum(psi_, k) + ma_at(k);
    by_ar_(k) = ar_sum(by_ar_, k) + psi_(k);
  }
  if (p_ > 0) {
    A_.setIdentity();
    for (Index k = 0; k <= p_; ++k)
      for (std::size_t l = 0; l < ar_.size(); ++l) A_(k, std::abs(k - ar_[l])) -= a_[l];
    lu_.compute(A_);
  }
  gamma_ = autocovariances(right_side(psi_, std::nullopt), 0);
  if (!(gamma_(0) > 0) || !gamma_.allFinite()) return false;
  accumulate(gamma_, psi_, psi_, half_);
  filter_rows(half_);
  Sigma = half_.transpose();
  filter_rows(Sigma);
  return true;
}

void ArmaStart::slope(bool by_ar, int lag, Matrix& slope) const {
  // d psi = B^lag psi / a(B), or B^lag / a(B).
  Vector d_psi = Vector::Zero(psi_.size());
  if (lag < psi_.size())
    d_psi.tail(psi_.size() - lag) = (by_ar ? by_ar_ : impulse_).head(psi_.size() - lag);
  Vector side = right_side(d_psi, by_ar ? std::nullopt : std::optional<int>(lag));
  if (by_ar)
    for (Index k = 0; k <= p_; ++k) side(k) += gamma_(std::abs(k - lag));
  accumulate(autocovariances(side, by_ar ? lag : 0), d_psi, psi_, slope);
  filter_rows(slope);
  slope.transposeInPlace();
  filter_rows(slope);
  if (by_ar && lag < r_) {
    // The filter itself moves too: row i loses row i - lag of what stands on its other side.
    const Index rows = r_ - lag;
    const Matrix other = half_.transpose().topRows(rows);
    slope.bottomRows(rows) -= other;
    slope.rightCols(rows) -= other.transpose();
  }
}

// b_j with b_0 = 1.
ArmaStart::Real ArmaStart::ma_at(Index j) const {
  if (j == 0) return 1;
  const auto at = std::find(ma_.begin(), ma_.end(), static_cast<int>(j));
  return at == ma_.end() ? 0 : b_[static_cast<std::size_t>(at - ma_.begin())];
}

ArmaStart::Real ArmaStart::ar_sum(const Vector& x, Index k) const {
  Real sum = 0;
  for (std::size_t l = 0; l < ar_.size() && ar_[l] <= k; ++l) sum += a_[l] * x(k - ar_[l]);
  return sum;
}

// sum_{j >= k} b_j x_{j-k}, and psi_{moved-k}, which a moving b_moved adds.
ArmaStart::Vector ArmaStart::right_side(const Vector& x, std::optional<int> moved) const {
  Vector side = Vector::Zero(gamma_.size());
  side(0) = x(0);
  for (Index k = 0; k < side.size(); ++k) {
    for (std::size_t l = 0; l < ma_.size(); ++l)
      if (ma_[l] >= k) side(k) += b_[l] * x(ma_[l] - k);
    if (moved && *moved >= k) side(k) += psi_(*moved - k);
  }
  return side;
}

// Solves for the first p + 1 and goes on by the recursion; `moved` is the AR lag by which it is
// differentiated, 0 where it is not.
ArmaStart::Vector ArmaStart::autocovariances(const Vector& side, int moved) const {
  Vector g = side;
  if (p_ > 0) g.head(p_ + 1) = lu_.solve(side.head(p_ + 1));
  for (Index k = p_ + 1; k < g.size(); ++k) {
    g(k) = side(k) + ar_sum(g, k);
    if (moved > 0) g(k) += gamma_(std::abs(k - moved));
  }
  return g;
}

void ArmaStart::filter_rows(Matrix& m) const {
  for (Index i = r_; i-- > 0;)
    for (std::size_t l = 0; l < ar_.size() && ar_[l] <= i; ++l)
      m.row(i) -= a_[l] * m.row(i - ar_[l]);
}

// From autocovariances g to F where x = y = psi; with x = d psi and g = d gamma its derivative.
void ArmaStart::accumulate(const Vector& g, const Vector& x, const Vector& y, Matrix& out) const {
  const bool same = &x == &y;
  out.resize(r_, r_);
  for (Index d = 0; d < r_; ++d) {
    Real v = g(d);
    for (Index i = 0; i + d <= r_; ++i) {
      if (i > 0) out(i - 1, i - 1 + d) = out(i - 1 + d, i - 1) = v;
      v -= same ? x(i) * x(i + d) : x(i) * y(i + d) + y(i) * x(i + d);
    }
  }
}

ArmaStart::Matrix factor_of(const ArmaStart::Matrix& A) {
  using Real = ArmaStart::Matrix::Scalar;
  const Eigen::LDLT<ArmaStart::Matrix> ldlt(A);
  ArmaStart::Matrix F = ldlt.matrixL();
  F = ldlt.transpositionsP().transpose() * F;
  for (Eigen::Index i = 0; i < F.cols(); ++i)
    F.col(i) *= std::sqrt(std::max<Real>(0, ldlt.vectorD()(i)));
  return F;
}

}  // namespace brace::inline v0
