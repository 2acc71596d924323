// SPDX-License-Identifier: Apache-2.0
// Likelihoods with kinks in several terms of the mean: against least absolute deviations, which is
// their maximum under Laplace's law, by points around the end, and the derivatives of the rounded
// likelihood by which they are climbed.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "brace/estimation/estimate.hpp"
#include "brace/estimation/evaluator.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "likelihood/joint_likelihood.hpp"

namespace brace {
namespace {

using testing::Contains;
using testing::HasSubstr;

// Heavy tails in ticks of a half, two in five rows without a trade.
Series ticks(std::uint64_t seed, std::size_t n) {
  Series y = simulate(parse_model("const ar1 / garch / student"), {.05, .2, .05, .1, .85, 4}, n,
                      {.seed = seed});
  maths::RandomStream u(seed, 1);
  for (double& v : y.values) v = u.uniform() < .4 ? 0 : std::round(2 * v) / 2;
  return y;
}

// The line of least absolute deviations goes through two of the points (Koenker and Bassett 1978,
// theorem 3.1): all pairs are tried.
TEST(RoundedKinks, TrendUnderLaplaceIsTheLineOfLeastAbsoluteDeviations) {
  for (const std::uint64_t seed : {1U, 2U, 3U}) {
    const Series y = simulate(parse_model("const trend / steady / student"), {.2, .03, 1, 3}, 60,
                              {.seed = seed});
    double least = INFINITY, slope = 0;
    for (std::size_t a = 0; a < y.size(); ++a)
      for (std::size_t b = a + 1; b < y.size(); ++b) {
        const double by = (y.values[b] - y.values[a]) / static_cast<double>(b - a);
        double sum = 0;
        for (std::size_t t = 0; t < y.size(); ++t)
          sum += std::abs(y.values[t] - y.values[a] -
                          by * (static_cast<double>(t) - static_cast<double>(a)));
        if (sum < least) least = sum, slope = by;
      }
    Model laplace = parse_model("const trend / steady / ged");
    laplace.held = {{"nu", 1}};
    const Fit fit = estimate(laplace, y);
    ASSERT_EQ(fit.convergence.status, FitStatus::boundary) << fit;
    EXPECT_THAT(fit.convergence.on_kinks, Contains("trend"));
    // Of deviations e with mean size s the density is exp(-|e| / s) / 2 s.
    const double n = 60, s = least / n;
    // The last rounding moves the line by some 1e-8 of a standard deviation.
    EXPECT_NEAR(*fit.log_likelihood, -n * (std::log(2 * s) + 1), 1e-6);
    EXPECT_NEAR(fit["trend"].estimate, slope, 1e-7);
    EXPECT_NEAR(fit["sigma2"].estimate, 2 * s * s, 1e-6 * s * s);
    EXPECT_FALSE(fit["trend"].se || fit["mu"].se) << "no curvature, no error";
  }
}

TEST(RoundedKinks, NoPointAroundTheEndIsHigher) {
  for (const char* line :
       {"const ar1 / garch / ged", "const trend / gjr / ged", "const ma1 / egarch / ged",
        "const ar1 / aparch delta=1 / ged", "const ar1 / steady / ged"}) {
    const Series y = ticks(5, 220);
    const Fit fit = estimate(line, y);
    ASSERT_TRUE(fit.usable()) << fit;
    ASSERT_FALSE(fit.convergence.on_kinks.empty()) << fit;
    Evaluator of(fit.model, y, LikelihoodKind::conditional);
    maths::RandomStream u(9, 0);
    int inside = 0;
    // What lies on a bound stays there; kinks may be left to any side.
    std::vector<std::size_t> free;
    for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
      const Parameter& p = fit.parameters[j];
      if (!p.held && (!p.at_bound || j < 2)) free.push_back(j);
    }
    for (int i = 0; i < 400; ++i) {
      std::vector<double> beside = fit.estimates();
      const double size = std::pow(10, -6 + 5 * u.uniform());
      for (const std::size_t j : free) beside[j] += size * u.normal() * (.1 + std::abs(beside[j]));
      const double there = of.value(beside);
      inside += std::isfinite(there);
      // Rows on a kink are off it by the last rounding.
      EXPECT_LE(there, *fit.log_likelihood + 1e-5) << line << " at " << size;
    }
    EXPECT_GT(inside, 200) << line;
  }
}

// What lies on kinks lies there in every digit: a mu of 0 is 0, and as many rows as terms have no
// shock.
TEST(RoundedKinks, TermsLieOnThemExactly) {
  const Series zeros = ticks(5, 220);
  for (const auto& [line, unit] : {std::pair{"const / steady / ged", 1.},
                                   {"const / garch / ged", 1e-7},
                                   {"const ar1 / garch / ged", 3e5},
                                   {"const ar1 / steady / ged", 1e-7},
                                   {"const trend / gjr / ged", 1.}}) {
    Series y = zeros;
    for (double& v : y.values) v *= unit;
    const Fit fit = estimate(line, y);
    ASSERT_EQ(fit.convergence.status, FitStatus::boundary) << fit;
    std::size_t on = 0, terms = 0;
    const std::vector<std::string>& kinked = fit.convergence.on_kinks;
    for (const Parameter& p : fit.parameters) {
      if (p.name != "mu" && std::find(kinked.begin(), kinked.end(), p.name) == kinked.end())
        continue;
      ++terms;
      const double size = p.name == "ar1" ? 1 : unit;
      EXPECT_TRUE(p.estimate == 0 || std::abs(p.estimate) > 1e-12 * size)
          << "no digit is left of a term that is not there\n"
          << fit;
    }
    // A few roundings of a value of the series.
    for (std::size_t t = 0; t < y.size(); ++t)
      on += std::abs(fit.shocks[t]) < 1e-14 * std::sqrt(fit.variances[t]);
    EXPECT_GE(on, terms) << fit;
  }
}

// Next to a kink a climb stalls with a slope that no step lowers: that is not where it may end.
TEST(RoundedKinks, NoSlopeIsLeftBesideThem) {
  const Model model = parse_model("const ar1 / egarch / ged");
  int kinked = 0;
  for (std::uint64_t i = 18; i < 26; ++i) {
    const Series y =
        simulate(model, {.02, .2, -.05, .15, -.05, .9, 1.3}, 300, {.seed = 77, .stream = i});
    const Fit fit = estimate(model, y);
    EXPECT_TRUE(fit.usable()) << i << "\n" << fit;
    if (fit.convergence.on_kinks.empty()) {
      EXPECT_LT(*fit.convergence.gradient_norm, 1e-6) << i;
    }
    kinked += fit.convergence.on_kinks.empty() ? 0 : 1;
  }
  EXPECT_GT(kinked, 0) << "or nothing was tried";
}

// One sentence names them, and the mend that it gives is one.
TEST(RoundedKinks, AreNamedWithAMendThatHelps) {
  const Series y = ticks(7, 300);
  const Fit fit = estimate("const ar1 / garch / ged", y);
  EXPECT_THAT(fit.convergence.why, HasSubstr("mu, ar1 on kinks of the likelihood"));
  ASSERT_FALSE(fit.warnings.empty());
  EXPECT_EQ(fit.warnings.front().code, WarningCode::parameter_at_bound) << "no root is at an edge";
  EXPECT_THAT(fit.warnings.front().text, HasSubstr("with student shocks"));
  const Fit student = estimate("const ar1 / garch / student", y);
  EXPECT_TRUE(student.usable());
  EXPECT_TRUE(student.convergence.on_kinks.empty());
  EXPECT_TRUE(student["ar1"].se);
}

TEST(RoundedLikelihood, DerivativesAgreeWithDifferences) {
  struct AtPoint {
    const char* line;
    std::vector<double> theta;
  };
  for (const AtPoint& c :
       {AtPoint{"const ar1 / garch / ged", {.05, .1, .05, .1, .85, 1.05}},
        AtPoint{"const ar1 / egarch / ged", {.05, .1, -.02, .15, -.08, .95, 1}},
        AtPoint{"const ma1 / aparch / normal", {.05, .1, .05, .1, .4, .85, 1}}}) {
    const Model model = parse_model(c.line);
    const Series y = ticks(3, 120);
    JointLikelihood<double> likelihood(model, mean_data(model, y));
    for (const double over : {.3, .02}) {
      likelihood.round_kinks(over);
      const Derivatives<double> at = likelihood.evaluate(c.theta, Order::hessian);
      ASSERT_TRUE(at.admitted);
      for (std::size_t j = 0; j < c.theta.size(); ++j) {
        const double h = 1e-5 * over;
        std::vector<double> up = c.theta, down = c.theta;
        up[j] += h, down[j] -= h;
        const auto above = likelihood.evaluate(up, Order::gradient),
                   below = likelihood.evaluate(down, Order::gradient);
        // Central differences: their truncation grows with the curvature of the rounded kinks.
        EXPECT_NEAR((above.log_likelihood - below.log_likelihood) / (2 * h), at.gradient[j],
                    1e-5 * (1 + std::abs(at.gradient[j])) / over)
            << c.line << " " << j;
        for (std::size_t i = 0; i <= j; ++i)
          EXPECT_NEAR((above.gradient[i] - below.gradient[i]) / (2 * h), at.hessian[packed(j, i)],
                      1e-5 * (1 + std::abs(at.hessian[packed(j, j)])) / over)
              << c.line << " " << j << " " << i;
      }
    }
  }
}

}  // namespace
}  // namespace brace
