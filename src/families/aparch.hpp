// SPDX-License-Identifier: Apache-2.0
// The variance kernel of aparch (Ding, Granger and Engle 1993, equation 19), s = sqrt h:
//   s[t]^delta = omega + sum alpha_i (|e[t-i]| - gamma_i e[t-i])^delta + sum beta_j s[t-j]^delta
//                + x[t]'vwith
// Before the sample both powers are m^(delta/2). Where e is missing its power is its expectation,
// s^delta E(|z| - gamma z)^delta. Tests: tests/likelihood/likelihood_test.cpp.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <numeric>

#include "families/variance_family.hpp"
#include "families/variance_stage.hpp"

namespace brace::inline v0 {

template <class T>
class AparchStage final : public FamilyStage<AparchStage<T>, T> {
  using Base = FamilyStage<AparchStage<T>, T>;

 public:
  AparchStage(const Model& model, const StageSetup& setup)
      : Base(setup),
        law_(model.shocks),
        shocks_(*shock_lags(model.variance)),
        variances_(*variance_lags(model.variance)),
        width_(setup.mean + setup.variance + (setup.gaps ? setup.shocks : 0)),
        delta_(setup.variance - setup.columns - 1),
        news_(shocks_.size()) {
    int reach = 1;
    for (const Lags* lags : {&shocks_, &variances_})
      if (!lags->empty()) reach = std::max(reach, lags->back());
    if (setup.shock_width > width_) width_ = setup.shock_width;
    const auto history = static_cast<std::size_t>(reach);
    this->own(h_, history, width_);
    this->own(power_, history, width_);
    for (Rows<T>& rows : news_) this->own(rows, history, width_);
    this->own_scratch(width_);
    share_.resize(0, 1, width_);
    units_.resize(0, setup.variance + setup.shocks, width_);
    for (std::size_t p = 0; p < setup.variance + setup.shocks; ++p)
      if (setup.mean + p < width_) units_.d(static_cast<std::ptrdiff_t>(p))[setup.mean + p] = T(1);
  }

  template <Order O>
  void start(const Row<T>& m) {
    using std::exp, std::log;
    const T delta = theta_[delta_], ln = log(*m.value), f = exp(0.5 * delta * ln),
            over_m = 1 / *m.value;
    for (auto t = -static_cast<std::ptrdiff_t>(power_.history); t < 0; ++t) {
      power_.at(t) = f;
      // f(m, delta) = m^(delta/2)
      compose<O, 2>(power_.row(t), {m, unit(delta_)}, {0.5 * delta * f * over_m, 0.5 * ln * f},
                    {0.5 * delta * (0.5 * delta - 1) * f * over_m * over_m,
                     0.5 * f * over_m * (1 + 0.5 * delta * ln), 0.25 * ln * ln * f},
                    width_);
      for (Rows<T>& rows : news_) {
        rows.template clear<O>(t);
        add_scaled<O>(rows.row(t), T(1), power_.row(t), width_);
      }
    }
    if (!setup_.gaps) return;
    // E |z|^delta on either side, by (delta, shape).
    std::vector<T> x{delta};
    x.insert(x.end(), shape_, shape_ + setup_.shocks);
    std::vector<double> values;
    for (const T& v : x) values.push_back(value_of(v));
    std::vector<double> scales = shape_scales(law_, std::span(values).subspan(1));
    scales.insert(scales.begin(), 1);
    for (const bool negative : {false, true})
      halves_[negative ? 1 : 0] =
          lift(differences(
                   [&](const std::vector<double>& at) {
                     return half_power(law_, std::span(at).subspan(1), at[0], negative);
                   },
                   values, scales),
               x);
  }

