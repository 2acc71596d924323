// SPDX-License-Identifier: Apache-2.0
// A forward-differentiating number: a value and its derivatives by up to twelve variables. The
// likelihood's own text, run with it, gives derivatives that share no code with the analytic ones.
#pragma once

#include <array>
#include <boost/math/special_functions/digamma.hpp>
#include <boost/math/special_functions/polygamma.hpp>
#include <boost/math/special_functions/trigamma.hpp>
#include <cmath>
#include <cstddef>

namespace brace {

struct Dual {
  static constexpr std::size_t kVariables = 12;
  double v = 0;
  std::array<double, kVariables> d{};

  Dual() = default;
  Dual(double value) : v(value) {}  // NOLINT: numbers mix freely
  Dual(int value) : v(value) {}     // NOLINT
  static Dual variable(double value, std::size_t index) {
    Dual x(value);
    x.d[index] = 1;
    return x;
  }
  // f(this) with outer value and derivative given.
  [[nodiscard]] Dual chain(double value, double slope) const {
    Dual out(value);
    for (std::size_t i = 0; i < kVariables; ++i) out.d[i] = slope * d[i];
    return out;
  }
  Dual& operator+=(const Dual& o) {
    v += o.v;
    for (std::size_t i = 0; i < kVariables; ++i) d[i] += o.d[i];
    return *this;
  }
  Dual& operator-=(const Dual& o) { return *this += o.chain(-o.v, -1); }
  Dual& operator*=(const Dual& o) {
    for (std::size_t i = 0; i < kVariables; ++i) d[i] = d[i] * o.v + v * o.d[i];
    v *= o.v;
    return *this;
  }
  Dual& operator/=(const Dual& o) { return *this *= o.chain(1 / o.v, -1 / (o.v * o.v)); }
};

inline Dual operator+(Dual a, const Dual& b) {
  return a += b;
}
inline Dual operator-(Dual a, const Dual& b) {
  return a -= b;
}
inline Dual operator*(Dual a, const Dual& b) {
  return a *= b;
}
inline Dual operator/(Dual a, const Dual& b) {
  return a /= b;
}
inline Dual operator-(const Dual& a) {
  return a.chain(-a.v, -1);
}
inline bool operator>(const Dual& a, const Dual& b) {
  return a.v > b.v;
}
inline bool operator<(const Dual& a, const Dual& b) {
  return a.v < b.v;
}

inline Dual log(const Dual& a) {
  return a.chain(std::log(a.v), 1 / a.v);
}
inline Dual exp(const Dual& a) {
  return a.chain(std::exp(a.v), std::exp(a.v));
}
inline Dual sqrt(const Dual& a) {
  return a.chain(std::sqrt(a.v), 0.5 / std::sqrt(a.v));
}
inline Dual abs(const Dual& a) {
  return a.v < 0 ? -a : a;
}
inline double value_of(const Dual& a) {
  return a.v;
}
inline Dual log_gamma(const Dual& a) {
  return a.chain(std::lgamma(a.v), boost::math::digamma(a.v));
}
inline Dual digamma(const Dual& a) {
  return a.chain(boost::math::digamma(a.v), boost::math::trigamma(a.v));
}
inline Dual trigamma(const Dual& a) {
  return a.chain(boost::math::trigamma(a.v), boost::math::polygamma(2, a.v));
}

}  // namespace brace
