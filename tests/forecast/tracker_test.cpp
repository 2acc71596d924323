// SPDX-License-Identifier: Apache-2.0
// A tracker says of each coming row what update() and a plug-in forecast say; the law of a row has
// the quantiles and tail means of the law itself.
#include <gtest/gtest.h>

#include <array>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <cmath>
#include <limits>
#include <string>
#include <vector>

#include "brace/estimation/estimate.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/forecast/tracker.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

struct Followed {
  const char* line;
  std::vector<double> parameters;
  double missing = 0;  // share of the rows
};

// Every family, law, mean and lag set that a tracker takes.
const std::vector<Followed>& followed() {
  static const std::vector<Followed> all{
      {"const / garch / normal", {.03, .02, .08, .9}},
      {"const ar1 / garch e1,2 h1 / student", {.03, .2, .02, .05, .04, .88, 6}, .1},
      {"const ma1 / arch e1,3 / ged", {.03, .3, .5, .2, .1, 1.4}, .05},
      {"zero / igarch / normal", {.02, .08}},
      {"const / gjr / skew-student", {.03, .02, .04, .08, .88, 7, -.1}, .1},
      {"const / egarch / normal", {.03, -.02, .15, -.06, .97}, .05},
      {"const / aparch / student", {.03, .02, .06, .3, .9, 1.5, 8}, .05},
      {"const / twocomp / normal", {.03, .01, .06, .8, .99, .03}},
      {"const / longmem / normal", {.03, .05, .2, .4, .5}, .02},
      {"zero / ewma / student", {.06, 6}, .1},
      {"const risk sd / garch / normal", {.01, .05, .02, .08, .9}},
      {"diff1 const ma1 / garch / normal", {.01, -.3, .02, .08, .9}},
      {"const ar1 ma1 / steady / normal", {.4, .6, .3, 1.2}, .1},
      {"diff1 const ma1 / steady / normal", {.02, -.4, 1}, .1},
      {"diff1,12 ma1 sma12 / steady / normal", {-.4, -.5, 1}},
      {"const / steady / student", {.1, 1, 6}, .1},
  };
  return all;
}

// An ewma process dies out: its rows are another's.
Series made_by(const char* line, const std::vector<double>& parameters, std::size_t n) {
  const Model model = parse_model(line);
  return std::holds_alternative<Ewma>(model.variance)
             ? simulate(parse_model("zero / garch / normal"), {.02, .08, .9}, n, {.seed = 5})
             : simulate(model, parameters, n, {.seed = 5});
}

class TrackerFollows : public ::testing::TestWithParam<std::size_t> {};

TEST_P(TrackerFollows, WhatUpdateAndForecastSay) {
  const Followed& c = followed()[GetParam()];
  constexpr std::size_t kFitted = 400, kMore = 60;
  Series y = made_by(c.line, c.parameters, kFitted + kMore);
  maths::RandomStream stream(9, 0);
  for (std::size_t t = 20; t + 1 < y.size(); ++t)
    if (stream.uniform() < c.missing) y.values[t] = kNone;
  Series first = y, more = y;
  first.keep_rows(0, kFitted);
  KnownFit known{.model = parse_model(c.line)};
  for (const double v : c.parameters) known.parameters.push_back({.name = "", .estimate = v});
  known.convergence.status = FitStatus::converged;
  known.covariance = Matrix(c.parameters.size(), c.parameters.size());
  if (!first.missing()) known.presample.reset();
  const Fit fit = restore(known, std::make_shared<Series>(first));
  Tracker tracker(fit);
  for (std::size_t t = kFitted; t < y.size(); ++t) {
    const NextRow& next = tracker.push(y.values[t]);
    EXPECT_EQ(tracker.rows(), t + 1 - kFitted);
    EXPECT_NEAR(tracker.quantile(.3), next.quantile(.3), 1e-12 * (1 + next.sd()));
    EXPECT_NEAR(tracker.value_at_risk(2.5), next.value_at_risk(2.5), 1e-12 * (1 + next.sd()));
    EXPECT_NEAR(tracker.shortfall(2.5), next.shortfall(2.5), 1e-12 * (1 + next.sd()));
    Series rows = y;
    rows.keep_rows(kFitted, t + 1);
    const Forecast plug_in = forecast(update(fit, rows), {.horizon = 1,
                                                          .method = ForecastMethod::plug_in,
                                                          .draws = 100,
                                                          .paths = 1,
                                                          .simulation_errors = false});
    const ForecastStep& step = plug_in.steps.front();
    ASSERT_NEAR(next.mean(), step.mean, 1e-9 * (1 + std::abs(step.mean))) << c.line << " row " << t;
    ASSERT_NEAR(next.sd() / step.sd, 1, 1e-9) << c.line << " row " << t;
    // Both sums are rounded, in another order.
    ASSERT_NEAR(next.value_at_risk(1), step.tails.front().value_at_risk,
                1e-8 * (1 + std::abs(step.tails.front().value_at_risk)));
    ASSERT_NEAR(next.shortfall(1), *step.tails.front().shortfall,
                1e-8 * (1 + std::abs(*step.tails.front().shortfall)));
  }
}
INSTANTIATE_TEST_SUITE_P(AllModels, TrackerFollows, ::testing::Range<std::size_t>(0, 16));

