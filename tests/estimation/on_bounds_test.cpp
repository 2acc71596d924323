// SPDX-License-Identifier: Apache-2.0
// Where a fit ends on bounds its estimates are parameters like any others: what takes parameters
// takes them, and what a bound pins lies on it in every digit.
#include <gtest/gtest.h>

#include <cmath>

#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "process/admissible.hpp"

namespace brace {
namespace {

// Returns whose variance nearly explodes, and levels of them.
Series heavy(std::uint64_t stream) {
  Series y = simulate(parse_model("const / garch / student"), {.05, .001, .3, .69, 4}, 150,
                      {.seed = 95, .stream = stream});
  if (stream % 2 == 1)
    for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += .98 * y.values[t - 1];
  return y;
}

class OnBounds : public testing::TestWithParam<const char*> {};

TEST_P(OnBounds, EstimatesMayBeUsedAsParameters) {
  int on_bound = 0;
  for (std::uint64_t stream = 0; stream < 12; ++stream) {
    const Series y = heavy(stream);
    const Fit fit = estimate(GetParam(), y);
    if (!fit.usable()) continue;
    on_bound += fit.convergence.status == FitStatus::boundary ? 1 : 0;
    const std::vector<double> estimates = fit.estimates();
    EXPECT_FALSE(broken_rule(fit.model, estimates)) << stream << "\n" << fit;
    EXPECT_NO_THROW((void)simulate(fit.model, estimates, 5, {.seed = 1})) << stream << "\n" << fit;
    EXPECT_NEAR(evaluate(fit.model, y, estimates).log_likelihood, *fit.log_likelihood,
                1e-8 * (1 + std::abs(*fit.log_likelihood)))
        << stream << "\n"
        << fit;
  }
  EXPECT_GE(on_bound, 2) << "or nothing was tried";
}

INSTANTIATE_TEST_SUITE_P(Families, OnBounds,
                         testing::Values("const / garch / student", "const / gjr / normal",
                                         "const / arch e1,2,3", "const / garch e1,2 h1",
                                         "const / twocomp", "const / egarch e1,2",
                                         "const / igarch e1,2", "zero / longmem"));

// Only rounding is let through.
TEST(Admissible, BeyondABoundIsRefused) {
  const Model garch = parse_model("const / garch / normal");
  const auto refused = [&](double alpha, double beta) {
    return broken_rule(garch, std::vector<double>{0, .1, alpha, beta}).has_value();
  };
  const double most = 1 - 1e-5;
  EXPECT_FALSE(refused(.1, most - .1));
  EXPECT_FALSE(refused(.1 + 1e-16, most - .1));
  EXPECT_TRUE(refused(.1, most - .1 + 1e-9));
  EXPECT_TRUE(refused(-1e-9, .5));
  EXPECT_TRUE(broken_rule(garch, std::vector<double>{0, 0, .1, .5})) << "a level is positive";
}

}  // namespace
}  // namespace brace
