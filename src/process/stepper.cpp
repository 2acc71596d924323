// SPDX-License-Identifier: Apache-2.0
// Stepping a model forward. Covered by tests/estimation/estimate_test.cpp and tests/forecast/.
#include "process/stepper.hpp"

#include <algorithm>
#include <cmath>

namespace brace::inline v0 {
namespace {

StepRules rules_of(const Model& model, std::span<const double> theta, std::size_t first_variance,
                   std::size_t variances) {
  return step_rules(model, theta.subspan(first_variance, variances),
                    theta.subspan(first_variance + variances));
}

StepRules rules_of(const Model& model, std::span<const double> theta) {
  const ParameterNames names = parameter_names(model);
  return rules_of(model, theta, names.mean.size(), names.variance.size());
}

}  // namespace

Past Past::before_sample(const Model& model, std::span<const double> theta, double presample) {
  Past past;
  past.ahead.assign(
      static_cast<std::size_t>(std::max(ar_product(model).longest(), ma_product(model).longest())),
      0.0);
  past.levels.assign(difference_weights(model.mean.differences).size() - 1, 0.0);
  const VarianceFamily& family = variance_family(model.variance);
  const StepRules rules = rules_of(model, theta);
  const Lags* lags = variance_lags(model.variance);
  const std::size_t rows = lags && !lags->empty() ? static_cast<std::size_t>(lags->back()) : 1;
  VarianceState& state = past.variance;
  state.h.assign(rows, presample);
  state.news.assign(family.reach(model), family.news(rules, presample, nullptr));
  state.x.assign(rows, family.recursive_state ? presample : family.state(rules, state, presample));
  return past;
}

Past Past::after(const Model& model, std::span<const double> theta, std::span<const double> dev,
                 std::span<const double> e, std::span<const double> h,
                 std::span<const unsigned char> counted, double presample,
                 std::vector<double> levels) {
  Past past = before_sample(model, theta, presample);
  past.levels = std::move(levels);
  const std::size_t n = h.size();
  // s_i = sum_{l >= i} a_l dev_{n+i-l} + b_l e_{n+i-l}, i = 1 .. r
  const auto add = [&](const LagProduct& product, std::span<const double> from) {
    const std::vector<double> c = product.dense(theta);
    for (std::size_t i = 1; i <= c.size(); ++i)
      for (std::size_t l = i; l <= c.size() && l - i < n; ++l)
        past.ahead[i - 1] += c[l - 1] * from[n - 1 - (l - i)];
  };
  add(ar_product(model), dev);
  add(ma_product(model), e);
  const VarianceFamily& family = variance_family(model.variance);
  const StepRules rules = rules_of(model, theta);
  VarianceState& state = past.variance;
  const std::size_t last = std::max(state.news.size(), state.h.size());
  for (std::size_t t = family.recursive_state || n < last ? 0 : n - last; t < n; ++t)
    state.push(family.news(rules, h[t], counted[t] ? &e[t] : nullptr), h[t],
               family.state(rules, state, h[t]));
  return past;
}

Past Past::after(const Model& model, std::span<const double> theta, const ArmaState& end,
                 double sigma2) {
  Past past = before_sample(model, theta, sigma2);
  for (std::size_t i = 0; i < past.ahead.size(); ++i)
    past.ahead[i] = end.mean(static_cast<Eigen::Index>(i));
  for (std::size_t i = 0; i < past.levels.size(); ++i)
    past.levels[i] = end.mean(static_cast<Eigen::Index>(past.ahead.size() + i));
  return past;
}

Stepper::Stepper(const Model& model, std::span<const double> theta, Past past)
    : model_(&model),
      at_(mean_positions(model)),
      ar_(ar_product(model)),
      ma_(ma_product(model)),
      weights_(difference_weights(model.mean.differences)),
      theta_(theta),
      past_(std::move(past)) {
  const ParameterNames names = parameter_names(model);
  first_variance_ = names.mean.size();
  variances_ = names.variance.size();
  rules_ = rules_of(model, theta, first_variance_, variances_);
  set_coefficients();
}

void Stepper::set_coefficients() {
  for (auto [product, c] : {std::pair{&ar_, &a_}, std::pair{&ma_, &b_}}) {
    c->assign(past_.ahead.size(), 0.0);
    for (const LagProduct::Term& t : product->terms)
      (*c)[static_cast<std::size_t>(product->lags[t.at]) - 1] +=
          t.sign * theta_[t.first] * (t.second ? theta_[*t.second] : 1);
  }
}

void Stepper::change(std::span<const double> theta) {
  rules_ = rules_of(*model_, theta, first_variance_, variances_);
  theta_ = theta;
  set_coefficients();
}

Stepper::Row Stepper::row_of(double h, double mu) const {
  if (model_->mean.risk) {
    const double coefficient = theta_[at_.count - 1];
    mu += coefficient * (*model_->mean.risk == RiskTerm::sd ? std::sqrt(h) : h);
  }
  if (!past_.ahead.empty()) mu += past_.ahead[0];
  for (std::size_t l = 1; l < weights_.size(); ++l) mu -= weights_[l] * past_.levels[l - 1];
  return {.mean = mu, .h = h, .e = 0, .y = mu};
}

void Stepper::leave(const Row& row, double e, bool known) {
  std::vector<double>& s = past_.ahead;
  const double f = s.empty() ? 0 : s[0];
  for (std::size_t i = 0; i < s.size(); ++i)
    s[i] = (i + 1 < s.size() ? s[i + 1] : 0) + a_[i] * (f + e) + b_[i] * e;
  push_front(past_.levels, row.mean + e);
  const VarianceFamily& family = variance_family(model_->variance);
  const double x = family.state(rules_, past_.variance, row.h);
  past_.variance.push(family.news(rules_, row.h, known ? &e : nullptr), row.h, x);
}

Stepper::Row Stepper::take(double e, double h, bool known, double mu) {
  Row row = row_of(h, mu);
  leave(row, e, known);
  row.e = e;
  row.y += e;
  return row;
}

Stepper::Row Stepper::ahead(double mu, double columns) {
  return row_of(next_variance(columns), mu);
}

double Stepper::next_variance(double columns) {
  if (!forced_) return variance_family(model_->variance).next(rules_, past_.variance, columns);
  const double h = *forced_;
  forced_.reset();
  return h;
}

Stepper::Row Stepper::advance(double z, double mu, double columns) {
  const double h = next_variance(columns);
  return take(std::sqrt(h) * z, h, true, mu);
}

Stepper::Row Stepper::expect(double mu, double columns) {
  const double h = next_variance(columns);
  return take(0, h, false, mu);
}

}  // namespace brace::inline v0