Fit known_fit(const char* line, std::vector<double> parameters, std::size_t n = 500) {
  KnownFit known{.model = parse_model(line)};
  for (const double v : parameters) known.parameters.push_back({.name = "", .estimate = v});
  known.convergence.status = FitStatus::converged;
  known.covariance = Matrix(parameters.size(), parameters.size());
  return restore(known, std::make_shared<Series>(made_by(line, parameters, n)));
}

TEST(Tracker, AVarianceThatDiesOutIsNoFit) {
  KnownFit known{.model = parse_model("zero / ewma / normal")};
  known.parameters.push_back({.name = "", .estimate = .5});
  known.convergence.status = FitStatus::converged;
  const Fit fit = restore(known, std::make_shared<Series>(make_series(std::vector(300, 0.0))));
  EXPECT_FALSE(fit.usable());
  test::expect_error(ErrorCode::bad_option, "not positive", [&] { (void)forecast(fit); });
  test::expect_error(ErrorCode::bad_option, "not positive", [&] { Tracker{fit}; });
}

TEST(Tracker, CopiesGoTheirOwnWays) {
  Tracker one(known_fit("const / garch / normal", {.03, .02, .08, .9}));
  Tracker other = one;
  one.push(4);
  const double calm = other.push(.03).sd();
  EXPECT_GT(one.next().sd(), 1.2 * calm);
  other = one;
  EXPECT_EQ(other.next().sd(), one.next().sd());
}

TEST(Tracker, EveryLevelIsRightHoweverManyAreAsked) {
  const Tracker tracker(known_fit("const / garch / student", {.03, .02, .08, .9, 6}));
  for (const int pass : {1, 2})
    for (int level = 1; level < 60; ++level) {
      const double percent = level + .25 * pass;
      EXPECT_NEAR(tracker.value_at_risk(percent), tracker.next().value_at_risk(percent), 1e-12);
      EXPECT_NEAR(tracker.shortfall(percent), tracker.next().shortfall(percent), 1e-12);
    }
  test::expect_error(ErrorCode::bad_option, "between 0 and 1", [&] { (void)tracker.quantile(1); });
}

TEST(Tracker, RefusesWhatItCannotFollow) {
  const Fit seasonal = known_fit("const harmonics 12:1 / steady / normal", {0, 1, 1, 1});
  test::expect_error(ErrorCode::bad_option, "harmonics 12:1", [&] { Tracker{seasonal}; });
  Fit failed = known_fit("const / garch / normal", {.03, .02, .08, .9});
  failed.convergence.status = FitStatus::failed;
  test::expect_error(ErrorCode::bad_option, "failed", [&] { Tracker{failed}; });
  Tracker tracker(known_fit("diff1 const / garch / normal", {.03, .02, .08, .9}));
  const double before = tracker.next().mean();
  test::expect_error(ErrorCode::too_few_observations, "differences", [&] { tracker.push(kNone); });
  test::expect_error(ErrorCode::not_finite, "squares", [&] { tracker.push(1e120); });
  EXPECT_EQ(tracker.rows(), 0U);
  EXPECT_EQ(tracker.next().mean(), before);
}

// Against forecast(), whose means of h are tested against simulation in forecast_test.cpp.
TEST(VariancePath, IsTheForecastsOwn) {
  for (const Followed& c : followed()) {
    if (std::string(c.line).find("aparch") != std::string::npos) continue;
    const Fit fit = known_fit(c.line, c.parameters);
    const Forecast ahead = forecast(fit, {.horizon = 20,
                                          .method = ForecastMethod::plug_in,
                                          .draws = 100,
                                          .paths = 1,
                                          .simulation_errors = false});
    const std::vector<double> path = variance_path(fit, 20);
    ASSERT_EQ(path.size(), 20U);
    for (std::size_t k = 0; k < 20; ++k)
      EXPECT_NEAR(path[k] / ahead.steps[k].variance.value(), 1, 1e-12) << c.line << " step " << k;
  }
}

