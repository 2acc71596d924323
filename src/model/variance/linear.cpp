// SPDX-License-Identifier: Apache-2.0
// steady, arch, garch, igarch, gjr and ewma for the engine; the kernel is in linear.hpp. Covered by
// tests/model/.
#include <fmt/format.h>

#include <numeric>

#include "model/families.hpp"

namespace brace {
namespace {

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

std::vector<Bound> bounds(const Model& model) {
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

std::vector<std::vector<double>> starts(const Model& model) {
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
    constexpr std::pair<double, double> kGrid[] = {{.05, .98}, {.15, .90}, {.04, .45}, {.05, .80},
                                                   {.10, .98}, {.20, .75}, {.30, .50}, {.03, .995},
                                                   {.10, .60}, {.25, .95}, {.04, .90}, {.12, .20}};
    for (const auto& [alpha, persistence] : kGrid) {
      if (at.signs) add(alpha, persistence, .6);
      add(alpha, persistence, at.signs ? .1 : 0);
    }
  }
  return points;
}

// Of a family with a level, by lag.
std::vector<double> decay(const Layout& at, const Model& model, std::span<const double> theta,
                          std::span<const double> shape) {
  const double kappa = at.signs ? step_rules(model, theta, shape).negative_square : 0;
  std::vector<double> by_lag;
  for (std::size_t i = 0; i < at.shocks.size(); ++i)
    add_at_lag(by_lag, at.shocks[i],
               theta[at.alpha + i] + (at.signs ? kappa * theta[at.gamma + i] : 0));
  for (std::size_t i = 0; i < at.variances.size(); ++i)
    add_at_lag(by_lag, at.variances[i], theta[at.beta + i]);
  return by_lag;
}

std::optional<double> persistence(const Model& model, std::span<const double> theta,
                                  std::span<const double> shape) {
  const Layout at(model);
  if (at.averages || at.integrated) return 1;
  const std::vector<double> by_lag = decay(at, model, theta, shape);
  if (by_lag.empty()) return std::nullopt;
  return std::accumulate(by_lag.begin(), by_lag.end(), 0.0);
}

Dynamics dynamics(const Model& model, std::span<const double> theta,
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

double next(const StepRules& rules, const VarianceState& past, double columns) {
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
      h += rules.theta[at.gamma + i] * past.news[static_cast<std::size_t>(at.shocks[i]) - 1].minus;
  }
  for (std::size_t i = 0; i < at.variances.size(); ++i)
    h += at.beta_at(rules.theta, i) * past.h[static_cast<std::size_t>(at.variances[i]) - 1];
  return h;
}

}  // namespace

extern const VarianceFamily kLinearFamily;
const VarianceFamily kLinearFamily{.bounds = bounds,
                                   .starts = starts,
                                   .persistence = persistence,
                                   .dynamics = dynamics,
                                   .next = next,
                                   .state = no_state,
                                   .news = square_news,
                                   .rescale = rescale_level,
                                   .reach = longest_shock_lag,
                                   .broken = nullptr};

}  // namespace brace
