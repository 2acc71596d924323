// SPDX-License-Identifier: Apache-2.0
// Stepping a model forward. Covered by tests/model/estimate_test.cpp and tests/forecast/.
#include "model/stepper.hpp"

#include <algorithm>
#include <cmath>

namespace brace {
namespace {

std::size_t reach(const Lags* lags) {
  return lags && !lags->empty() ? static_cast<std::size_t>(lags->back()) : 0;
}

}  // namespace

Past Past::before_sample(const Model& model, double presample) {
  Past past;
  past.ahead.assign(
      static_cast<std::size_t>(std::max(ar_product(model).longest(), ma_product(model).longest())),
      0.0);
  past.levels.assign(difference_weights(model.mean.differences).size() - 1, 0.0);
  past.variance.q.assign(reach(shock_lags(model.variance)), presample);
  past.variance.h.assign(reach(variance_lags(model.variance)), presample);
  return past;
}

Past Past::after(const Model& model, std::span<const double> theta, std::span<const double> dev,
                 std::span<const double> e, std::span<const double> h,
                 std::span<const unsigned char> counted, double presample,
                 std::vector<double> levels) {
  Past past = before_sample(model, presample);
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
  for (std::size_t i = 0; i < std::min(n, past.variance.h.size()); ++i)
    past.variance.h[i] = h[n - 1 - i];
  for (std::size_t i = 0; i < std::min(n, past.variance.q.size()); ++i) {
    const std::size_t t = n - 1 - i;
    past.variance.q[i] = counted[t] ? e[t] * e[t] : h[t];
  }
  return past;
}

Past Past::after(const Model& model, const ArmaState& end, double sigma2) {
  Past past = before_sample(model, sigma2);
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
      variance_theta_(theta.subspan(at_.count)),
      past_(std::move(past)) {
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

void Stepper::reset(std::span<const double> theta, const Past& past) {
  variance_theta_ = theta.subspan(at_.count);
  theta_ = theta;
  past_ = past;
  set_coefficients();
}

Stepper::Row Stepper::take(double e, double h, double q, double mu) {
  std::vector<double>& s = past_.ahead;
  const double f = s.empty() ? 0 : s[0];
  Row row{.mean = mu + f, .h = h, .e = e, .y = 0};
  for (std::size_t l = 1; l < weights_.size(); ++l) row.mean -= weights_[l] * past_.levels[l - 1];
  row.y = row.mean + e;
  for (std::size_t i = 0; i < s.size(); ++i)
    s[i] = (i + 1 < s.size() ? s[i + 1] : 0) + a_[i] * (f + e) + b_[i] * e;
  push_front(past_.levels, row.y);
  past_.variance.push(q, h);
  return row;
}

Stepper::Row Stepper::advance(double z, double mu) {
  const double h = variance_family(model_->variance).next(*model_, variance_theta_, past_.variance);
  const double e = std::sqrt(h) * z;
  return take(e, h, e * e, mu);
}

Stepper::Row Stepper::expect(double mu) {
  const double h = variance_family(model_->variance).next(*model_, variance_theta_, past_.variance);
  return take(0, h, h, mu);
}

}  // namespace brace
