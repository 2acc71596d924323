// SPDX-License-Identifier: Apache-2.0
// What the three stages of a likelihood hand to one another. Mean gives e, variance gives h, law
// gives l(e, h) and its derivatives; joint_likelihood.hpp runs them over blocks that stay in the
// first cache.
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

namespace brace::inline v0 {

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

// A quantity of one row with its derivatives, which live elsewhere.
template <class T>
struct Row {
  T* value;
  T* d;
  T* d2;
};

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
  Row<T> row(std::ptrdiff_t t) { return {&at(t), d(t), d2(t)}; }
  template <Order O>
  void clear(std::ptrdiff_t t) {
    at(t) = T(0);
    if constexpr (O != Order::value) std::fill_n(d(t), width, T(0));
    if constexpr (O == Order::hessian) std::fill_n(d2(t), packed_size(width), T(0));
  }

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

// out += c * in and its derivatives but for those of c itself:
//   d out_j  += c d in_j,    d2 out_ji += c d2 in_ji
// `in_width` leading derivatives of `in` are non-zero.
template <Order O, class T>
inline void add_scaled(const Row<T>& out, const T& c, const Row<T>& in, std::size_t in_width) {
  *out.value += c * *in.value;
  if constexpr (O != Order::value)
    for (std::size_t j = 0; j < in_width; ++j) out.d[j] += c * in.d[j];
  if constexpr (O == Order::hessian)
    for (std::size_t r = 0; r < packed_size(in_width); ++r) out.d2[r] += c * in.d2[r];
}

// What c's own derivative adds to out += c * in, where c moves with parameter p at rate w:
//   d out_p += w in,    d2 out_ji += w ([j = p] d in_i + [i = p] d in_j)
template <Order O, class T>
inline void add_slope(const Row<T>& out, std::size_t p, double w, const Row<T>& in,
                      std::size_t in_width) {
  if constexpr (O != Order::value) out.d[p] += w * *in.value;
  if constexpr (O == Order::hessian) {
    for (std::size_t j = 0; j < in_width && j < p; ++j) out.d2[packed(p, j)] += w * in.d[j];
    for (std::size_t j = p + 1; j < in_width; ++j) out.d2[packed(j, p)] += w * in.d[j];
    if (p < in_width) out.d2[packed(p, p)] += 2 * w * in.d[p];
  }
}

// out += c * in, where c is parameter p of out's row. Both recursions of a model, that of the mean
// and that of the variance, are sums of such terms.
template <Order O, class T>
inline void add_term(const Row<T>& out, std::size_t p, const T& c, const Row<T>& in,
                     std::size_t in_width) {
  add_scaled<O>(out, c, in, in_width);
  add_slope<O>(out, p, 1, in, in_width);
}

// Derivatives of out = f(in_1 .. in_M) from those of f, packed the same way, by the chain rule.
// Every row is `width` wide; `out` is none of `in`, and its value is the caller's.
template <Order O, std::size_t M, class T>
inline void compose(const Row<T>& out, const std::array<Row<T>, M>& in, const std::array<T, M>& f1,
                    const std::array<T, packed_size(M)>& f2, std::size_t width) {
  if constexpr (O != Order::value)
    for (std::size_t j = 0; j < width; ++j) {
      out.d[j] = f1[0] * in[0].d[j];
      for (std::size_t a = 1; a < M; ++a) out.d[j] += f1[a] * in[a].d[j];
    }
  if constexpr (O == Order::hessian)
    for (std::size_t j = 0, r = 0; j < width; ++j) {
      std::array<T, M> bent;  // sum_b f_ab d in_b by j
      for (std::size_t a = 0; a < M; ++a) {
        bent[a] = f2[packed(a, 0)] * in[0].d[j];
        for (std::size_t b = 1; b < M; ++b)
          bent[a] += f2[a >= b ? packed(a, b) : packed(b, a)] * in[b].d[j];
      }
      for (std::size_t i = 0; i <= j; ++i, ++r) {
        T sum(0);
        for (std::size_t a = 0; a < M; ++a) sum += f1[a] * in[a].d2[r] + bent[a] * in[a].d[i];
        out.d2[r] = sum;
      }
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
  T rounding = T(0);         // of the peak, by the laws that know it

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

}  // namespace brace::inline v0