  template <Order O>
  void next(std::ptrdiff_t t, const ShockBlock<T>& block, std::size_t at) {
    using std::exp, std::log;
    power_.template clear<O>(t);
    const Row<T> out = power_.row(t);
    *out.value = theta_[0];
    if constexpr (O != Order::value) out.d[setup_.mean] = T(1);
    if (setup_.columns > 0) this->template add_columns<O>(out, block, at);
    std::size_t p = 1;
    for (std::size_t i = 0; i < shocks_.size(); ++i, ++p)
      add_term<O>(out, setup_.mean + p, theta_[p], news_[i].row(t - shocks_[i]), width_);
    p += shocks_.size();  // the gammas
    for (const int lag : variances_) {
      add_term<O>(out, setup_.mean + p, theta_[p], power_.row(t - lag), width_);
      ++p;
    }
    // h = x^(2/delta)
    if (!(*out.value > T(0))) {
      h_.at(t) = T(0);
      return;
    }
    const T over_delta = 1 / theta_[delta_], r = 2 * over_delta, ln = log(*out.value),
            h = exp(r * ln), over_x = 1 / *out.value;
    h_.at(t) = h;
    compose<O, 2>(h_.row(t), {out, unit(delta_)}, {r * h * over_x, -r * over_delta * ln * h},
                  {r * (r - 1) * h * over_x * over_x, -r * over_delta * h * over_x * (1 + r * ln),
                   r * over_delta * over_delta * ln * h * (2 + r * ln)},
                  width_);
  }

  template <Order O>
  void learn(std::ptrdiff_t t, const Row<T>& shock) {
    using std::exp, std::log;
    const T e = *shock.value, delta = theta_[delta_];
    const typename Base::Size size = this->size_of(e);
    for (std::size_t i = 0; i < shocks_.size(); ++i) {
      const std::size_t p = 1 + shocks_.size() + i;
      const T tilt = size.slope - theta_[p], u = size.value - theta_[p] * e;  // |e| - gamma e
      Rows<T>& news = news_[i];
      news.template clear<O>(t);
      if (!(u > T(0))) continue;
      // f(e, gamma, delta) = u^delta
      const T ln = log(u), f = exp(delta * ln), over_u = 1 / u;
      const T fu = delta * f * over_u, fuu = (delta - 1) * fu * over_u,
              fud = f * over_u * (1 + delta * ln);
      news.at(t) = f;
      compose<O, 3>(news.row(t), {shock, unit(p), unit(delta_)}, {fu * tilt, -fu * e, f * ln},
                    {fuu * tilt * tilt + fu * size.bend, -fuu * tilt * e - fu, fuu * e * e,
                     fud * tilt, -fud * e, f * ln * ln},
                    width_);
    }
  }

  template <Order O>
  void skip(std::ptrdiff_t t) {
    using std::exp, std::log;
    const T delta = theta_[delta_];
    for (std::size_t i = 0; i < shocks_.size(); ++i) {
      const std::size_t p = 1 + shocks_.size() + i;
      // E(|z| - gamma z)^delta as a function of (gamma, delta, shape), then times s^delta
      share_.template clear<O>(0);
      const Row<T> share = share_.row(0);
      for (const bool negative : {false, true}) {
        const Moment<T>& half = halves_[negative ? 1 : 0];
        const double side = negative ? -1 : 1;
        const T base = 1 - side * theta_[p], ln = log(base), w = exp(delta * ln),
                wg = -side * delta * w / base, wgg = delta * (delta - 1) * w / (base * base),
                wgd = -side * w / base * (1 + delta * ln), wd = w * ln;
        *share.value += w * half.value;
        const std::size_t first = setup_.mean, g = first + p, d = first + delta_,
                          s = first + setup_.variance;
        const auto add2 = [&](std::size_t a, std::size_t b, const T& v) {
          share.d2[a >= b ? packed(a, b) : packed(b, a)] += v;
        };
        if constexpr (O != Order::value) {
          share.d[g] += wg * half.value;
          share.d[d] += wd * half.value + w * half.d[0];
          for (std::size_t k = 0; k < setup_.shocks; ++k) share.d[s + k] += w * half.d[1 + k];
        }
        if constexpr (O == Order::hessian) {
          add2(g, g, wgg * half.value);
          add2(g, d, wgd * half.value + wg * half.d[0]);
          add2(d, d, wd * ln * half.value + 2 * wd * half.d[0] + w * half.d2[0]);
          for (std::size_t k = 0; k < setup_.shocks; ++k) {
            add2(g, s + k, wg * half.d[1 + k]);
            add2(d, s + k, wd * half.d[1 + k] + w * half.d2[packed(1 + k, 0)]);
            for (std::size_t l = 0; l <= k; ++l)
              add2(s + k, s + l, w * half.d2[packed(1 + k, 1 + l)]);
          }
        }
      }
      news_[i].at(t) = *share.value * power_.at(t);
      compose<O, 2>(news_[i].row(t), {share, power_.row(t)}, {power_.at(t), *share.value},
                    {T(0), T(1), T(0)}, width_);
    }
  }

