// SPDX-License-Identifier: Apache-2.0
// The variance kernel of twocomp (Engle and Lee 1999, equations 1 and 2): h around a long-run
// component q that moves itself,
//   h[t] = q[t] + alpha (e[t-1]^2 - q[t-1]) + beta (h[t-1] - q[t-1]) + x[t]'vwith
//   q[t] = omega + rho q[t-1] + phi (e[t-1]^2 - h[t-1])
// Before the sample e^2 = h = q = m; where e is missing its square is h. Tests:
// tests/model/likelihood_test.cpp.
#pragma once

#include "model/variance/stage.hpp"

namespace brace {

template <class T>
class TwoComponentStage final : public FamilyStage<TwoComponentStage<T>, T> {
  using Base = FamilyStage<TwoComponentStage<T>, T>;

 public:
  TwoComponentStage(const Model&, const StageSetup& setup)
      : Base(setup), width_(std::max(setup.mean + setup.variance, setup.shock_width)) {
    for (Rows<T>* rows : {&h_, &long_run_, &squares_}) this->own(*rows, 1, width_);
    this->own_scratch(width_);
  }

  Rows<T>* state() override { return &long_run_; }

  template <Order O>
  void start(const Row<T>& m) {
    for (Rows<T>* rows : {&h_, &long_run_, &squares_}) this->template fill_before<O>(*rows, m);
  }

  template <Order O>
  void next(std::ptrdiff_t t, const ShockBlock<T>& block, std::size_t at) {
    const std::size_t first = setup_.mean, alpha = 1, beta = 2, rho = 3, phi = 4;
    const Row<T> before = long_run_.row(t - 1), h = h_.row(t - 1), e2 = squares_.row(t - 1);
    const auto add = [&](const Row<T>& out, std::size_t p, double sign, const Row<T>& in) {
      add_scaled<O>(out, sign * theta_[p], in, width_);
      add_slope<O>(out, first + p, sign, in, width_);
    };
    long_run_.template clear<O>(t);
    const Row<T> q = long_run_.row(t);
    *q.value = theta_[0];
    if constexpr (O != Order::value) q.d[first] = T(1);
    add(q, rho, 1, before);
    add(q, phi, 1, e2);
    add(q, phi, -1, h);
    h_.template clear<O>(t);
    const Row<T> out = h_.row(t);
    add_scaled<O>(out, T(1), q, width_);
    add(out, alpha, 1, e2);
    add(out, alpha, -1, before);
    add(out, beta, 1, h);
    add(out, beta, -1, before);
    if (setup_.columns > 0) this->template add_columns<O>(out, block, at);
  }

  template <Order O>
  void learn(std::ptrdiff_t t, const Row<T>& shock) {
    this->template square<O>(squares_.row(t), shock, width_);
  }

  template <Order O>
  void skip(std::ptrdiff_t t) {
    this->template expect_square<O>(squares_, t);
  }

 private:
  using Base::h_, Base::setup_, Base::theta_;
  std::size_t width_;
  Rows<T> long_run_, squares_;
};

}  // namespace brace