TEST(VariancePath, IsInfiniteWhereTheMeanIs) {
  // E exp(.15 |z|) does not exist under a Student law.
  const std::vector<double> path =
      variance_path(known_fit("const / egarch / student", {.03, -.02, .15, -.06, .97, 6}), 3);
  EXPECT_TRUE(std::isfinite(path[0]));
  EXPECT_TRUE(std::isinf(path[1]) && path[1] > 0);
  test::expect_error(ErrorCode::bad_option, "closed form", [&] {
    (void)variance_path(known_fit("const / aparch / student", {.03, .02, .06, .3, .9, 1.5, 8}), 5);
  });
}

struct Law {
  Shocks shocks;
  std::vector<double> shape;
};
const Law kLaws[] = {{Normal{}, {}}, {Student{}, {5}},          {Ged{}, {1.3}},
                     {Ged{}, {2.5}}, {SkewStudent{}, {6, -.3}}, {SkewStudent{}, {9, .2}}};

// The tail mean is the integral of the quantiles below it, in p = share v^4.
double shortfall_by_quantiles(const NextRow& next, double share) {
  return boost::math::quadrature::gauss_kronrod<double, 61>::integrate(
      [&](double v) { return 4 * v * v * v * next.quantile(share * v * v * v * v); }, 0.0, 1.0, 12,
      1e-10);
}

TEST(NextRow, QuantilesInvertTheDistributionAndTailsAreMeansOfQuantiles) {
  for (const Law& law : kLaws) {
    const NextRow next{.shocks = law.shocks, .parts = {{.2, 4, law.shape}}};
    EXPECT_NEAR(next.mean(), .2, 1e-15);
    EXPECT_NEAR(next.sd(), 2, 1e-15);
    for (const double p : {.001, .01, .05, .3, .5, .7, .99}) {
      EXPECT_NEAR(next.cdf(next.quantile(p)), p, 1e-9);
      EXPECT_EQ(next.value_at_risk(100 * p), next.quantile(100 * p / 100));
      EXPECT_NEAR(next.shortfall(100 * p), shortfall_by_quantiles(next, p), 2e-6)
          << law_name(law.shocks) << " at " << p;
    }
    // The density is the slope of the distribution, and the whole law's tail mean its mean.
    for (const double y : {-3.0, -.4, .5, 1.7}) {
      const double slope = (next.cdf(y + 1e-4) - next.cdf(y - 1e-4)) / 2e-4;
      EXPECT_NEAR(std::exp(next.log_density(y)), slope, 1e-7);
    }
    EXPECT_NEAR(next.shortfall(100 - 1e-9), .2, 1e-6);
  }
}

TEST(NextRow, AMixtureLiesBetweenItsPartsAndKnowsItsVariance) {
  const NextRow next{.shocks = Student{}, .parts = {{0, 1, {6}}, {.5, 4, {4.5}}, {-.2, .3, {30}}}};
  EXPECT_NEAR(next.mean(), .1, 1e-15);
  EXPECT_NEAR(next.variance(), (1 + 4 + .3 + .01 + .16 + .09) / 3, 1e-14);
  for (const double p : {.01, .2, .9}) {
    EXPECT_NEAR(next.cdf(next.quantile(p)), p, 1e-10);
    // The error of a quadrature of quantiles that run off to infinity.
    EXPECT_NEAR(next.shortfall(100 * p), shortfall_by_quantiles(next, p), 2e-6);
  }
  test::expect_error(ErrorCode::bad_option, "between 0 and 1", [&] { (void)next.quantile(1); });
  test::expect_error(ErrorCode::bad_option, "between 0 and 100", [&] { (void)next.shortfall(0); });
}

// Of a normal law: -mean + sd phi(z) / p in closed form (McNeil, Frey and Embrechts 2015, 2.14).
TEST(NextRow, NormalShortfallIsTheTextbooks) {
  const NextRow next{.shocks = Normal{}, .parts = {{.1, 2.25, {}}}};
  EXPECT_NEAR(next.shortfall(2.5), .1 - 1.5 * 2.3378027922013937, 1e-12);
}

}  // namespace
}  // namespace brace
