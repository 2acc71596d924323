// SPDX-License-Identifier: Apache-2.0
// Loops over numbers that are no pass of a likelihood: sums of many lags, powers. All is in an
// unnamed namespace, on purpose in a header (vector.hpp).
//
//   slide<4>(weights, 1000, squares, rows, sums);
#pragma once

#include <cstddef>
#include <cstring>

#include "likelihood/lanes/law_rows.hpp"
#include "likelihood/lanes/vector.hpp"

namespace brace::inline v0 {
namespace {  // NOLINT: see the head of this file

// Eight vectors of sums at once, so that no addition waits for the one before it.
template <int W>
void slide(const double* w, std::size_t lags, const double* x, std::size_t n, double* out) {
  using V = typename LaneVector<W>::type;
  constexpr std::size_t kTogether = 8;
  std::size_t i = 0;
  for (; i + kTogether * W <= n; i += kTogether * W) {
    V sum[kTogether] = {};
    for (std::size_t j = 0; j < lags; ++j) {
      const V weight = all<V>(w[j]);
      unrolled<kTogether>([&](auto v) { sum[v] += weight * load<V>(x + i + v * W + j); });
    }
    unrolled<kTogether>([&](auto v) { store(out + i + v * W, sum[v]); });
  }
  for (; i < n; ++i) {
    V sum[4] = {};
    std::size_t j = 0;
    for (; j + 4 * W <= lags; j += 4 * W)
      unrolled<4>([&](auto v) { sum[v] += load<V>(w + j + v * W) * load<V>(x + i + j + v * W); });
    double rest = 0;
    for (; j < lags; ++j) rest += w[j] * x[i + j];
    out[i] = sum_of_lanes((sum[0] + sum[1]) + (sum[2] + sum[3])) + rest;
  }
}

template <int W>
void powers(const double* x, std::size_t n, double power, double* out) {
  using V = typename LaneVector<W>::type;
  const auto of = [power](const V& v) {
    const V size = size_of(v), p = exp_of(power * log_of(size < 1e-290 ? all<V>(1e-290) : size));
    return v == 0 ? V{} : p;
  };
  std::size_t i = 0;
  for (; i + W <= n; i += W) store(out + i, of(load<V>(x + i)));
  if (i == n) return;
  double last[W] = {};
  std::memcpy(last, x + i, (n - i) * sizeof *x);
  const V p = of(load<V>(last));
  std::memcpy(out + i, &p, (n - i) * sizeof *x);
}

}  // namespace
}  // namespace brace::inline v0
