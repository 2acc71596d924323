// SPDX-License-Identifier: Apache-2.0
// The laws of the shocks in lanes: what each row adds, for a pass of any variance equation. All is
// in an unnamed namespace, on purpose in a header (vector.hpp).
//
//   LawRows<StateLaw::student, V> law(point.law.numbers);
//   V by_z = law.slope(z);       // and its terms to the sums
#pragma once

#include <cstddef>
#include <utility>

#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/vector.hpp"

namespace brace::inline v0 {
namespace {  // NOLINT: see the head of this file

constexpr std::size_t kRowsOfAProduct = 32;

constexpr std::size_t shapes_of(StateLaw law) {
  return law == StateLaw::normal ? 0 : law == StateLaw::skew_student ? 2 : 1;
}

constexpr std::size_t at(std::size_t j, std::size_t i) {
  return j * (j + 1) / 2 + i;
}

// f of 0 .. N - 1 as constants, so that the sums of a loop live in registers.
template <std::size_t N, class F>
inline void unrolled(F&& f) {
  [&]<std::size_t... I>(std::index_sequence<I...>) {
    (f(std::integral_constant<std::size_t, I>{}), ...);
  }
  (std::make_index_sequence<N>{});
}

// One law at the rows of a pass: the logarithm of its density at z but for what depends on the
// shape alone (kernels.hpp), and sums over the rows.
template <StateLaw L, class V>
struct LawRows;

template <class V>
struct NoShape {
  void flush() {}
  V by_shape[2] = {}, by_shapes[3] = {};
};

template <class V>
struct LawRows<StateLaw::normal, V> : NoShape<V> {
  explicit LawRows(const double*) {}
  V squares{};
  void value(const V& z) { squares += z * z; }
  V slope(const V& z) {
    squares += z * z;
    return -z;
  }
  V bend(const V& z, V& slope, V*) {
    slope = -z;
    return all<V>(-1);
  }
  void score(const V&, V*) {}
  [[nodiscard]] V total() const { return -0.5 * squares; }
};

// Logarithms of 1 + w^2 / k by their products.
template <class V>
struct Ratios {
  V product = all<V>(1), logs{};
  void flush() {
    logs += any_log_of(product);
    product = all<V>(1);
  }
};

template <class V>
struct LawRows<StateLaw::student, V> : Ratios<V> {
  V k, over_k, c;  // nu - 2, 1 / k, (nu + 1) / 2
  V by_shape[2] = {}, by_shapes[3] = {};

  explicit LawRows(const double* numbers)
      : k(all<V>(numbers[0] - 2)),
        over_k(all<V>(1 / (numbers[0] - 2))),
        c(all<V>(0.5 * (numbers[0] + 1))) {}
  void value(const V& z) { this->product *= 1 + z * z * over_k; }
  V slope(const V& z) {
    const V q = z * z, d = 1 / (k + q);
    this->product *= 1 + q * over_k;
    by_shape[0] += c * (over_k - d);
    return -2 * c * z * d;
  }
  V bend(const V& z, V& slope, V* by_z) {
    const V d = 1 / (k + z * z), cd = c * d;
    slope = -2 * cd * z;
    by_z[0] = z * d * (2 * cd - 1);
    by_shapes[0] += (over_k - d) + c * (d * d - over_k * over_k);
    return -2 * cd * (1 - 2 * z * z * d);
  }
  void score(const V& z, V* out) {
    const V q = z * z;
    out[0] = -0.5 * log_of(1 + q * over_k) + c * (over_k - 1 / (k + q));
  }
  [[nodiscard]] V total() const { return -c * this->logs; }
  // The logarithms' share of the slope in nu.
  [[nodiscard]] V rest() const { return -0.5 * this->logs; }
};

// Of Hansen (1994), see families/skew_student.hpp.
template <class V>
struct LawRows<StateLaw::skew_student, V> : Ratios<V> {
  V k, over_k, both, c, skew;  // nu - 2, 1 / k, nu + 1, (nu + 1) / 2
  V a, b, a1[2], b1[2], a2[3], b2[3], over_fall, over_rise;
  V by_shape[2] = {}, by_shapes[3] = {};

