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
// Tests: tests/likelihood/likelihood_test.cpp.
#pragma once

#include <fmt/format.h>

#include <numeric>

#include "families/variance_family.hpp"
#include "families/variance_stage.hpp"

namespace brace::inline v0 {

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

// steady, arch, garch, igarch, gjr and ewma for the engine.
struct LinearFamily : FamilyDefaults {
  template <class T>
  using Stage = LinearStage<T>;

  // The parameters by kind, as positions.
  struct Layout {
    Lags shocks, variances;
    bool intercept, signs, integrated, averages;
    std::size_t alpha, gamma, beta, betas, columns, count;

    explicit Layout(const Model& model) {
      const Variance& family = model.variance;
      if (const Lags* lags = shock_lags(family)) shocks = *lags;
      if (const Lags* lags = variance_lags(family)) variances = *lags;
      averages = std::holds_alternative<Ewma>(family);
      intercept = !averages;
      signs = std::holds_alternative<Gjr>(family);
      integrated = std::holds_alternative<Igarch>(family) && !variances.empty();
      alpha = intercept ? 1 : 0;
      gamma = alpha + shocks.size();
      beta = gamma + (signs ? shocks.size() : 0);
      betas = variances.size() - (integrated ? 1 : 0);
      columns = averages ? 1 : beta + betas;
      count = columns + model.variance_regressors.size();
    }
    [[nodiscard]] double derived_beta(std::span<const double> theta) const {
      return 1 - std::accumulate(theta.begin() + static_cast<std::ptrdiff_t>(alpha),
                                 theta.begin() + static_cast<std::ptrdiff_t>(columns), 0.0);
    }
    // Coefficient of the i-th lag of h.
    [[nodiscard]] double beta_at(std::span<const double> theta, std::size_t i) const {
      return integrated && i + 1 == variances.size() ? derived_beta(theta) : theta[beta + i];
    }
  };

  static bool one_hill(const Model& model) {
    return std::holds_alternative<Garch>(model.variance) ||
           std::holds_alternative<Steady>(model.variance);
  }

  // Falls move the variance of gjr by alpha + gamma of the same lag.
  static std::optional<std::size_t> beside_alpha(const Model& model, std::size_t alpha) {
    const Layout at(model);
    return at.signs ? std::optional(alpha + at.shocks.size()) : std::nullopt;
  }

  static std::vector<Bound> bounds(const Model& model) {
    const std::vector<std::string> names = parameter_names(model).variance;
    const Layout at(model);
    std::vector<Bound> all;
    if (at.averages) {
      all = {{"weight >= 0", {{0, -1.0}}, 0}, {"weight <= 1", {{0, 1.0}}, 1}};
      add_column_bounds(model, all);
      return all;
    }
    // An integrated one may do without: past shocks keep it positive.
    if (at.integrated)
      all.push_back({"omega >= 0", {{0, -1.0}}, 0, true});
    else
      all.push_back({fmt::format("{} > 0", names[0]), {{0, -1.0}}, -kLeastOmega, true});
    for (Bound& bound : not_negative(model, at.alpha, at.gamma)) all.push_back(std::move(bound));
    if (at.signs)
      for (std::size_t i = 0; i < at.shocks.size(); ++i)
        all.push_back({fmt::format("{} + {} >= 0", names[at.alpha + i], names[at.gamma + i]),
                       {{at.alpha + i, -1.0}, {at.gamma + i, -1.0}},
                       0});
    for (Bound& bound : not_negative(model, at.beta, at.beta + at.betas))
      all.push_back(std::move(bound));
    Bound persistence{"", {}, at.integrated ? 1 : kMostPersistence};
    for (std::size_t i = at.alpha; i < at.columns; ++i) {
      const bool half = at.signs && i >= at.gamma && i < at.beta;
      persistence.name +=
          fmt::format("{}{}{}", i > at.alpha ? " + " : "", half ? "half of " : "", names[i]);
      persistence.terms.emplace_back(i, half ? 0.5 : 1.0);
    }
    if (!persistence.terms.empty()) {
      persistence.name += at.integrated ? " <= 1" : " < 1";
      all.push_back(std::move(persistence));
    }
    add_column_bounds(model, all);
    return all;
  }

