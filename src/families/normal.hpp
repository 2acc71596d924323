// SPDX-License-Identifier: Apache-2.0
// The normal law:  l = -(ln 2 pi + ln h + e^2 / h) / 2.  Tests:
// tests/likelihood/likelihood_test.cpp.
#pragma once

#include <numbers>

#include "families/log_sum.hpp"
#include "families/stages.hpp"

namespace brace::inline v0 {

inline constexpr double kLogTwoPi = 1.8378770664093454836;

template <Order O, class T>
void normal_law(LawBlock<T>& b) {
  LogSum<T> logs;
  T quadratic(0);
  std::size_t observed = 0;
  std::size_t first = 0;
  if constexpr (O == Order::value)
    if (!b.gaps)  // most passes only ask for the value: four rows at once
      for (; first + 4 <= b.rows; first += 4) {
        const T* e = b.e + first;
        const T* h = b.h + first;
        logs.add(h[0], h[1], h[2], h[3]);
        quadratic +=
            (e[0] * e[0] / h[0] + e[1] * e[1] / h[1]) + (e[2] * e[2] / h[2] + e[3] * e[3] / h[3]);
        observed += 4;
      }
  for (std::size_t t = first; t < b.rows; ++t) {
    if (b.gaps && !b.present[t]) {
      b.le[t] = b.lh[t] = b.lee[t] = b.leh[t] = b.lhh[t] = T(0);
      continue;
    }
    ++observed;
    const T inverse = 1 / b.h[t];
    const T z2 = b.e[t] * b.e[t] * inverse;
    logs.add(b.h[t]);
    quadratic += z2;
    if constexpr (O != Order::value) {
      b.le[t] = -b.e[t] * inverse;
      b.lh[t] = -0.5 * inverse * (1 - z2);
    }
    if constexpr (O == Order::hessian) {
      b.lee[t] = -inverse;
      b.leh[t] = b.e[t] * inverse * inverse;
      b.lhh[t] = inverse * inverse * (0.5 - z2);
    }
  }
  b.sum += -0.5 * (static_cast<double>(observed) * kLogTwoPi + logs.total() + quadratic);
}

template <class T>
LawInformation<T> normal_information(const T*) {
  LawInformation<T> i;
  i.ee = T(1);
  i.hh = T(0.5);
  return i;
}

}  // namespace brace::inline v0
