// SPDX-License-Identifier: Apache-2.0
// The variance kernel of egarch (Nelson 1991, equations 2.1 and 2.2):
//   ln h[t] = omega + sum alpha_i (|z[t-i]| - E|z|) + sum gamma_i z[t-i] + sum beta_j ln h[t-j]
//             + x[t]'vwith,   z = e / sqrt h
// E|z| moves with the law's shape, and so does h. Before the sample ln h is ln m and the terms in z
// are 0, as they are where e is missing. Tests: tests/likelihood/likelihood_test.cpp.
#pragma once

#include <fmt/format.h>

#include <cmath>

#include "families/shock_moments.hpp"
#include "families/variance_family.hpp"
#include "families/variance_stage.hpp"

namespace brace::inline v0 {

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
    const typename Base::Size of_z = this->size_of(z);
    const Row<T> size = size_.row(t);
    *size.value = of_z.value - mean_size_.value;
    compose<O, 1>(size, {z_.row(t)}, {of_z.slope}, {of_z.bend}, width_);
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

// egarch for the engine.
struct EgarchFamily : FamilyDefaults {
  template <class T>
  using Stage = EgarchStage<T>;

  struct Layout {
    const Lags &shocks, &variances;
    std::size_t alpha = 1, gamma, beta;

    explicit Layout(const Model& model)
        : shocks(*shock_lags(model.variance)),
          variances(*variance_lags(model.variance)),
          gamma(1 + shocks.size()),
          beta(gamma + shocks.size()) {}
    // Coefficients of ln h by lag.
    [[nodiscard]] std::vector<double> decay(std::span<const double> theta) const {
      std::vector<double> by_lag(variances.empty() ? 0 : static_cast<std::size_t>(variances.back()),
                                 0.0);
      for (std::size_t i = 0; i < variances.size(); ++i)
        by_lag[static_cast<std::size_t>(variances[i]) - 1] = theta[beta + i];
      return by_lag;
    }
    [[nodiscard]] double persistence(std::span<const double> theta) const {
      double sum = 0;
      for (std::size_t i = 0; i < variances.size(); ++i) sum += theta[beta + i];
      return sum;
    }
  };

  static void add_moments(const Model& model, std::span<const double> shape, StepRules& rules) {
    rules.mean_size = mean_absolute(model.shocks, shape);
  }

  static constexpr bool kLevelIsBent = true;
  static constexpr double kColumnStart = 0;

  static std::vector<Bound> bounds(const Model& model) {
    const Layout at(model);
    const std::vector<std::string> names = parameter_names(model).variance;
    // A large shock of either sign does not lower volatility. With alphas below zero a small h
    // makes z large, which makes h smaller still: the filter does not forget where it began (it is
    // not invertible, Straumann and Mikosch 2006), and its likelihood is rough at every scale.
    Bound sizes{"", {}, 0};
    for (std::size_t i = 0; i < at.shocks.size(); ++i) {
      sizes.name += (i > 0 ? " + " : "") + names[1 + i];
      sizes.terms.emplace_back(1 + i, -1.0);
    }
    sizes.name += " >= 0";
    std::vector<Bound> all;
    if (!at.shocks.empty()) all.push_back(std::move(sizes));
    if (at.variances.empty()) return all;
    Bound above{"", {}, kMostPersistence};
    for (std::size_t i = 0; i < at.variances.size(); ++i) {
      above.name += (i > 0 ? " + " : "") + names[at.beta + i];
      above.terms.emplace_back(at.beta + i, 1.0);
    }
    Bound below = above;
    for (auto& [index, weight] : below.terms) weight = -1;
    above.name += " < 1";
    below.name += " > -1";
    all.push_back(std::move(above));
    all.push_back(std::move(below));
    return all;
  }

  struct Guess {
    double alpha, gamma, beta;
  };
  // Each guess over the lags, of a variance around 1.
  static std::vector<std::vector<double>> placed(const Model& model,
                                                 std::initializer_list<Guess> guesses) {
    const Layout at(model);
    std::vector<std::vector<double>> points;
    for (const Guess& guess : guesses) {
      std::vector<double> theta{0};  // ln of unit variance
      const auto share = [&theta](double sum, std::size_t count) {
        for (std::size_t i = 0; i < count; ++i) theta.push_back(sum / static_cast<double>(count));
      };
      share(guess.alpha, at.shocks.size());
      share(guess.gamma, at.shocks.size());
      share(guess.beta, at.variances.size());
      points.push_back(std::move(theta));
    }
    return points;
  }