 private:
  using Base::h_, Base::setup_, Base::shape_, Base::theta_;

  // A variance or shape parameter as a quantity.
  Row<T> unit(std::size_t p) { return units_.row(static_cast<std::ptrdiff_t>(p)); }

  Shocks law_;
  Lags shocks_, variances_;
  std::size_t width_, delta_;
  std::vector<Rows<T>> news_;  // by shock lag: each has a gamma of its own
  Rows<T> power_, units_, share_;
  std::array<Moment<T>, 2> halves_;
};

// aparch for the engine.
struct AparchFamily : FamilyDefaults {
  template <class T>
  using Stage = AparchStage<T>;

  struct Layout {
    const Lags &shocks, &variances;
    std::size_t alpha = 1, gamma, beta, delta;

    explicit Layout(const Model& model)
        : shocks(*shock_lags(model.variance)),
          variances(*variance_lags(model.variance)),
          gamma(1 + shocks.size()),
          beta(gamma + shocks.size()),
          delta(beta + variances.size()) {}
  };

  static void add_moments(const Model& model, std::span<const double> shape, StepRules& rules) {
    const double delta = rules.theta[Layout(model).delta];
    rules.powers = {half_power(model.shocks, shape, delta, false),
                    half_power(model.shocks, shape, delta, true)};
  }

  static constexpr bool kLevelIsBent = true;
  // With gamma at one rises are no news: a hill of its own.
  static constexpr bool kBoundsHideHills = true;
  static constexpr double kWork = 4;
  static constexpr bool kMeanByPaths = true;

  static std::vector<Bound> bounds(const Model& model) {
    const Layout at(model);
    const std::vector<std::string> names = parameter_names(model).variance;
    std::vector<Bound> all{{"omega > 0", {{0, -1.0}}, -kLeastOmega, true}};
    for (Bound& bound : not_negative(model, at.alpha, at.gamma)) all.push_back(std::move(bound));
    for (std::size_t i = at.gamma; i < at.beta; ++i) {
      all.push_back({fmt::format("{} < 1", names[i]), {{i, 1.0}}, 1 - 1e-6});
      all.push_back({fmt::format("{} > -1", names[i]), {{i, -1.0}}, 1 - 1e-6});
    }
    Bound betas{"", {}, kMostPersistence};
    for (std::size_t i = at.beta; i < at.delta; ++i) {
      all.push_back({fmt::format("{} >= 0", names[i]), {{i, -1.0}}, 0});
      betas.name += (i > at.beta ? " + " : "") + names[i];
      betas.terms.emplace_back(i, 1.0);
    }
    if (!betas.terms.empty()) {
      betas.name += " < 1";
      all.push_back(std::move(betas));
    }
    all.push_back({"delta >= 0.2", {{at.delta, -1.0}}, -0.2});
    all.push_back({"delta <= 8", {{at.delta, 1.0}}, 8});
    add_column_bounds(model, all);
    return all;
  }

