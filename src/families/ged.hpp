// SPDX-License-Identifier: Apache-2.0
// The generalised error law of unit variance (Nelson 1991, equation 2.4), nu > 0:
//   g = ln nu - ln lambda - (1 + 1/nu) ln 2 - ln Gamma(1/nu) - |z / lambda|^nu / 2
//   lambda^2 = 2^(-2/nu) Gamma(1/nu) / Gamma(3/nu)
// nu = 2 is the normal law, smaller ones have heavier tails. Below 2 the second derivative by z is
// singular at 0, where it is taken to be 0. Tests: tests/likelihood/likelihood_test.cpp,
// tests/families/shock_laws_test.cpp.
#pragma once

#include <cmath>
#include <numbers>

#include "families/special.hpp"
#include "families/standardised.hpp"

namespace brace::inline v0 {

template <class T>
class GedDensity {
 public:
  static constexpr std::size_t kShapes = 1;

  explicit GedDensity(const T* shape) : nu_(shape[0]) {
    using std::log;
    constexpr double ln2 = std::numbers::ln2;
    const T r = 1 / nu_, r2 = r * r, one = digamma(r), three = digamma(3 * r), one1 = trigamma(r),
            three1 = trigamma(3 * r);
    lambda_ = -ln2 * r + 0.5 * (log_gamma(r) - log_gamma(3 * r));
    lambda1_ = r2 * (ln2 + 0.5 * (3 * three - one));
    lambda2_ = r2 * r * (-2 * ln2 + one - 3 * three + 0.5 * r * (one1 - 9 * three1));
    c_ = log(nu_) - lambda_ - (1 + r) * ln2 - log_gamma(r);
    c1_ = r - lambda1_ + r2 * (ln2 + one);
    c2_ = -r2 - lambda2_ - r2 * r * (2 * ln2 + 2 * one + r * one1);
  }

  [[nodiscard]] T value(const T& z) const {
    using std::abs, std::exp, std::log;
    return z < T(0) || z > T(0) ? T(c_ - 0.5 * exp(nu_ * (log(abs(z)) - lambda_))) : c_;
  }

  template <Order O>
  void at(const T& z, DensityAt<T>& out) const {
    using std::abs, std::exp, std::log;
    out = {};
    out.g = c_;
    out.s[0] = c1_;
    out.ss[0] = c2_;
    if (!(z < T(0) || z > T(0))) return;
    const T x = log(abs(z)) - lambda_, A = 0.5 * exp(nu_ * x), over_z = 1 / z;
    const T w = x - nu_ * lambda1_;  // d ln A / d nu
    out.g -= A;
    out.z = -nu_ * A * over_z;
    out.s[0] -= A * w;
    if constexpr (O == Order::hessian) {
      out.zz = -nu_ * (nu_ - 1) * A * over_z * over_z;
      out.zs[0] = -A * over_z * (1 + nu_ * w);
      out.ss[0] -= A * (w * w - 2 * lambda1_ - nu_ * lambda2_);
    }
  }

 private:
  T nu_;
  T lambda_, lambda1_, lambda2_;  // ln lambda and its derivatives by nu
  T c_, c1_, c2_;                 // g at 0
};

}  // namespace brace::inline v0
