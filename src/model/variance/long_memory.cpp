// SPDX-License-Identifier: Apache-2.0
// longmem for the engine; the kernel is in long_memory.hpp. Covered by tests/model/.
#include "model/variance/long_memory.hpp"

#include <fmt/format.h>

#include <numeric>

#include "model/families.hpp"

namespace brace {
namespace {

constexpr std::size_t kOmega = 0, kPhi = 1, kD = 2, kBeta = 3;

std::vector<double> weights(double phi, double d, double beta) {
  std::vector<double> lambda(kMemory);
  double delta = d;
  lambda[0] = phi - beta + d;
  for (std::size_t i = 1; i < kMemory; ++i) {
    const auto k = static_cast<double>(i + 1);
    const double share = (k - 1 - d) / k;
    lambda[i] = beta * lambda[i - 1] + (share - phi) * delta;
    delta *= share;
  }
  return lambda;
}

std::vector<Bound> bounds(const Model& model) {
  std::vector<Bound> all{{"omega > 0", {{kOmega, -1.0}}, -kLeastOmega, true},
                         {"d >= 0", {{kD, -1.0}}, 0},
                         {"d <= 1", {{kD, 1.0}}, 1},
                         {"beta1 >= 0", {{kBeta, -1.0}}, 0},
                         {"beta1 < 1", {{kBeta, 1.0}}, 0.999},
                         {"phi1 > -1", {{kPhi, -1.0}}, 0.999},
                         {"phi1 < 1", {{kPhi, 1.0}}, 0.999},
                         {"beta1 <= phi1 + d", {{kBeta, 1.0}, {kPhi, -1.0}, {kD, -1.0}}, 0}};
  add_column_bounds(model, all);
  return all;
}

std::vector<std::vector<double>> starts(const Model&) {
  std::vector<std::vector<double>> points;
  struct Guess {
    double phi, d, beta;
  };
  constexpr Guess kGrid[] = {{.20, .40, .50}, {.10, .30, .30}, {.30, .50, .65},
                             {.05, .20, .10}, {.20, .60, .70}, {.00, .45, .30},
                             {.75, .05, .65}, {.80, .28, .75}, {.50, .05, .40}};
  for (const Guess& guess : kGrid) {
    const std::vector<double> lambda = weights(guess.phi, guess.d, guess.beta);
    const double sum = std::accumulate(lambda.begin(), lambda.end(), 0.0);
    points.push_back({(1 - guess.beta) * (1 - sum), guess.phi, guess.d, guess.beta});
  }
  return points;
}

std::optional<double> persistence(const Model&, std::span<const double>, std::span<const double>) {
  return std::nullopt;
}

Dynamics dynamics(const Model&, std::span<const double>, std::span<const double>) {
  return {};
}

double next(const StepRules& rules, const VarianceState& past, double columns) {
  const std::span<const double> theta = rules.theta;
  const double beta = theta[kBeta], d = theta[kD];
  double h = columns + theta[kOmega] / (1 - beta);
  double delta = d, lambda = theta[kPhi] - beta + d;
  for (std::size_t i = 0; i < kMemory; ++i) {
    if (i > 0) {
      const auto k = static_cast<double>(i + 1);
      const double share = (k - 1 - d) / k;
      lambda = beta * lambda + (share - theta[kPhi]) * delta;
      delta *= share;
    }
    h += lambda * (past.news[i].plus + past.news[i].minus);
  }
  return h;
}

std::size_t memory(const Model&) {
  return kMemory;
}

std::optional<std::string> broken(const Model&, std::span<const double> theta) {
  const std::vector<double> lambda = weights(theta[kPhi], theta[kD], theta[kBeta]);
  for (std::size_t k = 0; k < lambda.size(); ++k)
    if (lambda[k] < kLeastLambda)
      return fmt::format("every lambda >= 0, and that of lag {} is {:.2g}", k + 1, lambda[k]);
  return std::nullopt;
}

}  // namespace

extern const VarianceFamily kLongMemoryFamily;
const VarianceFamily kLongMemoryFamily{.bounds = bounds,
                                       .starts = starts,
                                       .persistence = persistence,
                                       .dynamics = dynamics,
                                       .next = next,
                                       .state = no_state,
                                       .news = square_news,
                                       .rescale = rescale_level,
                                       .reach = memory,
                                       .broken = broken};

}  // namespace brace
