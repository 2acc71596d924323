// SPDX-License-Identifier: Apache-2.0
// What the three stages of a likelihood hand to one another. Mean gives e, variance gives h, law
// gives l(e, h) and its derivatives; likelihood.hpp runs them over blocks that stay in the first
// cache.
//
// Derivatives of a quantity by the k parameters are a row of k numbers; second derivatives are
// packed lower triangles, element (j, i <= j) at j (j + 1) / 2 + i, so that the parameters that
// come first (the mean's) occupy the front of both.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <utility>
#include <vector>

namespace brace {

enum class Order {
  value,     // the log-likelihood
  gradient,  // and its first derivatives
  scoring,   // and the expected information, which needs first derivatives only
  hessian,   // and the second derivatives
};

constexpr std::size_t packed(std::size_t j, std::size_t i) {
  return j * (j + 1) / 2 + i;
}  // i <= j
constexpr std::size_t packed_size(std::size_t k) {
  return k * (k + 1) / 2;
}

// Rows of a quantity and its derivatives, with `history` rows before the first for lags to reach
// into.
template <class T>
struct Rows {
  std::size_t history = 0, width = 0;
  std::vector<T> value, first, second;

  void resize(std::size_t history_rows, std::size_t rows, std::size_t parameters) {
    history = history_rows;
    width = parameters;
    value.assign(history + rows, T(0));
    first.assign((history + rows) * width, T(0));
    second.assign((history + rows) * packed_size(width), T(0));
  }
  // Row t counts from -history.
  T& at(std::ptrdiff_t t) { return value[index(t)]; }
  T* d(std::ptrdiff_t t) { return first.data() + index(t) * width; }
  T* d2(std::ptrdiff_t t) { return second.data() + index(t) * packed_size(width); }

  // Moves the last `history` of the first `rows` rows to the front: the next block continues there.
  template <Order O>
  void shift(std::size_t rows) {
    const auto move = [&](std::vector<T>& data, std::size_t stride) {
      std::copy(data.begin() + static_cast<std::ptrdiff_t>(rows * stride),
                data.begin() + static_cast<std::ptrdiff_t>((rows + history) * stride),
                data.begin());
    };
    move(value, 1);
    if constexpr (O != Order::value) move(first, width);
    if constexpr (O == Order::hessian) move(second, packed_size(width));
  }

 private:
  [[nodiscard]] std::size_t index(std::ptrdiff_t t) const {
    return static_cast<std::size_t>(t + static_cast<std::ptrdiff_t>(history));
  }
};

// out += c * in, where c is parameter `p` of out's row:
//   d out_j  += c d in_j + [j = p] in,    d2 out_ji += c d2 in_ji + [j = p] d in_i + [i = p] d in_j
// `in_width` leading derivatives of `in` are non-zero. Both recursions of a model, that of the mean
// and that of the variance, are sums of such terms.
template <Order O, class T>
inline void add_term(T& out, T* d, T* d2, std::size_t p, const T& c, const T& in, const T* d_in,
                     const T* d2_in, std::size_t in_width) {
  out += c * in;
  if constexpr (O != Order::value) {
    for (std::size_t j = 0; j < in_width; ++j) d[j] += c * d_in[j];
    d[p] += in;
  }
  if constexpr (O == Order::hessian) {
    for (std::size_t r = 0; r < packed_size(in_width); ++r) d2[r] += c * d2_in[r];
    for (std::size_t j = 0; j < in_width && j < p; ++j) d2[packed(p, j)] += d_in[j];
    for (std::size_t j = p + 1; j < in_width; ++j) d2[packed(j, p)] += d_in[j];
    if (p < in_width) d2[packed(p, p)] += 2 * d_in[p];
  }
}

// f(0) .. f(n - 1). With N > 0 the count is known when compiling and the index is a constant in
// each call, so that loops inside f unroll and small arrays live in registers (GCC does not unroll
// triangular loops).
template <std::size_t N, class F>
inline void for_each_index(std::size_t n, F&& f) {
  if constexpr (N > 0) {
    [&]<std::size_t... I>(std::index_sequence<I...>) {
      (f(std::integral_constant<std::size_t, I>{}), ...);
    }
    (std::make_index_sequence<N>{});
  } else {
    for (std::size_t i = 0; i < n; ++i) f(i);
  }
}

inline constexpr std::size_t kBlock = 64;      // rows a block: all rows of a small model fit 32 kB
inline constexpr std::size_t kMostShapes = 2;  // parameters of a law

// One block of the law stage. Sums go up by the block's rows; arrays hold one number a row.
template <class T>
struct LawBlock {
  // In: rows, shocks, variances and which of them are observed.
  std::size_t rows = 0;
  const T* e = nullptr;
  const T* h = nullptr;
  const unsigned char* present = nullptr;
  bool gaps = false;  // some rows are missing; without, `present` is not looked at
  const T* shape = nullptr;
  bool want_scores = false;  // fill `ls`, which costs a logarithm a row

  // Out.
  T sum = T(0);  // sum of l
  std::array<T, kMostShapes> shape_gradient{};
  std::array<T, 3> shape_hessian{};  // packed
  std::array<T, kBlock> le, lh, lee, leh, lhh;
  std::array<std::array<T, kBlock>, kMostShapes> ls, les, lhs;
};

// Expected information of a unit-variance law per observation, in units of 1/h for ee and hs, 1/h^2
// for hh.
template <class T>
struct LawInformation {
  T ee = T(0), hh = T(0);
  std::array<T, kMostShapes> hs{};
  std::array<T, 3> ss{};  // packed
};

// One block of the variance stage: fills h (and its derivatives), then q, from e.
template <class T>
struct VarianceBlock {
  std::size_t rows = 0;
  std::size_t mean_width = 0;  // derivatives of e that may be non-zero
  bool gaps = false;           // some rows are missing
  const unsigned char* present = nullptr;
  const T* e = nullptr;      // rows
  const T* e1 = nullptr;     // rows x mean_width
  const T* e2 = nullptr;     // rows x packed_size(mean_width)
  const T* theta = nullptr;  // the variance parameters
  Rows<T>* h = nullptr;      // width: mean and variance parameters
  Rows<T>* q = nullptr;      // e^2, or its expectation h where e is missing
  const std::vector<int>* shock_lags = nullptr;
  const std::vector<int>* variance_lags = nullptr;
};

}  // namespace brace
