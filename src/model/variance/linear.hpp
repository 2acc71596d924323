// SPDX-License-Identifier: Apache-2.0
// The variance kernel of steady, arch and garch, which are one recursion with other lag sets:
//   h[t] = omega + sum_i alpha_i q[t-i] + sum_j beta_j h[t-j],   t = 0 .. n-1
//   q[t] = e[t]^2, or h[t] where e[t] is missing (its expectation)
// in the unit of e squared. Engle (1982), equation 2; Bollerslev (1986), equation 2. The papers
// leave the rows before the sample open: the caller has filled them with the mean of e^2 and its
// derivatives. Tests: tests/model/likelihood_test.cpp.
#pragma once

#include "model/stages.hpp"

namespace brace {

// False as soon as an h is not positive: the parameters are then not admitted.
template <Order O, class T>
bool linear_variance(VarianceBlock<T>& b) {
  Rows<T>&h = *b.h, &q = *b.q;
  const std::size_t km = b.mean_width, width = h.width;
  const bool gaps = b.gaps;
  const std::size_t q_width = gaps ? width : km;
  const std::vector<int>&shocks = *b.shock_lags, &variances = *b.variance_lags;
  for (std::size_t row = 0; row < b.rows; ++row) {
    const auto t = static_cast<std::ptrdiff_t>(row);
    T* dh = O != Order::value ? h.d(t) : nullptr;
    T* d2h = O == Order::hessian ? h.d2(t) : nullptr;
    if constexpr (O != Order::value) std::fill_n(dh, width, T(0));
    if constexpr (O == Order::hessian) std::fill_n(d2h, packed_size(width), T(0));
    T now = b.theta[0];
    if constexpr (O != Order::value) dh[km] = T(1);
    std::size_t parameter = 1;
    for (const int lag : shocks) {
      const auto s = t - lag;
      add_term<O>(now, dh, d2h, km + parameter, b.theta[parameter], q.at(s), q.d(s), q.d2(s),
                  q_width);
      ++parameter;
    }
    for (const int lag : variances) {
      const auto s = t - lag;
      add_term<O>(now, dh, d2h, km + parameter, b.theta[parameter], h.at(s), h.d(s), h.d2(s),
                  width);
      ++parameter;
    }
    if (!(now > T(0))) return false;
    h.at(t) = now;

    if (gaps && !b.present[row]) {
      q.at(t) = now;
      if constexpr (O != Order::value) std::copy_n(dh, width, q.d(t));
      if constexpr (O == Order::hessian) std::copy_n(d2h, packed_size(width), q.d2(t));
      continue;
    }
    const T e = b.e[row];
    q.at(t) = e * e;
    if constexpr (O != Order::value) {
      const T* e1 = b.e1 + row * km;
      T* dq = q.d(t);
      for (std::size_t j = 0; j < km; ++j) dq[j] = 2 * e * e1[j];
      if (gaps) std::fill(dq + km, dq + width, T(0));
      if constexpr (O == Order::hessian) {
        const T* e2 = b.e2 + row * packed_size(km);
        T* d2q = q.d2(t);
        for (std::size_t j = 0, r = 0; j < km; ++j)
          for (std::size_t i = 0; i <= j; ++i, ++r) d2q[r] = 2 * (e1[j] * e1[i] + e * e2[r]);
        if (gaps) std::fill(d2q + packed_size(km), d2q + packed_size(width), T(0));
      }
    }
  }
  return true;
}

}  // namespace brace