  static std::vector<std::vector<double>> starts(const Model& model) {
    const Layout at(model);
    std::vector<std::vector<double>> points;
    struct Guess {
      double alpha, gamma, persistence, delta;
    };
    constexpr Guess kGrid[] = {{.06, .2, .97, 1.5},
                               {.10, .3, .95, 1},
                               {.06, .2, .97, 2},
                               {.10, .4, .96, .3},
                               {.15, .1, .85, 1.5},
                               {.05, 0, .60, 2},
                               {.08, .6, .98, 1},
                               {.20, 0, .70, 1},
                               {.05, .1, .99, 2},
                               {.01, .9, .96, .4},
                               {.02, -.8, .80, .4},
                               {.05, .4, .95, 3},
                               // Powers at their bounds, where one sign of the shock is all.
                               {.012, -.87, .96, .2},
                               {.012, .87, .96, .2},
                               {.03, .97, .05, .2},
                               {.03, -.97, .05, .2},
                               {4e-6, .95, .03, 8},
                               {4e-6, -.95, .03, 8},
                               {4e-6, .95, .90, 8},
                               {4e-6, -.95, .90, 8}};
    for (const Guess& guess : kGrid) {
      std::vector<double> theta{1 - guess.persistence};
      const auto share = [&theta](double sum, std::size_t count, double parts) {
        for (std::size_t i = 0; i < count; ++i) theta.push_back(sum / parts);
      };
      const auto shocks = static_cast<double>(at.shocks.size());
      share(guess.alpha, at.shocks.size(), shocks);
      share(guess.gamma, at.shocks.size(), 1);
      share(guess.persistence - guess.alpha, at.variances.size(),
            static_cast<double>(std::max<std::size_t>(1, at.variances.size())));
      theta.push_back(guess.delta);
      points.push_back(std::move(theta));
    }
    return points;
  }

  // alpha_i (|z| - gamma_i z)^delta over both signs.
  static double weigh(const Layout& at, std::span<const double> theta, std::size_t i,
                      const News& news) {
    const double gamma = theta[at.gamma + i], delta = theta[at.delta];
    return theta[at.alpha + i] *
           (std::pow(1 - gamma, delta) * news.plus + std::pow(1 + gamma, delta) * news.minus);
  }

  static std::vector<double> decay(const Layout& at, const Model& model,
                                   std::span<const double> theta, std::span<const double> shape) {
    const StepRules rules = step_rules(model, theta, shape);
    std::vector<double> by_lag;
    for (std::size_t i = 0; i < at.shocks.size(); ++i)
      add_at_lag(by_lag, at.shocks[i], weigh(at, theta, i, rules.powers));
    for (std::size_t i = 0; i < at.variances.size(); ++i)
      add_at_lag(by_lag, at.variances[i], theta[at.beta + i]);
    return by_lag;
  }

  static std::optional<double> persistence(const Model& model, std::span<const double> theta,
                                           std::span<const double> shape) {
    const std::vector<double> by_lag = decay(Layout(model), model, theta, shape);
    return std::accumulate(by_lag.begin(), by_lag.end(), 0.0);
  }

