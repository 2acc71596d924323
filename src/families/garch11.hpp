// SPDX-License-Identifier: Apache-2.0
// The kernel of linear.hpp for the model that is fitted most: one shock lag, one variance lag, no
// gaps, the width KM of the mean's derivatives known when compiling. The row before stays in
// registers. Tested equal to the general kernel (tests/likelihood/likelihood_test.cpp); about three
// times as fast (bench).
#pragma once

#include <array>

#include "families/variance_stage.hpp"

namespace brace::inline v0 {

template <Order O, std::size_t KM, class T>
bool garch11_variance(const T* theta, const ShockBlock<T>& b, Rows<T>& h_rows, Rows<T>& q_rows) {
  constexpr std::size_t K = KM + 3, kOmega = KM, kAlpha = KM + 1, kBeta = KM + 2;
  const T omega = theta[0], alpha = theta[1], beta = theta[2];
  T h = h_rows.at(-1), q = q_rows.at(-1);
  std::array<T, K> dh;
  std::array<T, KM> dq;
  std::array<T, packed_size(K)> d2h;
  std::array<T, packed_size(KM)> d2q;
  if constexpr (O != Order::value) {
    std::copy_n(h_rows.d(-1), K, dh.begin());
    std::copy_n(q_rows.d(-1), KM, dq.begin());
  }
  if constexpr (O == Order::hessian) {
    std::copy_n(h_rows.d2(-1), d2h.size(), d2h.begin());
    std::copy_n(q_rows.d2(-1), d2q.size(), d2q.begin());
  }
  T* const h_out = &h_rows.at(0);
  T* const q_out = &q_rows.at(0);
  for (std::size_t row = 0; row < b.rows; ++row) {
    const auto t = static_cast<std::ptrdiff_t>(row);
    if constexpr (O == Order::hessian) {
      for (T& v : d2h) v *= beta;
      for (std::size_t r = 0; r < d2q.size(); ++r) d2h[r] += alpha * d2q[r];
      for (std::size_t j = 0; j < KM; ++j) d2h[packed(kAlpha, j)] += dq[j];
      for (std::size_t j = 0; j < kBeta; ++j) d2h[packed(kBeta, j)] += dh[j];
      d2h[packed(kBeta, kBeta)] += 2 * dh[kBeta];
      std::copy(d2h.begin(), d2h.end(), h_rows.d2(t));
    }
    if constexpr (O != Order::value) {
      for (T& v : dh) v *= beta;
      for (std::size_t j = 0; j < KM; ++j) dh[j] += alpha * dq[j];
      dh[kOmega] += 1;
      dh[kAlpha] += q;
      dh[kBeta] += h;
      std::copy(dh.begin(), dh.end(), h_rows.d(t));
    }
    h = (omega + alpha * q) + beta * h;
    if (!(h > T(0))) return false;
    h_out[row] = h;

    const T e = b.e[row];
    q = e * e;
    q_out[row] = q;
    if constexpr (O != Order::value && KM > 0) {
      const T* e1 = b.e1 + row * KM;
      for (std::size_t j = 0; j < KM; ++j) dq[j] = 2 * e * e1[j];
      if constexpr (O == Order::hessian) {
        const T* e2 = b.e2 + row * packed_size(KM);
        for (std::size_t j = 0, r = 0; j < KM; ++j)
          for (std::size_t i = 0; i <= j; ++i, ++r) d2q[r] = 2 * (e1[j] * e1[i] + e * e2[r]);
      }
    }
  }
  // The next block reads the row before it from the rows.
  if constexpr (O != Order::value)
    std::copy(dq.begin(), dq.end(), q_rows.d(static_cast<std::ptrdiff_t>(b.rows) - 1));
  if constexpr (O == Order::hessian)
    std::copy(d2q.begin(), d2q.end(), q_rows.d2(static_cast<std::ptrdiff_t>(b.rows) - 1));
  return true;
}

template <std::size_t KM, class T>
class Garch11Stage final : public VarianceStage<T> {
 public:
  Garch11Stage() {
    h_.resize(1, kBlock, KM + 3);
    q_.resize(1, kBlock, KM);
  }
  void begin(Order order, const Row<T>& m, const T* theta, const T*) override {
    theta_ = theta;
    for (Rows<T>* rows : {&h_, &q_}) {
      rows->template clear<Order::hessian>(-1);
      rows->at(-1) = *m.value;
      if (order != Order::value) std::copy_n(m.d, KM, rows->d(-1));
      if (order == Order::hessian) std::copy_n(m.d2, packed_size(KM), rows->d2(-1));
    }
  }
  bool run(Order order, const ShockBlock<T>& block) override {
    return with_order(order,
                      [&]<Order O>() { return garch11_variance<O, KM>(theta_, block, h_, q_); });
  }
  // Its shocks never depend on h: it is run block by block.
  bool predict(Order, const ShockBlock<T>&, std::size_t) override { return false; }
  void absorb(Order, const ShockBlock<T>&, std::size_t) override {}
  void shift(Order order, std::size_t rows) override {
    with_order(order, [&]<Order O>() {
      h_.template shift<O>(rows);
      q_.template shift<O>(rows);
    });
  }

 private:
  using VarianceStage<T>::h_;
  const T* theta_ = nullptr;
  Rows<T> q_;
};

}  // namespace brace::inline v0
