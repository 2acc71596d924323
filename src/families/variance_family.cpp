// SPDX-License-Identifier: Apache-2.0
// Entries of families by the variant, and what families share. Covered by
// tests/estimation/estimate_test.cpp and tests/likelihood/likelihood_test.cpp.
#include "families/variance_family.hpp"

#include <fmt/format.h>

#include <cmath>
#include <iterator>

#include "brace/maths/lag_polynomial.hpp"
#include "families/family_table.hpp"
#include "families/shock_moments.hpp"

namespace brace::inline v0 {

namespace {

template <class Family>
constexpr VarianceFamily kEntry{.bounds = Family::bounds,
                                .starts = Family::starts,
                                .twins = Family::twins,
                                .cases = Family::cases,
                                .persistence = Family::persistence,
                                .dynamics = Family::dynamics,
                                .mean_factors = Family::mean_factors,
                                .mean_by_paths = Family::kMeanByPaths,
                                .next = Family::next,
                                .state = Family::state,
                                .news = Family::news,
                                .rescale = Family::rescale,
                                .reach = Family::reach,
                                .broken = Family::broken,
                                .wall = Family::wall,
                                .wall_at_bound = Family::wall_at_bound,
                                .rules_met = Family::rules_met,
                                .may_kink = Family::kMayKink,
                                .kinks = Family::kinks,
                                .cusps = Family::cusps,
                                .rough_news = Family::rough_news,
                                .news_slopes = Family::news_slopes,
                                .one_hill = Family::one_hill,
                                .unknown = Family::kUnknown,
                                .work = Family::kWork,
                                .beside_alpha = Family::beside_alpha,
                                .column_start = Family::kColumnStart,
                                .bounds_hide_hills = Family::kBoundsHideHills,
                                .level_is_bent = Family::kLevelIsBent,
                                .recursive_state = Family::kRecursiveState};

}  // namespace

const VarianceFamily& variance_family(const Variance& variance) {
  return with_family(variance,
                     []<class Family>(std::type_identity<Family>) -> const VarianceFamily& {
                       return kEntry<Family>;
                     });
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
  with_family(model.variance, [&]<class Family>(std::type_identity<Family>) {
    Family::add_moments(model, shape, rules);
  });
  return rules;
}

void add_at_lag(std::vector<double>& by_lag, int lag, double decay) {
  const auto l = static_cast<std::size_t>(lag);
  if (by_lag.size() < l) by_lag.resize(l, 0.0);
  by_lag[l - 1] += decay;
}

std::optional<double> half_life_of(const std::vector<double>& decay) {
  const double root = maths::largest_inverse_root(decay);
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

void FamilyDefaults::rescale(const Model& model, double scale, std::span<double> theta,
                             Eigen::MatrixXd& J) {
  const std::vector<std::string> names = parameter_names(model).variance;
  J.setIdentity(static_cast<Eigen::Index>(theta.size()), static_cast<Eigen::Index>(theta.size()));
  for (std::size_t j = 0; j < theta.size(); ++j)
    if (names[j] == "omega" || names[j] == "sigma2" || names[j].starts_with("vwith:")) {
      J(static_cast<Eigen::Index>(j), static_cast<Eigen::Index>(j)) = scale * scale;
      theta[j] *= scale * scale;
    }
}

std::size_t FamilyDefaults::reach(const Model& model) {
  const Lags* lags = shock_lags(model.variance);
  return lags && !lags->empty() ? static_cast<std::size_t>(lags->back()) : 1;
}

News FamilyDefaults::news(const StepRules& rules, double h, const double* e) {
  if (!e) return {(1 - rules.negative_square) * h, rules.negative_square * h};
  const double q = *e * *e;
  return *e < 0 ? News{0, q} : News{q, 0};
}

}  // namespace brace::inline v0
