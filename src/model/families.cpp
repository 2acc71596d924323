// SPDX-License-Identifier: Apache-2.0
// The tables of families and laws: a new member is one line here and one in likelihood_passes.hpp.
#include "model/families.hpp"

#include <fmt/format.h>

#include <cmath>
#include <iterator>

#include "brace/maths/lag_polynomial.hpp"
#include "model/law/moments.hpp"
#include "model/variance/aparch.hpp"
#include "model/variance/egarch.hpp"
#include "model/variance/linear.hpp"
#include "model/variance/long_memory.hpp"
#include "model/variance/two_components.hpp"

namespace brace {

extern const ShockLaw kNormalLaw, kStudentLaw, kGedLaw, kSkewStudentLaw;
extern const VarianceFamily kLinearFamily, kEgarchFamily, kAparchFamily, kTwoComponentFamily,
    kLongMemoryFamily;

const VarianceFamily& variance_family(const Variance& variance) {
  // In the order of Variance.
  static const VarianceFamily* const families[] = {
      &kLinearFamily, &kLinearFamily, &kLinearFamily,       &kLinearFamily,     &kLinearFamily,
      &kEgarchFamily, &kAparchFamily, &kTwoComponentFamily, &kLongMemoryFamily, &kLinearFamily};
  static_assert(std::size(families) == std::variant_size_v<Variance>);
  return *families[variance.index()];
}

const ShockLaw& shock_law(const Shocks& shocks) {
  static const ShockLaw* const laws[] = {&kNormalLaw, &kStudentLaw, &kGedLaw, &kSkewStudentLaw};
  static_assert(std::size(laws) == std::variant_size_v<Shocks>);
  return *laws[shocks.index()];
}

void VarianceState::push(const News& new_news, double new_h, double new_x) {
  push_front(news, new_news);
  push_front(h, new_h);
  push_front(x, new_x);
}

StepRules step_rules(const Model& model, std::span<const double> theta,
                     std::span<const double> shape) {
  StepRules rules;
  rules.model = &model;
  rules.theta = theta;
  rules.negative_square = negative_square(model.shocks, shape);
  if (std::holds_alternative<Egarch>(model.variance))
    rules.mean_size = mean_absolute(model.shocks, shape);
  if (std::holds_alternative<Aparch>(model.variance)) {
    const double delta =
        theta[parameter_names(model).variance.size() - 1 - model.variance_regressors.size()];
    rules.powers = {half_power(model.shocks, shape, delta, false),
                    half_power(model.shocks, shape, delta, true)};
  }
  return rules;
}

void add_at_lag(std::vector<double>& by_lag, int lag, double decay) {
  const auto l = static_cast<std::size_t>(lag);
  if (by_lag.size() < l) by_lag.resize(l, 0.0);
  by_lag[l - 1] += decay;
}

std::optional<double> half_life_of(const std::vector<double>& decay) {
  const double root = largest_inverse_root(decay);
  return root > 0 && root < 1 ? std::optional(std::log(0.5) / std::log(root)) : std::nullopt;
}

std::vector<Bound> not_negative(const Model& model, std::size_t from, std::size_t to) {
  const std::vector<std::string> names = parameter_names(model).variance;
  std::vector<Bound> bounds;
  for (std::size_t i = from; i < to; ++i)
    bounds.push_back({fmt::format("{} >= 0", names[i]), {{i, -1.0}}, 0});
  return bounds;
}

void add_column_bounds(const Model& model, std::vector<Bound>& bounds) {
  const std::size_t k = parameter_names(model).variance.size();
  for (Bound& bound : not_negative(model, k - model.variance_regressors.size(), k))
    bounds.push_back(std::move(bound));
}

void rescale_level(const Model& model, double scale, std::span<double> theta, Eigen::MatrixXd& J) {
  const std::vector<std::string> names = parameter_names(model).variance;
  J.setIdentity(static_cast<Eigen::Index>(theta.size()), static_cast<Eigen::Index>(theta.size()));
  for (std::size_t j = 0; j < theta.size(); ++j)
    if (names[j] == "omega" || names[j] == "sigma2" || names[j].starts_with("vwith:")) {
      J(static_cast<Eigen::Index>(j), static_cast<Eigen::Index>(j)) = scale * scale;
      theta[j] *= scale * scale;
    }
}

std::size_t longest_shock_lag(const Model& model) {
  const Lags* lags = shock_lags(model.variance);
  return lags && !lags->empty() ? static_cast<std::size_t>(lags->back()) : 1;
}

News square_news(const StepRules& rules, double h, const double* e) {
  if (!e) return {(1 - rules.negative_square) * h, rules.negative_square * h};
  const double q = *e * *e;
  return *e < 0 ? News{0, q} : News{q, 0};
}

}  // namespace brace
