// SPDX-License-Identifier: Apache-2.0
// egarch for the engine; the kernel is in egarch.hpp. Covered by tests/model/.
#include <fmt/format.h>

#include <cmath>

#include "model/families.hpp"
#include "model/law/moments.hpp"

namespace brace {
namespace {

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

std::vector<Bound> bounds(const Model& model) {
  const Layout at(model);
  const std::vector<std::string> names = parameter_names(model).variance;
  // A large shock of either sign does not lower volatility. With alphas below zero a small h makes
  // z large, which makes h smaller still: the filter does not forget where it began (it is not
  // invertible, Straumann and Mikosch 2006), and its likelihood is rough at every scale.
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

std::vector<std::vector<double>> starts(const Model& model) {
  const Layout at(model);
  std::vector<std::vector<double>> points;
  struct Guess {
    double alpha, gamma, beta;
  };
  constexpr Guess kGrid[] = {{.15, -.05, .95}, {.10, -.05, .98}, {.25, -.10, .90},
                             {.20, 0, .97},    {.10, 0, .60},    {.30, 0, .70},
                             {.15, .05, .95},  {.05, -.05, .99}, {.20, -.15, .80},
                             {.40, -.05, .40}, {.05, 0, .20},    {.10, -.10, .995}};
  for (const Guess& guess : kGrid) {
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

std::optional<double> persistence(const Model& model, std::span<const double> theta,
                                  std::span<const double>) {
  return Layout(model).persistence(theta);
}

Dynamics dynamics(const Model& model, std::span<const double> theta,
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
  const ExponentialMoment exponential(model.shocks, shape);
  for (const auto& [size, sign] : log_variance_responses(model, theta, kFar)) {
    if (std::abs(size) + std::abs(sign) < 1e-10) continue;
    const double mean = exponential(size, sign);
    if (!std::isfinite(mean)) return out;
    log_mean += std::log(mean) - size * rules.mean_size;
  }
  out.unconditional_variance = std::exp(log_mean);
  return out;
}

double next(const StepRules& rules, const VarianceState& past, double columns) {
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

double state(const StepRules&, const VarianceState&, double h) {
  return std::log(h);
}

// |z|, whose terms are 0 in expectation.
News news(const StepRules& rules, double h, const double* e) {
  if (!e) return {rules.mean_size / 2, rules.mean_size / 2};
  const double z = *e / std::sqrt(h);
  return z < 0 ? News{0, -z} : News{z, 0};
}

// ln h moves by a constant, which omega takes up.
void rescale(const Model& model, double scale, std::span<double> theta, Eigen::MatrixXd& J) {
  const Layout at(model);
  J.setIdentity(static_cast<Eigen::Index>(theta.size()), static_cast<Eigen::Index>(theta.size()));
  const double move = 2 * std::log(scale);
  theta[0] += (1 - at.persistence(theta)) * move;
  for (std::size_t i = 0; i < at.variances.size(); ++i)
    J(0, static_cast<Eigen::Index>(at.beta + i)) = -move;
}

}  // namespace

std::vector<LogVarianceResponse> log_variance_responses(const Model& model,
                                                        std::span<const double> theta,
                                                        std::size_t rows) {
  const Layout at(model);
  const std::vector<double> decay = at.decay(theta);
  std::vector<LogVarianceResponse> out(rows, LogVarianceResponse{0, 0});
  for (std::size_t m = 1; m <= rows; ++m) {
    auto& [size, sign] = out[m - 1];
    for (std::size_t i = 0; i < at.shocks.size(); ++i)
      if (static_cast<std::size_t>(at.shocks[i]) == m) {
        size += theta[at.alpha + i];
        sign += theta[at.gamma + i];
      }
    for (std::size_t j = 1; j <= decay.size() && j < m; ++j) {
      size += decay[j - 1] * out[m - 1 - j].size;
      sign += decay[j - 1] * out[m - 1 - j].sign;
    }
  }
  return out;
}

extern const VarianceFamily kEgarchFamily;
const VarianceFamily kEgarchFamily{.bounds = bounds,
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
