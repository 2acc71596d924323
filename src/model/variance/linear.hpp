// SPDX-License-Identifier: Apache-2.0
// The variance kernel of steady, arch, garch, igarch, gjr and ewma, which are one recursion with
// other lag sets:
//   h[t] = omega + sum alpha_i q[t-i] + sum gamma_i n[t-i] + sum beta_j h[t-j] + x[t]'vwith
//   q[t] = e[t]^2,  n[t] = e[t]^2 1(e[t] < 0), or where e[t] is missing their expectations h[t] and
//   kappa h[t], kappa = E z^2 1(z < 0)
// in the unit of e squared. Engle (1982), equation 2; Bollerslev (1986), equation 2; Engle and
// Bollerslev (1986), equation 15; Glosten, Jagannathan and Runkle (1993), equation 8. Every
// coefficient is affine in the parameters: the last beta of igarch is 1 less the others, the alpha
// of ewma 1 less its weight. Before the sample q and h are m, the mean of e^2, and n is m / 2.
// Tests: tests/model/likelihood_test.cpp.
#pragma once

#include "model/variance/stage.hpp"

namespace brace {

template <class T>
class LinearStage final : public FamilyStage<LinearStage<T>, T> {
  using Base = FamilyStage<LinearStage<T>, T>;

 public:
  LinearStage(const Model& model, const StageSetup& setup)
      : Base(setup), intercept_(!std::holds_alternative<Ewma>(model.variance)), law_(model.shocks) {
    const Variance& family = model.variance;
    const Lags* shocks = shock_lags(family);
    const Lags* variances = variance_lags(family);
    std::size_t p = intercept_ ? 1 : 0;
    if (std::holds_alternative<Ewma>(family)) {
      terms_.push_back({.from = &q_, .lag = 1, .constant = 1, .slopes = {{0, -1.0}}});
      terms_.push_back({.from = &h_, .lag = 1, .constant = 0, .slopes = {{0, 1.0}}});
    }
    if (shocks)
      for (const int lag : *shocks) terms_.push_back({&q_, lag, 0, {{p++, 1.0}}});
    if (std::holds_alternative<Gjr>(family))
      for (const int lag : *shocks) terms_.push_back({&n_, lag, 0, {{p++, 1.0}}});
    if (variances)
      for (const int lag : *variances) {
        if (std::holds_alternative<Igarch>(family) && lag == variances->back()) {
          Term last{&h_, lag, 1, {}};
          for (std::size_t other = 1; other < p; ++other) last.slopes.emplace_back(other, -1.0);
          terms_.push_back(std::move(last));
        } else {
          terms_.push_back({&h_, lag, 0, {{p++, 1.0}}});
        }
      }
    signed_ = std::holds_alternative<Gjr>(family);
    int reach = 1;
    for (const Term& term : terms_) reach = std::max(reach, term.lag);
    // Where a shock is missing its square is a share of h, which may move with the law's shape.
    const bool shaped = signed_ && setup.gaps && std::holds_alternative<SkewStudent>(law_);
    width_ = setup.mean + setup.variance + (shaped ? setup.shocks : 0);
    if (setup.shock_width > width_) width_ = setup.shock_width;
    news_width_ = setup.gaps ? width_ : setup.shock_width;
    const auto history = static_cast<std::size_t>(reach);
    this->own(h_, history, width_);
    this->own(q_, history, news_width_);
    if (signed_) this->own(n_, history, news_width_);
    this->own_scratch(width_);
  }

  template <Order O>
  void start(const Row<T>& m) {
    this->template fill_before<O>(h_, m);
    this->template fill_before<O>(q_, m);
    if (!signed_) return;
    for (auto t = -static_cast<std::ptrdiff_t>(n_.history); t < 0; ++t) {
      n_.template clear<O>(t);
      add_scaled<O>(n_.row(t), T(0.5), q_.row(t), news_width_);
    }
    if (setup_.gaps) kappa_ = law_moment<T>(negative_square, law_, shape_, setup_.shocks);
  }

  template <Order O>
  void next(std::ptrdiff_t t, const ShockBlock<T>& block, std::size_t at) {
    h_.template clear<O>(t);
    const Row<T> out = h_.row(t);
    if (intercept_) {
      *out.value = theta_[0];
      if constexpr (O != Order::value) out.d[setup_.mean] = T(1);
    }
    if (setup_.columns > 0) this->template add_columns<O>(out, block, at);
    for (const Term& term : terms_) {
      T c(term.constant);
      for (const auto& [p, w] : term.slopes) c += w * theta_[p];
      const Row<T> in = term.from->row(t - term.lag);
      const std::size_t wide = term.from == &h_ ? width_ : news_width_;
      add_scaled<O>(out, c, in, wide);
      for (const auto& [p, w] : term.slopes) add_slope<O>(out, setup_.mean + p, w, in, wide);
    }
  }

  template <Order O>
  void learn(std::ptrdiff_t t, const Row<T>& shock) {
    const Row<T> q = q_.row(t);
    this->template square<O>(q, shock, news_width_);
    if (!signed_) return;
    n_.template clear<O>(t);
    if (*shock.value < T(0)) add_scaled<O>(n_.row(t), T(1), q, news_width_);
  }

  template <Order O>
  void skip(std::ptrdiff_t t) {
    this->template expect_square<O>(q_, t);
    if (!signed_) return;
    const Row<T> n = n_.row(t);
    n_.template clear<O>(t);
    add_scaled<O>(n, kappa_.value, h_.row(t), width_);
    const std::size_t shapes = setup_.mean + setup_.variance;
    if (width_ <= shapes) return;
    for (std::size_t s = 0; s < setup_.shocks; ++s) {
      if constexpr (O != Order::value) n.d[shapes + s] += kappa_.d[s] * h_.at(t);
      if constexpr (O == Order::hessian) {
        const T* dh = h_.d(t);
        for (std::size_t j = 0; j < width_; ++j)
          n.d2[j <= shapes + s ? packed(shapes + s, j) : packed(j, shapes + s)] +=
              (j == shapes + s ? 2 : 1) * kappa_.d[s] * dh[j];
        for (std::size_t r = 0; r <= s; ++r)
          n.d2[packed(shapes + s, shapes + r)] += kappa_.d2[packed(s, r)] * h_.at(t);
      }
    }
  }

 private:
  using Base::h_, Base::setup_, Base::shape_, Base::theta_;

  // coefficient times a lag of `from`; the coefficient is constant + sum slope theta.
  struct Term {
    Rows<T>* from;
    int lag;
    double constant;
    std::vector<std::pair<std::size_t, double>> slopes;
  };
  bool intercept_, signed_ = false;
  Shocks law_;
  std::vector<Term> terms_;
  std::size_t width_ = 0, news_width_ = 0;
  Rows<T> q_, n_;
  Moment<T> kappa_;
};

}  // namespace brace
