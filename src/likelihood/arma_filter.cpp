// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/exact_test.cpp.
#include "likelihood/arma_filter.hpp"

#include <algorithm>
#include <array>

namespace brace::inline v0 {

using Eigen::Index;
using Eigen::VectorXd;

namespace {

// y_t = x_t - sum b_l y_{t-l}, from zeros. The usual sets 1 .. Q keep their lags in registers.
template <std::size_t Q>
void recurse(const double* b, const double* x, double* y, Index n) {
  std::array<double, Q> past{};
  for (Index t = 0; t < n; ++t) {
    double v = x[t];
    for (std::size_t j = Q; j-- > 0;) v -= b[j] * past[j];
    for (std::size_t j = Q - 1; j > 0; --j) past[j] = past[j - 1];
    past[0] = v;
    y[t] = v;
  }
}

// Two at once: each waits for its own last value only, so the second costs little.
template <std::size_t Q>
void recurse_both(const double* b, const double* x1, double* y1, const double* x2, double* y2,
                  Index n) {
  std::array<double, Q> past1{}, past2{};
  for (Index t = 0; t < n; ++t) {
    double v1 = x1[t], v2 = x2[t];
    for (std::size_t j = Q; j-- > 0;) {
      v1 -= b[j] * past1[j];
      v2 -= b[j] * past2[j];
    }
    for (std::size_t j = Q - 1; j > 0; --j) {
      past1[j] = past1[j - 1];
      past2[j] = past2[j - 1];
    }
    past1[0] = y1[t] = v1;
    past2[0] = y2[t] = v2;
  }
}

}  // namespace

void filter_ma(const std::vector<int>& lags, const std::vector<double>& b, const double* x,
               double* y, Index n) {
  const bool full = !lags.empty() && lags.back() == static_cast<int>(lags.size());
  switch (full ? lags.size() : 0) {
    case 1: return recurse<1>(b.data(), x, y, n);
    case 2: return recurse<2>(b.data(), x, y, n);
    case 3: return recurse<3>(b.data(), x, y, n);
    case 4: return recurse<4>(b.data(), x, y, n);
    case 5: return recurse<5>(b.data(), x, y, n);
    default: break;
  }
  if (y != x) std::copy(x, x + n, y);
  if (lags.empty()) return;
  for (Index t = 0; t < n; ++t) {
    double v = y[t];
    for (std::size_t l = 0; l < lags.size() && lags[l] <= t; ++l) v -= b[l] * y[t - lags[l]];
    y[t] = v;
  }
}

void filter_ma_both(const std::vector<int>& lags, const std::vector<double>& b, const VectorXd& x1,
                    VectorXd& y1, const VectorXd& x2, VectorXd& y2) {
  const bool full = !lags.empty() && lags.back() == static_cast<int>(lags.size());
  const double *from1 = x1.data(), *from2 = x2.data();
  switch (full ? lags.size() : 0) {
    case 1: return recurse_both<1>(b.data(), from1, y1.data(), from2, y2.data(), x1.size());
    case 2: return recurse_both<2>(b.data(), from1, y1.data(), from2, y2.data(), x1.size());
    case 3: return recurse_both<3>(b.data(), from1, y1.data(), from2, y2.data(), x1.size());
    case 4: return recurse_both<4>(b.data(), from1, y1.data(), from2, y2.data(), x1.size());
    case 5: return recurse_both<5>(b.data(), from1, y1.data(), from2, y2.data(), x1.size());
    default: break;
  }
  filter_ma(lags, b, from1, y1.data(), x1.size());
  filter_ma(lags, b, from2, y2.data(), x2.size());
}

void filter_ar(const std::vector<int>& lags, const std::vector<double>& a, const double* x,
               double* y, Index n) {
  std::copy(x, x + n, y);
  for (std::size_t l = 0; l < lags.size(); ++l)
    for (Index t = lags[l]; t < n; ++t) y[t] -= a[l] * x[t - lags[l]];
}

// Four sums: an addition need not wait for the one before it.
double dot(const double* x, const double* y, Index n) {
  std::array<double, 4> sum{};
  Index t = 0;
  for (; t + 4 <= n; t += 4)
    for (std::size_t i = 0; i < 4; ++i)
      sum[i] += x[t + static_cast<Index>(i)] * y[t + static_cast<Index>(i)];
  for (; t < n; ++t) sum[0] += x[t] * y[t];
  return (sum[0] + sum[1]) + (sum[2] + sum[3]);
}

double lagged(const double* x, const double* y, Index n, Index lag) {
  return lag >= n ? 0 : dot(x + lag, y, n - lag);
}
double lagged(const VectorXd& x, const VectorXd& y, Index lag) {
  return lagged(x.data(), y.data(), x.size(), lag);
}

void ShiftedProducts::reset(const double* x, Index x_rows, const double* y, Index y_rows, Index n) {
  x_ = x;
  y_ = y;
  x_rows_ = std::min(x_rows, n);
  y_rows_ = std::min(y_rows, n);
  n_ = n;
  ahead_.clear();
  behind_.clear();
}

double ShiftedProducts::operator()(Index i, Index j) {
  const Index apart = std::abs(i - j), m = std::min(i, j);
  if (apart + m >= n_) return 0;
  std::vector<Diagonal>& diagonals = i >= j ? ahead_ : behind_;
  if (static_cast<Index>(diagonals.size()) <= apart)
    diagonals.resize(static_cast<std::size_t>(apart) + 1);
  Diagonal& of = diagonals[static_cast<std::size_t>(apart)];
  // Rows of x and y that meet: y is ahead of x by i - j.
  const Index x_from = i >= j ? 0 : apart, y_from = i >= j ? apart : 0;
  if (of.at < 0) {
    const Index rows = std::min(x_rows_ - x_from, y_rows_ - y_from);
    of.first = of.last = rows > 0 ? dot(x_ + x_from, y_ + y_from, rows) : 0;
    of.at = 0;
  }
  if (m < of.at) {
    of.at = 0;
    of.last = of.first;
  }
  for (; of.at < m; ++of.at) {  // the last row falls out
    const Index x_row = n_ - 1 - y_from - of.at, y_row = n_ - 1 - x_from - of.at;
    if (x_row < x_rows_ && y_row < y_rows_) of.last -= x_[x_row] * y_[y_row];
  }
  return of.last;
}

}  // namespace brace::inline v0
