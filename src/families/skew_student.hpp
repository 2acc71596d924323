// SPDX-License-Identifier: Apache-2.0
// The skewed t law of Hansen (1994, equations 10 to 13) of mean 0 and variance 1: with k = nu - 2,
//   g = ln b + ln c - (nu + 1)/2 ln(1 + w^2 / k),   w = (b z + a) / (1 + s skew),  s = sign(z +
//   a/b) c = Gamma((nu+1)/2) / (sqrt(pi k) Gamma(nu/2)),  a = 4 skew c k / (nu - 1), b^2 = 1 + 3
//   skew^2 - a^2
// skew lies in (-1, 1); a negative one makes the left tail the longer. Tests:
// tests/likelihood/likelihood_test.cpp, tests/families/shock_laws_test.cpp.
#pragma once

#include <cmath>
#include <numbers>

#include "families/special.hpp"
#include "families/standardised.hpp"

namespace brace::inline v0 {

template <class T>
class SkewStudentDensity {
 public:
  static constexpr std::size_t kShapes = 2;

  // ln c, a and b with their derivatives by nu and skew; second ones packed.
  struct Numbers {
    T log_c, log_c1, log_c2;  // by nu
    T a, b;
    std::array<T, 2> a1, b1;
    std::array<T, 3> a2, b2, log_b2;
  };
  [[nodiscard]] const Numbers& numbers() const { return n_; }

  explicit SkewStudentDensity(const T* shape) : nu_(shape[0]), skew_(shape[1]) {
    using std::exp, std::log, std::sqrt;
    const T k = nu_ - 2, half = 0.5 * (nu_ + 1);
    n_.log_c = log_gamma(half) - log_gamma(nu_ / 2) - 0.5 * log(std::numbers::pi * k);
    n_.log_c1 = 0.5 * (digamma(half) - digamma(nu_ / 2) - 1 / k);
    n_.log_c2 = 0.25 * (trigamma(half) - trigamma(nu_ / 2)) + 0.5 / (k * k);
    // a = skew K with K = 4 c k / (nu - 1)
    const T K = 4 * exp(n_.log_c) * k / (nu_ - 1);
    const T rate = n_.log_c1 + 1 / k - 1 / (nu_ - 1);
    const T K1 = K * rate,
            K2 = K * (rate * rate + n_.log_c2 - 1 / (k * k) + 1 / ((nu_ - 1) * (nu_ - 1)));
    n_.a = skew_ * K;
    n_.a1 = {skew_ * K1, K};
    n_.a2 = {skew_ * K2, K1, T(0)};
    // B = b^2
    const T B = 1 + 3 * skew_ * skew_ - n_.a * n_.a;
    n_.b = sqrt(B);
    for (std::size_t i = 0; i < 2; ++i)
      n_.b1[i] = ((i == 1 ? T(3 * skew_) : T(0)) - n_.a * n_.a1[i]) / n_.b;
    for (std::size_t i = 0, r = 0; i < 2; ++i)
      for (std::size_t j = 0; j <= i; ++j, ++r) {
        const T of_B = T(r == 2 ? 3 : 0) - n_.a1[i] * n_.a1[j] - n_.a * n_.a2[r];  // half of B_ij
        n_.b2[r] = (of_B - n_.b1[i] * n_.b1[j]) / n_.b;
        n_.log_b2[r] = n_.b2[r] / n_.b - n_.b1[i] * n_.b1[j] / (n_.b * n_.b);
      }
  }

  // Where the two halves meet.
  [[nodiscard]] T kink() const { return -1 * n_.a / n_.b; }

  [[nodiscard]] T value(const T& z) const {
    using std::log;
    const T w = (n_.b * z + n_.a) / (1 + side(z) * skew_);
    return log(n_.b) + n_.log_c - 0.5 * (nu_ + 1) * log(1 + w * w / (nu_ - 2));
  }

  template <Order O>
  void at(const T& z, DensityAt<T>& out) const {
    using std::log;
    const double s = side(z);
    const T k = nu_ - 2, over_D = 1 / (1 + s * skew_);
    const T w = (n_.b * z + n_.a) * over_D, q = w * w, over_R = 1 / (k + q),
            log_ratio = log(1 + q / k);
    // G(w, nu) = -(nu + 1)/2 ln(1 + w^2 / k)
    const T Gw = -(nu_ + 1) * w * over_R;
    const T Gn = -0.5 * log_ratio + 0.5 * (nu_ + 1) * q * over_R / k;
    const T wz = n_.b * over_D;
    const std::array<T, 2> ws{(n_.b1[0] * z + n_.a1[0]) * over_D,
                              (n_.b1[1] * z + n_.a1[1]) * over_D - s * w * over_D};
    out.g = log(n_.b) + n_.log_c - 0.5 * (nu_ + 1) * log_ratio;
    out.z = Gw * wz;
    out.s = {n_.b1[0] / n_.b + n_.log_c1 + Gw * ws[0] + Gn, n_.b1[1] / n_.b + Gw * ws[1]};
    if constexpr (O == Order::hessian) {
      const T Gww = -(nu_ + 1) * (k - q) * over_R * over_R;
      const T Gwn = w * over_R * ((nu_ + 1) * over_R - 1);
      const T Gnn = q * over_R / k - 0.5 * (nu_ + 1) * q * (2 * k + q) * over_R * over_R / (k * k);
      const std::array<T, 2> wzs{n_.b1[0] * over_D, (n_.b1[1] - s * n_.b * over_D) * over_D};
      const std::array<T, 3> wss{(n_.b2[0] * z + n_.a2[0]) * over_D,
                                 (n_.b2[1] * z + n_.a2[1]) * over_D - s * ws[0] * over_D,
                                 (n_.b2[2] * z + n_.a2[2]) * over_D - 2 * s * ws[1] * over_D};
      out.zz = Gww * wz * wz;
      out.zs = {Gww * wz * ws[0] + Gwn * wz + Gw * wzs[0], Gww * wz * ws[1] + Gw * wzs[1]};
      out.ss = {
          n_.log_b2[0] + n_.log_c2 + Gww * ws[0] * ws[0] + 2 * Gwn * ws[0] + Gw * wss[0] + Gnn,
          n_.log_b2[1] + Gww * ws[0] * ws[1] + Gwn * ws[1] + Gw * wss[1],
          n_.log_b2[2] + Gww * ws[1] * ws[1] + Gw * wss[2]};
    }
  }

 private:
  [[nodiscard]] double side(const T& z) const { return n_.b * z + n_.a < T(0) ? -1 : 1; }

  T nu_, skew_;
  Numbers n_;
};

}  // namespace brace::inline v0
