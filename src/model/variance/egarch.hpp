// SPDX-License-Identifier: Apache-2.0
// The variance kernel of egarch (Nelson 1991, equations 2.1 and 2.2):
//   ln h[t] = omega + sum alpha_i (|z[t-i]| - E|z|) + sum gamma_i z[t-i] + sum beta_j ln h[t-j]
//             + x[t]'vwith,   z = e / sqrt h
// E|z| moves with the law's shape, and so does h. Before the sample ln h is ln m and the terms in z
// are 0, as they are where e is missing. Tests: tests/model/likelihood_test.cpp.
#pragma once

#include "model/variance/stage.hpp"

namespace brace {

template <class T>
class EgarchStage final : public FamilyStage<EgarchStage<T>, T> {
  using Base = FamilyStage<EgarchStage<T>, T>;

 public:
  EgarchStage(const Model& model, const StageSetup& setup)
      : Base(setup),
        law_(model.shocks),
        shocks_(*shock_lags(model.variance)),
        variances_(*variance_lags(model.variance)),
        width_(setup.mean + setup.variance + setup.shocks) {
    int reach = 1;
    for (const Lags* lags : {&shocks_, &variances_})
      if (!lags->empty()) reach = std::max(reach, lags->back());
    const auto history = static_cast<std::size_t>(reach);
    for (Rows<T>* rows : {&h_, &log_h_, &z_, &size_}) this->own(*rows, history, width_);
    this->own_scratch(width_);
  }

  template <Order O>
  void start(const Row<T>& m) {
    using std::log;
    const T over_m = 1 / *m.value;
    for (auto t = -static_cast<std::ptrdiff_t>(log_h_.history); t < 0; ++t) {
      log_h_.at(t) = log(*m.value);
      compose<O, 1>(log_h_.row(t), {m}, {over_m}, {-over_m * over_m}, width_);
      z_.template clear<O>(t);
      size_.template clear<O>(t);
    }
    mean_size_ = law_moment<T>(mean_absolute, law_, shape_, setup_.shocks);
  }

  template <Order O>
  void next(std::ptrdiff_t t, const ShockBlock<T>& block, std::size_t at) {
    using std::exp;
    log_h_.template clear<O>(t);
    const Row<T> out = log_h_.row(t);
    std::size_t p = 0;
    *out.value = theta_[p];
    if constexpr (O != Order::value) out.d[setup_.mean] = T(1);
    ++p;
    if (setup_.columns > 0) this->template add_columns<O>(out, block, at);
    for (const auto& [lags, from] :
         {std::pair{&shocks_, &size_}, std::pair{&shocks_, &z_}, std::pair{&variances_, &log_h_}})
      for (const int lag : *lags) {
        add_term<O>(out, setup_.mean + p, theta_[p], from->row(t - lag), width_);
        ++p;
      }
    const T h = exp(*out.value);
    h_.at(t) = h;
    compose<O, 1>(h_.row(t), {out}, {h}, {h}, width_);
  }

  template <Order O>
  void learn(std::ptrdiff_t t, const Row<T>& shock) {
    using std::exp;
    // z = e exp(-ln h / 2)
    const T s = exp(-0.5 * log_h_.at(t)), z = s * *shock.value;
    z_.at(t) = z;
    compose<O, 2>(z_.row(t), {shock, log_h_.row(t)}, {s, -0.5 * z}, {T(0), -0.5 * s, 0.25 * z},
                  width_);
    const double side = z < T(0) ? -1 : 1;
    size_.template clear<O>(t);
    const Row<T> size = size_.row(t);
    add_scaled<O>(size, T(side), z_.row(t), width_);
    *size.value -= mean_size_.value;
    const std::size_t first = setup_.mean + setup_.variance;
    for (std::size_t i = 0; i < setup_.shocks; ++i) {
      if constexpr (O != Order::value) size.d[first + i] -= mean_size_.d[i];
      if constexpr (O == Order::hessian)
        for (std::size_t j = 0; j <= i; ++j)
          size.d2[packed(first + i, first + j)] -= mean_size_.d2[packed(i, j)];
    }
  }

  template <Order O>
  void skip(std::ptrdiff_t t) {
    z_.template clear<O>(t);
    size_.template clear<O>(t);
  }

 private:
  using Base::h_, Base::setup_, Base::shape_, Base::theta_;

  Shocks law_;
  Lags shocks_, variances_;
  std::size_t width_;
  Rows<T> log_h_, z_, size_;  // size = |z| - E|z|
  Moment<T> mean_size_;
};

}  // namespace brace
