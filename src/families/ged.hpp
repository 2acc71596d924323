// SPDX-License-Identifier: Apache-2.0
// The generalised error law of unit variance (Nelson 1991, equation 2.4), nu > 0:
//   g = ln nu - ln lambda - (1 + 1/nu) ln 2 - ln Gamma(1/nu) - |z / lambda|^nu / 2
//   lambda^2 = 2^(-2/nu) Gamma(1/nu) / Gamma(3/nu)
// nu = 2 is the normal law, smaller ones have heavier tails. Below 2 the second derivative by z is
// singular at 0, where it is taken to be 0. For a climb among kinks the peak may be rounded: |z| is
// then sqrt(z^2 + r^2) (estimation/climbs/rounded_climb.cpp). Tests:
// tests/likelihood/likelihood_test.cpp, tests/families/shock_laws_test.cpp.
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

  // ln lambda and g at 0, with their derivatives by nu.
  struct Numbers {
    T lambda, lambda1, lambda2;
    T c, c1, c2;
  };
  [[nodiscard]] const Numbers& numbers() const { return n_; }

  explicit GedDensity(const T* shape, const T& rounding = T(0)) : nu_(shape[0]), r_(rounding) {
    using std::log;
    constexpr double ln2 = std::numbers::ln2;
    const T r = 1 / nu_, r2 = r * r, one = digamma(r), three = digamma(3 * r), one1 = trigamma(r),
            three1 = trigamma(3 * r);
    n_.lambda = -ln2 * r + 0.5 * (log_gamma(r) - log_gamma(3 * r));
    n_.lambda1 = r2 * (ln2 + 0.5 * (3 * three - one));
    n_.lambda2 = r2 * r * (-2 * ln2 + one - 3 * three + 0.5 * r * (one1 - 9 * three1));
    n_.c = log(nu_) - n_.lambda - (1 + r) * ln2 - log_gamma(r);
    n_.c1 = r - n_.lambda1 + r2 * (ln2 + one);
    n_.c2 = -r2 - n_.lambda2 - r2 * r * (2 * ln2 + 2 * one + r * one1);
  }

  [[nodiscard]] T value(const T& z) const {
    using std::exp, std::log;
    const T size = size_of(z);
    return size > T(0) ? T(n_.c - 0.5 * exp(nu_ * (log(size) - n_.lambda))) : n_.c;
  }

  template <Order O>
  void at(const T& z, DensityAt<T>& out) const {
    using std::exp, std::log;
    out = {};
    out.g = n_.c;
    out.s[0] = n_.c1;
    out.ss[0] = n_.c2;
    const T size = size_of(z);
    if (!(size > T(0))) return;
    const T x = log(size) - n_.lambda, A = 0.5 * exp(nu_ * x),
            over_z = r_ > T(0) ? T(z / (size * size)) : T(1 / z);
    const T w = x - nu_ * n_.lambda1;  // d ln A / d nu
    out.g -= A;
    out.z = -nu_ * A * over_z;
    out.s[0] -= A * w;
    if constexpr (O == Order::hessian) {
      out.zz = -nu_ * (nu_ - 1) * A * over_z * over_z;
      if (r_ > T(0)) out.zz -= nu_ * A * r_ * r_ / (size * size * size * size);
      out.zs[0] = -A * over_z * (1 + nu_ * w);
      out.ss[0] -= A * (w * w - 2 * n_.lambda1 - nu_ * n_.lambda2);
    }
  }

 private:
  [[nodiscard]] T size_of(const T& z) const {
    using std::abs, std::sqrt;
    return r_ > T(0) ? T(sqrt(z * z + r_ * r_)) : T(abs(z));
  }

  T nu_, r_;
  Numbers n_;
};

}  // namespace brace::inline v0
