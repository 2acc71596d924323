// SPDX-License-Identifier: Apache-2.0
// Student's law scaled to unit variance (Bollerslev 1987, equation 1), nu > 2, with k = nu - 2,
// a = (nu + 1) / 2 and D = h k + e^2:
//   l = C(nu) - ln(h) / 2 - a ln(D / (h k)),   C = ln Gamma(a) - ln Gamma(nu / 2) - ln(pi k) / 2
// As nu grows the last term is a * log1p(e^2 / (h k)) with a tiny argument; the product of ratios
// D/(h k) keeps its digits because each is formed as 1 + e^2 / (h k). Tests:
// tests/likelihood/likelihood_test.cpp.
#pragma once

#include <cmath>
#include <numbers>

#include "families/log_sum.hpp"
#include "families/special.hpp"
#include "families/stages.hpp"

namespace brace::inline v0 {

// What a row's term has that depends on nu alone: C(nu) and its derivatives.
template <class T>
struct StudentConstant {
  T value, slope, curvature;
};
template <Order O, class T>
StudentConstant<T> student_constant(const T& nu) {
  using std::log;
  const T k = nu - 2, a = (nu + 1) / 2, inverse_k = 1 / k;
  StudentConstant<T> c{log_gamma(a) - log_gamma(nu / 2) - 0.5 * log(std::numbers::pi * k), T(0),
                       T(0)};
  if constexpr (O != Order::value) c.slope = 0.5 * (digamma(a) - digamma(nu / 2) - inverse_k);
  if constexpr (O == Order::hessian)
    c.curvature = 0.25 * (trigamma(a) - trigamma(nu / 2)) + 0.5 * inverse_k * inverse_k;
  return c;
}

template <Order O, class T>
void student_law(LawBlock<T>& b) {
  using std::log;
  const T nu = b.shape[0];
  const T k = nu - 2, a = (nu + 1) / 2, inverse_k = 1 / k;
  LogSum<T> logs, ratios;
  T curvature(0), slope(0);  // sums over rows of the parts of l_nu and l_nunu without logarithm
  std::size_t observed = 0;
  for (std::size_t t = 0; t < b.rows; ++t) {
    if (b.gaps && !b.present[t]) {
      b.le[t] = b.lh[t] = b.lee[t] = b.leh[t] = b.lhh[t] = T(0);
      b.ls[0][t] = b.les[0][t] = b.lhs[0][t] = T(0);
      continue;
    }
    ++observed;
    const T e = b.e[t], h = b.h[t];
    const T D = h * k + e * e;
    const T both = 1 / (h * D);  // one division serves 1/h and 1/D
    const T over_h = D * both, over_D = h * both;
    const T ratio = 1 + e * e * over_h * inverse_k;
    logs.add(h);
    ratios.add(ratio);
    if constexpr (O != Order::value) {
      const T share = h * over_D - inverse_k;  // h/D - 1/k, minus the share of e^2
      b.le[t] = -2 * a * e * over_D;
      b.lh[t] = 0.5 * nu * over_h - a * k * over_D;
      slope -= a * share;
      if (b.want_scores) b.ls[0][t] = -0.5 * log(ratio) - a * share;
      if constexpr (O == Order::hessian) {
        const T D2 = over_D * over_D;
        b.lee[t] = -2 * a * (over_D - 2 * e * e * D2);
        b.leh[t] = 2 * a * e * k * D2;
        b.lhh[t] = -0.5 * nu * over_h * over_h + a * k * k * D2;
        b.les[0][t] = -e * over_D + 2 * a * e * h * D2;
        b.lhs[0][t] = 0.5 * over_h - (0.5 * k + a) * over_D + a * k * h * D2;
        curvature += -share + a * (h * h * D2 - inverse_k * inverse_k);
      }
    }
  }
  const auto n = static_cast<double>(observed);
  const T log_ratios = ratios.total();
  const StudentConstant<T> constant = student_constant<O>(nu);
  b.sum += n * constant.value - 0.5 * logs.total() - a * log_ratios;
  if constexpr (O != Order::value) {
    b.shape_gradient[0] += n * constant.slope - 0.5 * log_ratios + slope;
    if (b.want_scores)
      for (std::size_t t = 0; t < b.rows; ++t)
        if (!b.gaps || b.present[t]) b.ls[0][t] += constant.slope;
  }
  if constexpr (O == Order::hessian) b.shape_hessian[0] += n * constant.curvature + curvature;
}

// From the information of Student's law in location, scale and nu (Lange, Little and Taylor 1989,
// appendix B) with scale^2 = h k / nu.
template <class T>
LawInformation<T> student_information(const T* shape) {
  const T nu = shape[0], k = nu - 2;
  LawInformation<T> i;
  i.ee = nu * (nu + 1) / ((nu + 3) * k);
  i.hh = 0.5 * nu / (nu + 3);
  i.hs[0] = 3 / ((nu + 3) * (nu + 1) * k);
  i.ss[0] = 0.25 * (trigamma(nu / 2) - trigamma((nu + 1) / 2)) -
            0.5 * (nu + 5) / (nu * (nu + 1) * (nu + 3)) - 4 / (nu * k * (nu + 1) * (nu + 3)) +
            2 / ((nu + 3) * nu * k * k);
  return i;
}

}  // namespace brace::inline v0
