// SPDX-License-Identifier: Apache-2.0
// Stepping a model forward. Covered by tests/model/estimate_test.cpp and tests/forecast/.
#include "model/stepper.hpp"

#include <algorithm>
#include <cmath>

namespace brace {
namespace {

std::size_t reach(const Lags* a, const Lags* b) {
  int longest = 0;
  for (const Lags* lags : {a, b})
    if (lags && !lags->empty()) longest = std::max(longest, lags->back());
  return static_cast<std::size_t>(longest);
}

}  // namespace

Past Past::before_sample(const Model& model, double presample) {
  Past past;
  past.dev.assign(reach(&model.mean.ar, nullptr), 0.0);
  past.e.assign(reach(&model.mean.ma, nullptr), 0.0);
  past.variance.q.assign(reach(shock_lags(model.variance), nullptr), presample);
  past.variance.h.assign(reach(variance_lags(model.variance), nullptr), presample);
  return past;
}

Past Past::after(const Model& model, std::span<const double> dev, std::span<const double> e,
                 std::span<const double> h, std::span<const double> y, double presample) {
  Past past = before_sample(model, presample);
  const std::size_t n = h.size();
  for (std::size_t i = 0; i < std::min(n, past.dev.size()); ++i) past.dev[i] = dev[n - 1 - i];
  for (std::size_t i = 0; i < std::min(n, past.e.size()); ++i) past.e[i] = e[n - 1 - i];
  for (std::size_t i = 0; i < std::min(n, past.variance.h.size()); ++i)
    past.variance.h[i] = h[n - 1 - i];
  for (std::size_t i = 0; i < std::min(n, past.variance.q.size()); ++i) {
    const std::size_t t = n - 1 - i;
    past.variance.q[i] = std::isnan(y[t]) ? h[t] : e[t] * e[t];
  }
  return past;
}

void Stepper::reset(std::span<const double> theta, const Past& past) {
  variance_theta_ = theta.subspan(static_cast<std::size_t>(variance_theta_.data() - theta_.data()));
  theta_ = theta;
  past_ = past;
}

double Stepper::mean_deviation() const {
  std::size_t p = model_->mean.constant ? 1 : 0;
  double f = 0;
  for (const int lag : model_->mean.ar)
    f += theta_[p++] * past_.dev[static_cast<std::size_t>(lag - 1)];
  for (const int lag : model_->mean.ma)
    f += theta_[p++] * past_.e[static_cast<std::size_t>(lag - 1)];
  return f;
}

Stepper::Row Stepper::advance(double z) {
  Row row{};
  row.h = variance_family(model_->variance).next(*model_, variance_theta_, past_.variance);
  row.e = std::sqrt(row.h) * z;
  const double f = mean_deviation(), mu = model_->mean.constant ? theta_[0] : 0;
  row.mean = mu + f;
  row.y = row.mean + row.e;
  push_front(past_.dev, f + row.e);
  push_front(past_.e, row.e);
  past_.variance.push(row.e * row.e, row.h);
  return row;
}

Stepper::Row Stepper::expect() {
  Row row{};
  row.h = variance_family(model_->variance).next(*model_, variance_theta_, past_.variance);
  const double f = mean_deviation(), mu = model_->mean.constant ? theta_[0] : 0;
  row.mean = row.y = mu + f;
  push_front(past_.dev, f);
  push_front(past_.e, 0);
  past_.variance.push(row.h, row.h);
  return row;
}

}  // namespace brace