  explicit LawRows(const double* numbers)
      : k(all<V>(numbers[0] - 2)),
        over_k(all<V>(1 / (numbers[0] - 2))),
        both(all<V>(numbers[0] + 1)),
        c(all<V>(0.5 * (numbers[0] + 1))),
        skew(all<V>(numbers[1])),
        a(all<V>(numbers[2])),
        b(all<V>(numbers[3])),
        over_fall(all<V>(1 / (1 - numbers[1]))),
        over_rise(all<V>(1 / (1 + numbers[1]))) {
    for (int i = 0; i < 2; ++i) {
      a1[i] = all<V>(numbers[4 + i]);
      b1[i] = all<V>(numbers[6 + i]);
    }
    for (int i = 0; i < 3; ++i) {
      a2[i] = all<V>(numbers[8 + i]);
      b2[i] = all<V>(numbers[11 + i]);
    }
  }
  [[nodiscard]] V over_d(const V& v) const { return v < 0 ? over_fall : over_rise; }
  void value(const V& z) {
    const V v = b * z + a, w = v * over_d(v);
    this->product *= 1 + w * w * over_k;
  }
  V slope(const V& z) {
    const V v = b * z + a, d = over_d(v), w = v * d, q = w * w, r = 1 / (k + q);
    this->product *= 1 + q * over_k;
    V at[2];
    return first(z, v, d, w, q, r, at, by_shape);
  }
  V bend(const V& z, V& slope, V* by_z) {
    const V v = b * z + a, d = over_d(v), s = side_of(v), w = v * d, q = w * w, r = 1 / (k + q);
    V ws[2], unused[2] = {};
    slope = first(z, v, d, w, q, r, ws, unused);
    const V gw = -both * w * r, gww = -both * (k - q) * r * r, gwn = w * r * (both * r - 1),
            gnn = q * r * over_k - c * q * (2 * k + q) * r * r * over_k * over_k;
    const V wz = b * d, wz0 = b1[0] * d, wz1 = (b1[1] - s * wz) * d;
    by_z[0] = gww * wz * ws[0] + gwn * wz + gw * wz0;
    by_z[1] = gww * wz * ws[1] + gw * wz1;
    const V w00 = (b2[0] * z + a2[0]) * d, w10 = (b2[1] * z + a2[1]) * d - s * ws[0] * d,
            w11 = (b2[2] * z + a2[2]) * d - 2 * s * ws[1] * d;
    by_shapes[0] += gww * ws[0] * ws[0] + 2 * gwn * ws[0] + gw * w00 + gnn;
    by_shapes[1] += gww * ws[0] * ws[1] + gwn * ws[1] + gw * w10;
    by_shapes[2] += gww * ws[1] * ws[1] + gw * w11;
    return gww * wz * wz;
  }
  void score(const V& z, V* out) {
    const V v = b * z + a, d = over_d(v), w = v * d, q = w * w, r = 1 / (k + q);
    V ws[2];
    out[0] = -0.5 * log_of(1 + q * over_k);
    out[1] = V{};
    first(z, v, d, w, q, r, ws, out);
  }
  [[nodiscard]] V total() const { return -c * this->logs; }
  [[nodiscard]] V rest() const { return -0.5 * this->logs; }

 private:
  // The slope in z; w's slopes in the shape; the law's go to `sums`, without the logarithm.
  V first(const V& z, const V& v, const V& d, const V& w, const V& q, const V& r, V* ws,
          V* sums) const {
    const V gw = -both * w * r;
    ws[0] = (b1[0] * z + a1[0]) * d;
    ws[1] = (b1[1] * z + a1[1] - side_of(v) * w) * d;
    sums[0] += gw * ws[0] + c * q * r * over_k;
    sums[1] += gw * ws[1];
    return gw * b * d;
  }
};

// Nelson (1991), see families/ged.hpp: A = |z / lambda|^nu / 2.
template <class V>
struct LawRows<StateLaw::ged, V> {
  V nu, log_lambda, lambda1, lambda2;
  V powers{};
  V by_shape[2] = {}, by_shapes[3] = {};

  explicit LawRows(const double* numbers)
      : nu(all<V>(numbers[0])),
        log_lambda(all<V>(numbers[1])),
        lambda1(all<V>(numbers[2])),
        lambda2(all<V>(numbers[3])) {}
  void flush() {}
  // ln |z / lambda|; of 0 that of a number too small to count.
  [[nodiscard]] V log_size(const V& z) const {
    const V size = size_of(z);
    return log_of(size < 1e-290 ? all<V>(1e-290) : size) - log_lambda;
  }
  [[nodiscard]] V over(const V& z) const {
    const V r = 1 / (z == 0 ? all<V>(1) : z);
    return z == 0 ? V{} : r;
  }
  void value(const V& z) { powers += 0.5 * exp_of(nu * log_size(z)); }
  V slope(const V& z) {
    const V x = log_size(z), A = 0.5 * exp_of(nu * x);
    powers += A;
    by_shape[0] -= A * (x - nu * lambda1);
    return -nu * A * over(z);
  }
  V bend(const V& z, V& slope, V* by_z) {
    const V x = log_size(z), A = 0.5 * exp_of(nu * x), w = x - nu * lambda1, over_z = over(z);
    slope = -nu * A * over_z;
    by_z[0] = -A * over_z * (1 + nu * w);
    by_shapes[0] -= A * (w * w - 2 * lambda1 - nu * lambda2);
    return (nu - 1) * slope * over_z;
  }
  void score(const V& z, V* out) {
    const V x = log_size(z);
    out[0] = -0.5 * exp_of(nu * x) * (x - nu * lambda1);
  }
  [[nodiscard]] V total() const { return -powers; }
  [[nodiscard]] V rest() const { return V{}; }
};

}  // namespace
}  // namespace brace::inline v0