  static std::vector<std::vector<double>> starts(const Model& model) {
    return placed(model, {{.15, -.05, .95},
                          {.10, -.05, .98},
                          {.25, -.10, .90},
                          {.20, 0, .97},
                          {.10, 0, .60},
                          {.30, 0, .70},
                          {.15, .05, .95},
                          {.05, -.05, .99},
                          {.20, -.15, .80},
                          {.40, -.05, .40},
                          {.05, 0, .20},
                          {.10, -.10, .995}});
  }

  // Hills of few rows that no other start leads to: the sign of a shock alone, which hardly fades,
  // either way; and a beta near -1, where what a jump does comes and goes from row to row.
  static std::vector<std::vector<double>> twins(const Model& model, std::span<const double>) {
    return placed(model, {{0, -.2, .999}, {0, .2, .999}, {.15, -.10, -.9}, {.15, .10, -.9}});
  }

  // How a shock enters ln h m = 1, 2, .. rows later: by its size and by its sign; as far as `rows`,
  // or to where it stays below `faded`.
  struct Response {
    double size, sign;
  };
  [[nodiscard]] static std::vector<Response> responses(const Model& model,
                                                       std::span<const double> theta,
                                                       std::size_t rows, double faded = 0) {
    const Layout at(model);
    const std::vector<double> decay = at.decay(theta);
    const std::size_t reach = std::max(decay.size(), static_cast<std::size_t>(at.shocks.back()));
    std::vector<Response> out;
    for (std::size_t m = 1, quiet = 0; m <= rows && quiet < reach; ++m) {
      Response now{0, 0};
      for (std::size_t i = 0; i < at.shocks.size(); ++i)
        if (static_cast<std::size_t>(at.shocks[i]) == m) {
          now.size += theta[at.alpha + i];
          now.sign += theta[at.gamma + i];
        }
      for (std::size_t j = 1; j <= decay.size() && j < m; ++j) {
        now.size += decay[j - 1] * out[m - 1 - j].size;
        now.sign += decay[j - 1] * out[m - 1 - j].sign;
      }
      out.push_back(now);
      quiet = m >= reach && std::abs(now.size) + std::abs(now.sign) < faded ? quiet + 1 : 0;
    }
    return out;
  }

  // E h / exp(E ln h): the product over the shocks to come of E exp(a (|z| - E|z|) + g z), a and g
  // being how a shock enters ln h later.
  static std::vector<std::optional<double>> mean_factors(const Model& model,
                                                         std::span<const double> theta,
                                                         std::span<const double> shape,
                                                         std::size_t horizon) {
    std::vector<std::optional<double>> moments(horizon, 1.0);
    const double size = mean_absolute(model.shocks, shape);
    const ExponentialMoment exponential(model.shocks, shape);
    const std::vector<Response> by_row = responses(model, theta, horizon);
    for (std::size_t k = 1; k < horizon; ++k) {
      const auto [a, g] = by_row[k - 1];
      const double mean = exponential(a, g) * std::exp(-a * size);
      moments[k] = moments[k - 1] && std::isfinite(mean) ? std::optional(*moments[k - 1] * mean)
                                                         : std::nullopt;
    }
    return moments;
  }

  static std::optional<double> persistence(const Model& model, std::span<const double> theta,
                                           std::span<const double>) {
    return Layout(model).persistence(theta);
  }