  static std::vector<std::vector<double>> starts(const Model& model) {
    const Layout at(model);
    if (at.averages) return {{.94}, {.97}, {.85}, {.99}, {.7}, {.5}, {.997}, {.2}};
    std::vector<std::vector<double>> points;
    const auto share = [](std::vector<double>& theta, double sum, std::size_t count) {
      for (std::size_t i = 0; i < count; ++i) theta.push_back(sum / static_cast<double>(count));
    };
    const auto add = [&](double alpha, double persistence, double skewed = 0) {
      std::vector<double> theta{at.integrated ? 0.01 : 1 - persistence};  // variance targeting
      share(theta, alpha * (1 - skewed), at.shocks.size());
      if (at.signs) share(theta, 2 * alpha * skewed, at.shocks.size());
      if (at.betas > 0)
        share(theta,
              (persistence - alpha) * static_cast<double>(at.betas) /
                  static_cast<double>(at.variances.size()),
              at.betas);
      points.push_back(std::move(theta));
    };
    if (at.shocks.empty()) {
      add(0, 0);
    } else if (at.variances.empty()) {
      for (const double alpha : {.05, .2, .4, .7}) add(alpha, alpha);
    } else if (at.integrated) {
      for (const double alpha : {.05, .1, .2, .35, .02, .55, .01, .8}) add(alpha, 1);
    } else {
      // Sum of alphas and persistence: daily data sit near (.05, .98), short or calm ones anywhere.
      constexpr std::pair<double, double> kGrid[] = {
          {.05, .98}, {.15, .90},  {.04, .45}, {.05, .80}, {.10, .98}, {.20, .75},
          {.30, .50}, {.03, .995}, {.10, .60}, {.25, .95}, {.04, .90}, {.12, .20}};
      for (const auto& [alpha, persistence] : kGrid) {
        if (at.signs) add(alpha, persistence, .6);
        add(alpha, persistence, at.signs ? .1 : 0);
      }
    }
    return points;
  }

  // Of a family with a level, by lag.
  static std::vector<double> decay(const Layout& at, const Model& model,
                                   std::span<const double> theta, std::span<const double> shape) {
    const double kappa = at.signs ? step_rules(model, theta, shape).negative_square : 0;
    std::vector<double> by_lag;
    for (std::size_t i = 0; i < at.shocks.size(); ++i)
      add_at_lag(by_lag, at.shocks[i],
                 theta[at.alpha + i] + (at.signs ? kappa * theta[at.gamma + i] : 0));
    for (std::size_t i = 0; i < at.variances.size(); ++i)
      add_at_lag(by_lag, at.variances[i], theta[at.beta + i]);
    return by_lag;
  }

  static std::optional<double> persistence(const Model& model, std::span<const double> theta,
                                           std::span<const double> shape) {
    const Layout at(model);
    if (at.averages || at.integrated) return 1;
    const std::vector<double> by_lag = decay(at, model, theta, shape);
    if (by_lag.empty()) return std::nullopt;
    return std::accumulate(by_lag.begin(), by_lag.end(), 0.0);
  }

  static Dynamics dynamics(const Model& model, std::span<const double> theta,
                           std::span<const double> shape) {
    const Layout at(model);
    Dynamics out;
    out.persistence = persistence(model, theta, shape);
    if (at.averages || at.integrated) return out;
    const double left = 1 - out.persistence.value_or(0);
    if (left > 0 && at.columns == at.count) out.unconditional_variance = theta[0] / left;
    if (out.persistence) out.half_life = half_life_of(decay(at, model, theta, shape));
    return out;
  }

  static double next(const StepRules& rules, const VarianceState& past, double columns) {
    const Layout at(*rules.model);
    const auto square = [&](int lag) {
      const News& news = past.news[static_cast<std::size_t>(lag) - 1];
      return news.plus + news.minus;
    };
    if (at.averages) return columns + rules.theta[0] * past.h[0] + (1 - rules.theta[0]) * square(1);
    double h = columns + rules.theta[0];
    for (std::size_t i = 0; i < at.shocks.size(); ++i) {
      h += rules.theta[at.alpha + i] * square(at.shocks[i]);
      if (at.signs)
        h +=
            rules.theta[at.gamma + i] * past.news[static_cast<std::size_t>(at.shocks[i]) - 1].minus;
    }
    for (std::size_t i = 0; i < at.variances.size(); ++i)
      h += at.beta_at(rules.theta, i) * past.h[static_cast<std::size_t>(at.variances[i]) - 1];
    return h;
  }
};

}  // namespace brace::inline v0
