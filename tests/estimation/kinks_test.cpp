// SPDX-License-Identifier: Apache-2.0
// Likelihoods with a kink in mu at every value of the series: the slopes on both sides of a kink,
// and that no fit ends below a kink, or a place between two, next to where it ended.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

struct Kinked {
  const char* line;
  std::vector<double> theta;
};

// The slope of the log-likelihood in mu steps by twice that of |e| where mu passes a value.
TEST(Kinks, StepByTheSlopesOfTheBackwardRecursion) {
  const Kinked models[] = {
      {"const / egarch / student", {0, -.05, .2, -.08, .95, 7}},
      {"const / egarch e1,2 h1,2 / normal", {0, -.05, .2, .1, -.08, .03, .5, .4}},
      {"const / egarch / ged", {0, -.02, .15, -.08, .97, 1}},
      {"const / egarch / skew-student", {0, -.02, .15, -.08, .97, 6, -.2}},
      {"const / aparch / student", {0, .05, .1, .4, .85, 1, 6}},
      {"const / aparch e1,3 h1 / normal", {0, .05, .1, .05, .4, -.2, .8, 1}},
      {"const / garch / ged", {0, .05, .1, .85, 1}}};
  for (const Kinked& k : models) {
    const Model model = parse_model(k.line);
    Series y =
        simulate(parse_model("const / garch / student"), {.03, .05, .1, .85, 6}, 400, {.seed = 8});
    y.values[200] = std::nan("");
    const MeanData data = mean_data(model, y);
    const std::size_t mean = 1, shapes = shock_law(model.shocks).shapes.size();
    const VarianceFamily& family = variance_family(model.variance);
    const ShockLaw& law = shock_law(model.shocks);
    const std::size_t lags = family.may_kink ? shock_lags(model.variance)->size() : 0;
    for (const std::size_t row : {5U, 150U, 199U, 201U, 396U}) {
      std::vector<double> theta = k.theta;
      theta[0] = y.values[row];
      JointLikelihood<double> likelihood(model, data);
      JointLikelihood<double>::Path path;
      ASSERT_TRUE(likelihood.path(theta, path)) << k.line;
      const std::span<const double> all(theta),
          shape = all.last(shapes), variance = all.subspan(mean, theta.size() - mean - shapes);
      std::vector<double> e(y.size()), by_log_h(y.size()), slopes(y.size() * lags);
      for (std::size_t t = 0; t < y.size(); ++t) {
        const bool known = !std::isnan(y.values[t]);
        e[t] = known ? path.e[t] : std::nan("");
        const double z = path.e[t] / std::sqrt(path.h[t]);
        by_log_h[t] = known ? -.5 - .5 * z * law.score(z, shape) : 0;
      }
      family.news_slopes(model, variance, shape, {.e = e, .h = path.h, .by_log_h = by_log_h},
                         slopes);
      double expected = law.rough ? law.rough(shape).at(0).slope / std::sqrt(path.h[row]) : 0;
      for (std::size_t i = 0; i < lags; ++i)
        expected += slopes[row * lags + i] * family.rough_news(model, variance, i).at(1e-12).slope;
      // Without the tilt of aparch's news, which is no kink.
      if (std::holds_alternative<Aparch>(model.variance))
        for (std::size_t i = 0; i < lags; ++i)
          expected -= .5 * slopes[row * lags + i] *
                      (family.rough_news(model, variance, i).at(1e-12).slope +
                       family.rough_news(model, variance, i).at(-1e-12).slope);
      const auto slope = [&](double side) {
        std::vector<double> beside = theta;
        beside[0] += side * 1e-10;
        return likelihood.evaluate(beside, Order::gradient).gradient[0];
      };
      EXPECT_NEAR(slope(1) - slope(-1), 2 * expected, 2e-5 * (1 + std::abs(expected)))
          << k.line << " row " << row;
    }
  }
}

TEST(ShockLaws, ScoresAreTheSlopesOfTheirDensities) {
  const std::pair<const char*, std::vector<double>> laws[] = {
      {"const / steady / normal", {}},
      {"const / steady / student", {5}},
      {"const / steady / ged", {1.3}},
      {"const / steady / skew-student", {6, -.3}}};
  for (const auto& [line, shape] : laws) {
    const ShockLaw& law = shock_law(parse_model(line).shocks);
    for (const double z : {-4., -1.1, -.2, .3, .9, 3.5})
      EXPECT_NEAR(law.score(z, shape),
                  (law.log_density(z + 1e-6, shape) - law.log_density(z - 1e-6, shape)) / 2e-6,
                  1e-7)
          << line << " at " << z;
  }
}

// Every kink next to the end, climbed with mu held there, lies below it; so does every place
// between.
TEST(Kinks, NoneNextToTheEndIsHigher) {
  const Kinked made[] = {{"const / egarch / skew-student", {.04, 0, .15, -.1, .97, 7, -.15}},
                         {"const / egarch / ged", {.04, 0, .15, -.1, .97, 1.2}},
                         // Free, delta is hardly known, and its likelihood rough below .6.
                         {"const / aparch delta=0.9 / student", {.04, .02, .06, .6, .93, .9, 6}}};
  constexpr int kBeside = 25;
  for (const Kinked& k : made)
    for (const std::uint64_t seed : {1U, 2U, 3U}) {
      const Model model = parse_model(k.line);
      const Series y = simulate(model, k.theta, 1200, {.seed = seed});
      const Fit fit = estimate(model, y);
      ASSERT_TRUE(fit.usable()) << k.line << " " << seed;
      std::vector<double> values = y.values;
      std::sort(values.begin(), values.end());
      const double mu = fit["mu"].estimate;
      const auto at = std::lower_bound(values.begin(), values.end(), mu) - values.begin();
      for (int i = -kBeside; i < kBeside; ++i) {
        const double low = values[static_cast<std::size_t>(at + i)],
                     high = values[static_cast<std::size_t>(at + i + 1)];
        for (const double there : {low, .5 * (low + high)}) {
          Model held = model;
          held.held.push_back({"mu", there});
          std::vector<double> start = fit.estimates();
          start[0] = there;
          const Fit other = estimate(
              held, y, {.start = start, .from = ClimbFrom::start, .hessian_errors_only = true});
          if (other.usable()) {
            EXPECT_LE(*other.log_likelihood, *fit.log_likelihood + 1e-6)
                << k.line << " seed " << seed << " place " << i;
          }
        }
      }
    }
}

}  // namespace
}  // namespace brace
