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

  explicit SkewStudentDensity(const T* shape) : nu_(shape[0]), skew_(shape[1]) {
    using std::exp, std::log, std::sqrt;
    const T k = nu_ - 2, half = 0.5 * (nu_ + 1);
    log_c_ = log_gamma(half) - log_gamma(nu_ / 2) - 0.5 * log(std::numbers::pi * k);
    log_c1_ = 0.5 * (digamma(half) - digamma(nu_ / 2) - 1 / k);
    log_c2_ = 0.25 * (trigamma(half) - trigamma(nu_ / 2)) + 0.5 / (k * k);
    // a = skew K with K = 4 c k / (nu - 1)
    const T K = 4 * exp(log_c_) * k / (nu_ - 1);
    const T rate = log_c1_ + 1 / k - 1 / (nu_ - 1);
    const T K1 = K * rate,
            K2 = K * (rate * rate + log_c2_ - 1 / (k * k) + 1 / ((nu_ - 1) * (nu_ - 1)));
    a_ = skew_ * K;
    a1_ = {skew_ * K1, K};
    a2_ = {skew_ * K2, K1, T(0)};
    // B = b^2
    const T B = 1 + 3 * skew_ * skew_ - a_ * a_;
    b_ = sqrt(B);
    for (std::size_t i = 0; i < 2; ++i)
      b1_[i] = ((i == 1 ? T(3 * skew_) : T(0)) - a_ * a1_[i]) / b_;
    for (std::size_t i = 0, r = 0; i < 2; ++i)
      for (std::size_t j = 0; j <= i; ++j, ++r) {
        const T of_B = T(r == 2 ? 3 : 0) - a1_[i] * a1_[j] - a_ * a2_[r];  // half of B_ij
        b2_[r] = (of_B - b1_[i] * b1_[j]) / b_;
        log_b2_[r] = b2_[r] / b_ - b1_[i] * b1_[j] / (b_ * b_);
      }
  }

  // Where the two halves meet.
  [[nodiscard]] T kink() const { return -1 * a_ / b_; }

  [[nodiscard]] T value(const T& z) const {
    using std::log;
    const T w = (b_ * z + a_) / (1 + side(z) * skew_);
    return log(b_) + log_c_ - 0.5 * (nu_ + 1) * log(1 + w * w / (nu_ - 2));
  }

  template <Order O>
  void at(const T& z, DensityAt<T>& out) const {
    using std::log;
    const double s = side(z);
    const T k = nu_ - 2, over_D = 1 / (1 + s * skew_);
    const T w = (b_ * z + a_) * over_D, q = w * w, over_R = 1 / (k + q), log_ratio = log(1 + q / k);
    // G(w, nu) = -(nu + 1)/2 ln(1 + w^2 / k)
    const T Gw = -(nu_ + 1) * w * over_R;
    const T Gn = -0.5 * log_ratio + 0.5 * (nu_ + 1) * q * over_R / k;
    const T wz = b_ * over_D;
    const std::array<T, 2> ws{(b1_[0] * z + a1_[0]) * over_D,
                              (b1_[1] * z + a1_[1]) * over_D - s * w * over_D};
    out.g = log(b_) + log_c_ - 0.5 * (nu_ + 1) * log_ratio;
    out.z = Gw * wz;
    out.s = {b1_[0] / b_ + log_c1_ + Gw * ws[0] + Gn, b1_[1] / b_ + Gw * ws[1]};
    if constexpr (O == Order::hessian) {
      const T Gww = -(nu_ + 1) * (k - q) * over_R * over_R;
      const T Gwn = w * over_R * ((nu_ + 1) * over_R - 1);
      const T Gnn = q * over_R / k - 0.5 * (nu_ + 1) * q * (2 * k + q) * over_R * over_R / (k * k);
      const std::array<T, 2> wzs{b1_[0] * over_D, (b1_[1] - s * b_ * over_D) * over_D};
      const std::array<T, 3> wss{(b2_[0] * z + a2_[0]) * over_D,
                                 (b2_[1] * z + a2_[1]) * over_D - s * ws[0] * over_D,
                                 (b2_[2] * z + a2_[2]) * over_D - 2 * s * ws[1] * over_D};
      out.zz = Gww * wz * wz;
      out.zs = {Gww * wz * ws[0] + Gwn * wz + Gw * wzs[0], Gww * wz * ws[1] + Gw * wzs[1]};
      out.ss = {log_b2_[0] + log_c2_ + Gww * ws[0] * ws[0] + 2 * Gwn * ws[0] + Gw * wss[0] + Gnn,
                log_b2_[1] + Gww * ws[0] * ws[1] + Gwn * ws[1] + Gw * wss[1],
                log_b2_[2] + Gww * ws[1] * ws[1] + Gw * wss[2]};
    }
  }

 private:
  [[nodiscard]] double side(const T& z) const { return b_ * z + a_ < T(0) ? -1 : 1; }

  T nu_, skew_;
  T log_c_, log_c1_, log_c2_;
  T a_, b_;
  std::array<T, 2> a1_, b1_;           // by nu, skew
  std::array<T, 3> a2_, b2_, log_b2_;  // packed
};

}  // namespace brace::inline v0