  // |z| has one at every shock that is 0.
  static constexpr bool kMayKink = true;
  static bool kinks(const Model&, std::span<const double>) { return true; }
  static RoughPower rough_news(const Model&, std::span<const double>, std::size_t) {
    return {1, 1, 1, 1};
  }
  // dL / d|e[t]| by lag = alpha_i lambda[t+i] / sqrt h[t] with lambda = dL / d ln h from the end:
  //   lambda[t] = dl[t] + sum beta_j lambda[t+j] - sum (alpha_i |z[t]| + gamma_i z[t]) / 2
  //   lambda[t+i]
  static void news_slopes(const Model& model, std::span<const double> theta,
                          std::span<const double> /*shape*/, const FilteredRows& rows,
                          std::span<double> slopes) {
    const Layout at(model);
    const std::size_t n = rows.h.size(), lags = at.shocks.size();
    std::vector<double> lambda(n);
    for (std::size_t t = n; t-- > 0;) {
      const bool known = !std::isnan(rows.e[t]);
      const double z = known ? rows.e[t] / std::sqrt(rows.h[t]) : 0;
      lambda[t] = rows.by_log_h[t];
      for (std::size_t j = 0; j < at.variances.size(); ++j)
        lambda[t] += theta[at.beta + j] * value_after(lambda, t, at.variances[j]);
      for (std::size_t i = 0; i < lags; ++i) {
        const double after = value_after(lambda, t, at.shocks[i]);
        lambda[t] -= 0.5 * (theta[at.alpha + i] * std::abs(z) + theta[at.gamma + i] * z) * after;
        slopes[t * lags + i] = known ? theta[at.alpha + i] * after / std::sqrt(rows.h[t]) : 0;
      }
    }
  }
  static Dynamics dynamics(const Model& model, std::span<const double> theta,
                           std::span<const double> shape) {
    const Layout at(model);
    Dynamics out;
    out.persistence = at.persistence(theta);
    out.half_life = half_life_of(at.decay(theta));
    if (*out.persistence >= 1 || !model.variance_regressors.empty()) return out;
    out.typical_variance = std::exp(theta[0] / (1 - *out.persistence));
    // The mean of h: the product over m of E exp(a_m (|z| - E|z|) + g_m z), a_m and g_m being how a
    // shock enters ln h m rows later (Nelson 1991, theorem A1.2).
    const StepRules rules = step_rules(model, theta, shape);
    double log_mean = theta[0] / (1 - *out.persistence);
    constexpr std::size_t kFar = 20000;  // where even a persistence of .999 has faded
    // Once responses are so small, ln of the mean is half the variance of what is in the exponent:
    // |z| and z are not correlated under the symmetric laws, the others have no mean.
    constexpr double kFaded = 1e-10, kSmall = 1e-4;
    const double of_size = 1 - rules.mean_size * rules.mean_size;
    const ExponentialMoment exponential(model.shocks, shape);
    const bool symmetric = shock_law(model.shocks).symmetric;
    for (const auto& [size, sign] : responses(model, theta, kFar, kFaded)) {
      if (std::abs(size) + std::abs(sign) < kFaded) continue;
      if (std::abs(size) + std::abs(sign) < kSmall && symmetric) {
        log_mean += 0.5 * (size * size * of_size + sign * sign);
        continue;
      }
      const double mean = exponential(size, sign);
      if (!std::isfinite(mean)) return out;
      log_mean += std::log(mean) - size * rules.mean_size;
    }
    out.unconditional_variance = std::exp(log_mean);
    return out;
  }

  static double next(const StepRules& rules, const VarianceState& past, double columns) {
    const Layout at(*rules.model);
    double x = columns + rules.theta[0];
    for (std::size_t i = 0; i < at.shocks.size(); ++i) {
      const News& z = past.news[static_cast<std::size_t>(at.shocks[i]) - 1];
      x += rules.theta[at.alpha + i] * (z.plus + z.minus - rules.mean_size) +
           rules.theta[at.gamma + i] * (z.plus - z.minus);
    }
    for (std::size_t i = 0; i < at.variances.size(); ++i)
      x += rules.theta[at.beta + i] * past.x[static_cast<std::size_t>(at.variances[i]) - 1];
    return std::exp(x);
  }

  static double state(const StepRules&, const VarianceState&, double h) { return std::log(h); }

  // |z|, whose terms are 0 in expectation.
  static News news(const StepRules& rules, double h, const double* e) {
    if (!e) return {rules.mean_size / 2, rules.mean_size / 2};
    const double z = *e / std::sqrt(h);
    return z < 0 ? News{0, -z} : News{z, 0};
  }

  // ln h moves by a constant, which omega takes up.
  static void rescale(const Model& model, double scale, std::span<double> theta,
                      Eigen::MatrixXd& J) {
    const Layout at(model);
    J.setIdentity(static_cast<Eigen::Index>(theta.size()), static_cast<Eigen::Index>(theta.size()));
    const double move = 2 * std::log(scale);
    theta[0] += (1 - at.persistence(theta)) * move;
    for (std::size_t i = 0; i < at.variances.size(); ++i)
      J(0, static_cast<Eigen::Index>(at.beta + i)) = -move;
  }
};

}  // namespace brace::inline v0
