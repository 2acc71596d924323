// SPDX-License-Identifier: Apache-2.0
// The variance kernel of twocomp (Engle and Lee 1999): h around a long-run
// component q that moves itself,
//   h[t] = q[t] + alpha (e[t-1]^2 - q[t-1]) + beta (h[t-1] - q[t-1]) + x[t]'vwith
//   q[t] = omega + rho q[t-1] + phi (e[t-1]^2 - h[t-1])
// Before the sample e^2 = h = q = m; where e is missing its square is h. Tests:
// tests/likelihood/likelihood_test.cpp.
#pragma once

#include <cmath>

#include "families/variance_family.hpp"
#include "families/variance_stage.hpp"

namespace brace::inline v0 {

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

// twocomp for the engine.
struct TwoComponentFamily : FamilyDefaults {
  template <class T>
  using Stage = TwoComponentStage<T>;

  static constexpr std::size_t kOmega = 0, kAlpha = 1, kBeta = 2, kRho = 3, kPhi = 4;

  static std::vector<Bound> bounds(const Model& model) {
    std::vector<Bound> all{
        {"omega > 0", {{kOmega, -1.0}}, -kLeastOmega, true},
        {"alpha1 >= 0", {{kAlpha, -1.0}}, 0},
        {"phi >= 0", {{kPhi, -1.0}}, 0},
        {"phi <= beta1", {{kPhi, 1.0}, {kBeta, -1.0}}, 0},
        {"alpha1 + beta1 < rho", {{kAlpha, 1.0}, {kBeta, 1.0}, {kRho, -1.0}}, -1e-6},
        {"rho < 1", {{kRho, 1.0}}, kMostPersistence}};
    add_column_bounds(model, all);
    return all;
  }

  // The long-run component alone: without news in the other, beta1 moves nothing.
  static std::vector<ContainedCase> cases() {
    return {{{{"beta1", 0}, {"phi", 0}}, "beta1 at 0, which alone moves nothing"}};
  }

  // A component that is left alone may be the short or the long one: the other way round, beside a
  // level that hardly moves.
  static std::vector<std::vector<double>> twins(const Model&, std::span<const double> theta) {
    constexpr double kGone = 1e-3, kStill = .9999, kLevel = .1;
    const double alpha = theta[kAlpha], beta = theta[kBeta], rho = theta[kRho], phi = theta[kPhi];
    if (alpha < kGone) return {{(1 - kStill) * kLevel, phi, std::max(0.0, rho - phi), kStill, 0}};
    if (phi < kGone) {
      const double fade = std::min(alpha + beta, kStill), level = theta[kOmega] / (1 - rho);
      return {{std::min(1.0, level) * (1 - fade), 0, alpha, fade, alpha}};
    }
    return {};
  }

  static std::vector<std::vector<double>> starts(const Model&) {
    std::vector<std::vector<double>> points;
    struct Guess {
      double alpha, beta, rho, phi;
    };
    // A climb that starts far off may hang where the two components are one: many starts.
    constexpr Guess kGrid[] = {
        {.08, .70, .98, .04},  {.05, .85, .99, .03},  {.10, .50, .97, .06},
        {.15, .30, .95, .08},  {.05, .60, .995, .02}, {.10, .75, .985, .06},
        {.03, .90, .999, .02}, {.08, .40, .90, .05},  {.10, .55, .998, .001}};
    for (const Guess& guess : kGrid)
      points.push_back({1 - guess.rho, guess.alpha, guess.beta, guess.rho, guess.phi});
    // One component alone: a garch about a level that hardly moves, or none about one that does.
    points.push_back({5e-4, .06, .92, .9995, 2e-4});
    points.push_back({1e-3, .10, .88, .999, 2e-4});
    points.push_back({2e-5, .08, .915, .99998, 0});
    points.push_back({.02, 1e-3, .30, .98, .08});
    // A level that fades from where the sample began to nothing.
    for (const double beta : {.1, .6}) points.push_back({1e-4, .03, beta, .999, .002});
    return points;
  }

  static std::optional<double> persistence(const Model&, std::span<const double> theta,
                                           std::span<const double>) {
    return theta[kRho];
  }

  static Dynamics dynamics(const Model& model, std::span<const double> theta,
                           std::span<const double>) {
    Dynamics out;
    out.persistence = theta[kRho];
    out.half_life = half_life_of({theta[kRho]});
    if (theta[kRho] < 1 && model.variance_regressors.empty())
      out.unconditional_variance = theta[kOmega] / (1 - theta[kRho]);
    return out;
  }

  static double long_run(const StepRules& rules, const VarianceState& past) {
    const std::span<const double> theta = rules.theta;
    return theta[kOmega] + theta[kRho] * past.x[0] +
           theta[kPhi] * (past.news[0].plus + past.news[0].minus - past.h[0]);
  }

  static double next(const StepRules& rules, const VarianceState& past, double columns) {
    const double square = past.news[0].plus + past.news[0].minus;
    return columns + long_run(rules, past) + rules.theta[kAlpha] * (square - past.x[0]) +
           rules.theta[kBeta] * (past.h[0] - past.x[0]);
  }

  static double state(const StepRules& rules, const VarianceState& past, double) {
    return long_run(rules, past);
  }

  static std::size_t reach(const Model&) { return 1; }

  // The long-run component.
  static constexpr bool kRecursiveState = true;
};

}  // namespace brace::inline v0
