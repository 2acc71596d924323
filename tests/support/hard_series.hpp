// SPDX-License-Identifier: Apache-2.0
// Series whose likelihoods have many hills.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"

namespace brace {

// Even numbers: a persistent process, half of them with a yearly wave as temperatures have it,
// differenced. Odd ones: weak terms up to lags four and five. 1,500 to 5,000 rows.
inline Series hard_series(std::uint64_t number) {
  maths::RandomStream stream(77, number);
  const auto rows = 1500 + static_cast<std::size_t>(3500 * stream.uniform());
  if (number % 2 == 1) {
    const Model model = parse_model("const ar1..4 ma1..5");
    for (;;) {
      std::vector<double> theta{.02};
      for (int i = 0; i < 9; ++i) theta.push_back(.08 * stream.normal());
      theta.push_back(1);
      try {
        return simulate(model, theta, rows, {.seed = 79, .stream = number});
      } catch (const Error&) {  // not stationary: other terms
      }
    }
  }
  const double first = .75 + .2 * stream.uniform(), second = .1 * stream.normal(),
               ma = .2 * stream.normal();
  Series y = simulate(parse_model("const ar1,2 ma1"),
                      {10, first, .5 * std::min(second, .98 - first), ma, 4}, rows,
                      {.seed = 78, .stream = number});
  if (number % 4 == 0)
    for (std::size_t t = 0; t < rows; ++t)
      y.values[t] += 8 * std::sin(2 * std::numbers::pi * static_cast<double>(t) / 365.25);
  std::vector<double> change;
  for (std::size_t t = 1; t < rows; ++t) change.push_back(y.values[t] - y.values[t - 1]);
  return make_series(std::move(change));
}

// The highest exact log-likelihood of 'const ar1 ma1' with mu and sigma2 at their best for the
// coefficients given, over those that were tried.
struct EvaluationBest {
  double log_likelihood = -std::numeric_limits<double>::infinity();
  void try_at(const Series& y, double ar, double ma) {
    const Fit fit = estimate(fmt::format("const ar1 ar1={} ma1 ma1={}", ar, ma), y);
    if (fit.usable()) log_likelihood = std::max(log_likelihood, *fit.log_likelihood);
  }
};

}  // namespace brace
