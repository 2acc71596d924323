// SPDX-License-Identifier: Apache-2.0
// aparch for the engine; the kernel is in aparch.hpp. Covered by tests/model/.
#include <fmt/format.h>

#include <cmath>
#include <numeric>

#include "model/families.hpp"

namespace brace {
namespace {

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

std::vector<Bound> bounds(const Model& model) {
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

std::vector<std::vector<double>> starts(const Model& model) {
  const Layout at(model);
  std::vector<std::vector<double>> points;
  struct Guess {
    double alpha, gamma, persistence, delta;
  };
  constexpr Guess kGrid[] = {{.06, .2, .97, 1.5}, {.10, .3, .95, 1}, {.06, .2, .97, 2},
                             {.15, .1, .85, 1.5}, {.05, 0, .60, 2},  {.08, .6, .98, 1},
                             {.20, 0, .70, 1},    {.05, .1, .99, 2}, {.01, .9, .96, .4},
                             {.02, -.8, .80, .4}, {.05, .4, .95, 3}};
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
double weigh(const Layout& at, std::span<const double> theta, std::size_t i, const News& news) {
  const double gamma = theta[at.gamma + i], delta = theta[at.delta];
  return theta[at.alpha + i] *
         (std::pow(1 - gamma, delta) * news.plus + std::pow(1 + gamma, delta) * news.minus);
}

std::vector<double> decay(const Layout& at, const Model& model, std::span<const double> theta,
                          std::span<const double> shape) {
  const StepRules rules = step_rules(model, theta, shape);
  std::vector<double> by_lag;
  for (std::size_t i = 0; i < at.shocks.size(); ++i)
    add_at_lag(by_lag, at.shocks[i], weigh(at, theta, i, rules.powers));
  for (std::size_t i = 0; i < at.variances.size(); ++i)
    add_at_lag(by_lag, at.variances[i], theta[at.beta + i]);
  return by_lag;
}

std::optional<double> persistence(const Model& model, std::span<const double> theta,
                                  std::span<const double> shape) {
  const std::vector<double> by_lag = decay(Layout(model), model, theta, shape);
  return std::accumulate(by_lag.begin(), by_lag.end(), 0.0);
}

Dynamics dynamics(const Model& model, std::span<const double> theta,
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

double next(const StepRules& rules, const VarianceState& past, double columns) {
  const Layout at(*rules.model);
  double x = columns + rules.theta[0];
  for (std::size_t i = 0; i < at.shocks.size(); ++i)
    x += weigh(at, rules.theta, i, past.news[static_cast<std::size_t>(at.shocks[i]) - 1]);
  for (std::size_t i = 0; i < at.variances.size(); ++i)
    x += rules.theta[at.beta + i] * past.x[static_cast<std::size_t>(at.variances[i]) - 1];
  return std::pow(x, 2 / rules.theta[at.delta]);
}

double state(const StepRules& rules, const VarianceState&, double h) {
  return std::pow(h, rules.theta[Layout(*rules.model).delta] / 2);
}

News news(const StepRules& rules, double h, const double* e) {
  const double delta = rules.theta[Layout(*rules.model).delta];
  if (!e) {
    const double x = std::pow(h, delta / 2);
    return {rules.powers.plus * x, rules.powers.minus * x};
  }
  const double size = std::pow(std::abs(*e), delta);
  return *e < 0 ? News{0, size} : News{size, 0};
}

// The recursion runs in the unit of |e|^delta.
void rescale(const Model& model, double scale, std::span<double> theta, Eigen::MatrixXd& J) {
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

}  // namespace

extern const VarianceFamily kAparchFamily;
const VarianceFamily kAparchFamily{.bounds = bounds,
                                   .starts = starts,
                                   .persistence = persistence,
                                   .dynamics = dynamics,
                                   .next = next,
                                   .state = state,
                                   .news = news,
                                   .rescale = rescale,
                                   .reach = longest_shock_lag,
                                   .broken = nullptr};

}  // namespace brace
