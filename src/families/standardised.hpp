// SPDX-License-Identifier: Apache-2.0
// A law given by its log density g(z; shape) of unit variance, as a kernel: with z = e / sqrt h
//   l = g(z) - ln(h) / 2
// and the chain rule to e and h. Density is a class of the law's shape that fills DensityAt.
#pragma once

#include <cmath>
#include <type_traits>

#include "families/log_sum.hpp"
#include "families/shock_moments.hpp"
#include "families/stages.hpp"

namespace brace::inline v0 {

// g at one z with its derivatives by z and the shape parameters s (packed).
template <class T>
struct DensityAt {
  T g = T(0), z = T(0), zz = T(0);
  std::array<T, kMostShapes> s{}, zs{};
  std::array<T, packed_size(kMostShapes)> ss{};
};

template <Order O, class Density, class T>
void standardised_law(LawBlock<T>& b) {
  using std::sqrt;
  constexpr std::size_t S = Density::kShapes;
  const Density density = [&] {
    if constexpr (std::is_constructible_v<Density, const T*, T>)
      return Density(b.shape, b.rounding);
    else
      return Density(b.shape);
  }();
  LogSum<T> logs;
  for (std::size_t t = 0; t < b.rows; ++t) {
    if (b.gaps && !b.present[t]) {
      b.le[t] = b.lh[t] = b.lee[t] = b.leh[t] = b.lhh[t] = T(0);
      for (std::size_t s = 0; s < S; ++s) b.ls[s][t] = b.les[s][t] = b.lhs[s][t] = T(0);
      continue;
    }
    const T over_h = 1 / b.h[t], over_sd = sqrt(over_h);
    const T z = b.e[t] * over_sd;
    logs.add(b.h[t]);
    if constexpr (O == Order::value) {
      b.sum += density.value(z);
    } else {
      DensityAt<T> at;
      density.template at<O>(z, at);
      b.sum += at.g;
      b.le[t] = at.z * over_sd;
      b.lh[t] = -0.5 * over_h * (1 + z * at.z);
      for (std::size_t s = 0; s < S; ++s) {
        b.ls[s][t] = at.s[s];
        b.shape_gradient[s] += at.s[s];
      }
      if constexpr (O == Order::hessian) {
        b.lee[t] = at.zz * over_h;
        b.leh[t] = -0.5 * over_h * over_sd * (at.z + z * at.zz);
        b.lhh[t] = over_h * over_h * (0.5 + 0.25 * z * (3 * at.z + z * at.zz));
        for (std::size_t s = 0; s < S; ++s) {
          b.les[s][t] = at.zs[s] * over_sd;
          b.lhs[s][t] = -0.5 * over_h * z * at.zs[s];
        }
        for (std::size_t r = 0; r < packed_size(S); ++r) b.shape_hessian[r] += at.ss[r];
      }
    }
  }
  b.sum += -0.5 * logs.total();
}

// Expected information by quadrature: a trapezoidal rule in arsinh z, whose points are dense where
// the law is and sparse in its tails. It is for steps far from the end.
template <class Density, class T>
LawInformation<T> standardised_information(const T* shape) {
  constexpr std::size_t S = Density::kShapes;
  const Density density(shape);
  LawInformation<T> i;
  T mass(0);
  constexpr double kStep = 0.2;
  for (int point = -40; point <= 40; ++point) {
    const double u = (point + 0.37) * kStep;  // off the kink at zero
    const T z = T(std::sinh(u));
    DensityAt<T> at;
    density.template at<Order::gradient>(z, at);
    using std::exp;
    const T weight = exp(at.g) * std::cosh(u);
    const T of_h = -0.5 * (1 + z * at.z);
    mass += weight;
    i.ee += weight * at.z * at.z;
    i.hh += weight * of_h * of_h;
    for (std::size_t s = 0; s < S; ++s) {
      i.hs[s] += weight * of_h * at.s[s];
      for (std::size_t r = 0; r <= s; ++r) i.ss[packed(s, r)] += weight * at.s[s] * at.s[r];
    }
  }
  const T share = 1 / mass;
  i.ee *= share;
  i.hh *= share;
  for (T& v : i.hs) v *= share;
  for (T& v : i.ss) v *= share;
  return i;
}

}  // namespace brace::inline v0