  // |e|^delta has one at e = 0; a little above 1 it is as good as one.
  static constexpr bool kMayKink = true;
  static bool cusps(const Model& model, std::span<const double> theta) {
    return theta[Layout(model).delta] < 0.9;
  }
  static bool kinks(const Model& model, std::span<const double> theta) {
    return theta[Layout(model).delta] <= 1.05;
  }
  // (|e| - gamma e)^delta.
  static RoughPower rough_news(const Model& model, std::span<const double> theta, std::size_t lag) {
    const Layout at(model);
    const double delta = theta[at.delta], gamma = theta[at.gamma + lag];
    return {delta, std::pow(1 - gamma, delta), std::pow(1 + gamma, delta), 0};
  }
  // dL / d news by lag = alpha_i lambda[t+i], with lambda = dL / d s^delta from the end.
  static void news_slopes(const Model& model, std::span<const double> theta,
                          std::span<const double> shape, const FilteredRows& rows,
                          std::span<double> slopes) {
    const Layout at(model);
    const std::size_t n = rows.h.size(), lags = at.shocks.size();
    const double delta = theta[at.delta], above = half_power(model.shocks, shape, delta, false),
                 below = half_power(model.shocks, shape, delta, true);
    std::vector<double> lambda(n);
    for (std::size_t t = n; t-- > 0;) {
      // ln h = 2 / delta ln s^delta
      lambda[t] = rows.by_log_h[t] * 2 / delta * std::pow(rows.h[t], -0.5 * delta);
      for (std::size_t j = 0; j < at.variances.size(); ++j)
        lambda[t] += theta[at.beta + j] * value_after(lambda, t, at.variances[j]);
      const bool known = !std::isnan(rows.e[t]);
      for (std::size_t i = 0; i < lags; ++i) {
        const double by_news = theta[at.alpha + i] * value_after(lambda, t, at.shocks[i]);
        slopes[t * lags + i] = known ? by_news : 0;
        // The news of a missing row is a share of s^delta.
        if (!known)
          lambda[t] += by_news * (std::pow(1 - theta[at.gamma + i], delta) * above +
                                  std::pow(1 + theta[at.gamma + i], delta) * below);
      }
    }
  }
  static Dynamics dynamics(const Model& model, std::span<const double> theta,
                           std::span<const double> shape) {
    const Layout at(model);
    Dynamics out;
    out.persistence = persistence(model, theta, shape);
    out.half_life = half_life_of(decay(at, model, theta, shape));
    if (*out.persistence < 1 && model.variance_regressors.empty()) {
      out.typical_variance = std::pow(theta[0] / (1 - *out.persistence), 2 / theta[at.delta]);
      if (theta[at.delta] == 2) out.unconditional_variance = out.typical_variance;
    }
    return out;
  }

  static double next(const StepRules& rules, const VarianceState& past, double columns) {
    const Layout at(*rules.model);
    double x = columns + rules.theta[0];
    for (std::size_t i = 0; i < at.shocks.size(); ++i)
      x += weigh(at, rules.theta, i, past.news[static_cast<std::size_t>(at.shocks[i]) - 1]);
    for (std::size_t i = 0; i < at.variances.size(); ++i)
      x += rules.theta[at.beta + i] * past.x[static_cast<std::size_t>(at.variances[i]) - 1];
    return std::pow(x, 2 / rules.theta[at.delta]);
  }

  static double state(const StepRules& rules, const VarianceState&, double h) {
    return std::pow(h, rules.theta[Layout(*rules.model).delta] / 2);
  }

  static News news(const StepRules& rules, double h, const double* e) {
    const double delta = rules.theta[Layout(*rules.model).delta];
    if (!e) {
      const double x = std::pow(h, delta / 2);
      return {rules.powers.plus * x, rules.powers.minus * x};
    }
    const double size = std::pow(std::abs(*e), delta);
    return *e < 0 ? News{0, size} : News{size, 0};
  }

  // The recursion runs in the unit of |e|^delta.
  static void rescale(const Model& model, double scale, std::span<double> theta,
                      Eigen::MatrixXd& J) {
    const Layout at(model);
    J.setIdentity(static_cast<Eigen::Index>(theta.size()), static_cast<Eigen::Index>(theta.size()));
    const double by = std::pow(scale, theta[at.delta]);
    std::vector<std::size_t> levels{0};
    for (std::size_t j = at.delta + 1; j < theta.size(); ++j) levels.push_back(j);
    for (const std::size_t j : levels) {
      theta[j] *= by;
      J(static_cast<Eigen::Index>(j), static_cast<Eigen::Index>(j)) = by;
      J(static_cast<Eigen::Index>(j), static_cast<Eigen::Index>(at.delta)) =
          theta[j] * std::log(scale);
    }
  }
};

}  // namespace brace::inline v0
