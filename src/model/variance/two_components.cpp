// SPDX-License-Identifier: Apache-2.0
// twocomp for the engine; the kernel is in two_components.hpp. Covered by tests/model/.
#include <cmath>

#include "model/families.hpp"

namespace brace {
namespace {

constexpr std::size_t kOmega = 0, kAlpha = 1, kBeta = 2, kRho = 3, kPhi = 4;

std::vector<Bound> bounds(const Model& model) {
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

std::vector<std::vector<double>> starts(const Model&) {
  std::vector<std::vector<double>> points;
  struct Guess {
    double alpha, beta, rho, phi;
  };
  // A climb that starts far off may hang where the two components are one: many starts.
  constexpr Guess kGrid[] = {{.08, .70, .98, .04},  {.05, .85, .99, .03},  {.10, .50, .97, .06},
                             {.15, .30, .95, .08},  {.05, .60, .995, .02}, {.10, .75, .985, .06},
                             {.03, .90, .999, .02}, {.08, .40, .90, .05},  {.10, .55, .998, .001}};
  for (const Guess& guess : kGrid)
    points.push_back({1 - guess.rho, guess.alpha, guess.beta, guess.rho, guess.phi});
  // A level that fades from where the sample began to nothing.
  for (const double beta : {.1, .6}) points.push_back({1e-4, .03, beta, .999, .002});
  return points;
}

std::optional<double> persistence(const Model&, std::span<const double> theta,
                                  std::span<const double>) {
  return theta[kRho];
}

Dynamics dynamics(const Model& model, std::span<const double> theta, std::span<const double>) {
  Dynamics out;
  out.persistence = theta[kRho];
  out.half_life = half_life_of({theta[kRho]});
  if (theta[kRho] < 1 && model.variance_regressors.empty())
    out.unconditional_variance = theta[kOmega] / (1 - theta[kRho]);
  return out;
}

double long_run(const StepRules& rules, const VarianceState& past) {
  const std::span<const double> theta = rules.theta;
  return theta[kOmega] + theta[kRho] * past.x[0] +
         theta[kPhi] * (past.news[0].plus + past.news[0].minus - past.h[0]);
}

double next(const StepRules& rules, const VarianceState& past, double columns) {
  const double square = past.news[0].plus + past.news[0].minus;
  return columns + long_run(rules, past) + rules.theta[kAlpha] * (square - past.x[0]) +
         rules.theta[kBeta] * (past.h[0] - past.x[0]);
}

double state(const StepRules& rules, const VarianceState& past, double) {
  return long_run(rules, past);
}

std::size_t one_row(const Model&) {
  return 1;
}

}  // namespace

extern const VarianceFamily kTwoComponentFamily;
const VarianceFamily kTwoComponentFamily{.bounds = bounds,
                                         .starts = starts,
                                         .persistence = persistence,
                                         .dynamics = dynamics,
                                         .next = next,
                                         .state = state,
                                         .news = square_news,
                                         .rescale = rescale_level,
                                         .reach = one_row,
                                         .broken = nullptr};

}  // namespace brace
