// SPDX-License-Identifier: Apache-2.0
#include "brace/diagnosis/inference.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <sstream>
#include <string>

#include "brace/base/error.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

Series returns(const char* line, std::vector<double> parameters, std::size_t n = 1500,
               std::uint64_t seed = 6) {
  return simulate(parse_model(line), parameters, n, {.seed = seed});
}

// The definition itself: l, maximised with the parameter held at either end, lies 3.84 / 2 lower.
TEST(ProfileInterval, EndsWhereTheLikelihoodHasFallen) {
  struct Case {
    const char* line;
    std::vector<double> made;
    std::vector<const char*> quantities;
  };
  for (const Case& c :
       {Case{"const / garch / student",
             {.04, .05, .08, .87, 6},
             {"mu", "omega", "alpha1", "beta1", "nu"}},
        Case{"const ar1 / gjr / normal", {.04, .3, .05, .04, .08, .85}, {"ar1", "gamma1"}},
        Case{"const / egarch / normal", {.04, .02, .15, -.08, .95}, {"omega", "beta1", "gamma1"}},
        Case{"const ar1 / steady / normal", {.04, .5, 2}, {"ar1", "sigma2", "mu"}}}) {
    Series y = returns(c.line, c.made);
    for (double& v : y.values) v *= .02;  // the unit must not matter
    const Fit fit = estimate(c.line, y);
    ASSERT_TRUE(fit.usable());
    for (const char* quantity : c.quantities) {
      const ProfileInterval interval = profile_interval(fit, quantity);
      ASSERT_TRUE(interval.low && interval.high) << c.line << " " << quantity;
      for (const double end : {*interval.low, *interval.high}) {
        Model held = parse_model(c.line);
        held.held = {{quantity, end}};
        const Fit there = estimate(held, y);
        ASSERT_TRUE(there.usable());
        EXPECT_NEAR(*fit.log_likelihood - *there.log_likelihood, 1.9207, 2e-3)
            << c.line << " " << quantity << " at " << end;
      }
      EXPECT_LT(*interval.low, interval.estimate);
      EXPECT_GT(*interval.high, interval.estimate);
      for (const Parameter& p : fit.parameters)
        if (p.name == quantity) {
          EXPECT_NEAR(p.estimate, interval.estimate, 1e-6 * std::abs(p.estimate) + 1e-9);
        }
    }
  }
}

// Many rows: the likelihood is quadratic, and both kinds of interval are the same.
TEST(ProfileInterval, NearsTheSymmetricOne) {
  const Fit fit = estimate("const / garch / normal",
                           returns("const / garch / normal", {.04, .05, .08, .87}, 20000),
                           {.errors = StandardErrors::hessian});
  for (const char* quantity : {"mu", "alpha1", "beta1", "persistence"}) {
    const ProfileInterval i = profile_interval(fit, quantity);
    const double width = *i.symmetric_high - *i.symmetric_low;
    EXPECT_NEAR(*i.low, *i.symmetric_low, .05 * width) << quantity;
    EXPECT_NEAR(*i.high, *i.symmetric_high, .05 * width) << quantity;
  }
}

// Persistence of a garch: each end, with beta1 replaced by end - alpha1, is a held likelihood.
TEST(ProfileInterval, OfPersistenceKnowsItsBound) {
  const Series y = returns("const / garch / normal", {.04, .01, .06, .93}, 1200);
  const Fit fit = estimate("const / garch / normal", y);
  const ProfileInterval i = profile_interval(fit, "persistence");
  ASSERT_TRUE(i.low);
  EXPECT_GT(*i.low, 0);
  EXPECT_LT(*i.low, *fit.persistence);
  // Right of it the likelihood may not fall so far before one.
  if (!i.high) {
    EXPECT_NEAR(*i.bound_high, 1, 2e-5);
  } else {
    EXPECT_LE(*i.high, 1);
    EXPECT_GT(*i.high, *fit.persistence);
  }
  // Skewed to the left, unlike the symmetric one.
  const double up = (i.high ? *i.high : *i.bound_high) - *fit.persistence;
  EXPECT_LT(up, *fit.persistence - *i.low);
  // On the profile at the low end: no alpha1 gives more.
  double best = -1e300;
  for (double alpha = .02; alpha < .14; alpha += .002) {
    Model held = parse_model("const / garch / normal");
    held.held = {{"alpha1", alpha}, {"beta1", *i.low - alpha}};
    best = std::max(best, *estimate(held, y).log_likelihood);
  }
  EXPECT_NEAR(*fit.log_likelihood - best, 1.9207, .02);
}

TEST(ProfileInterval, CoversAsItSays) {
  int covered = 0, runs = 0;
  for (std::uint64_t seed = 0; seed < 300; ++seed) {
    const Fit fit = estimate("zero / garch / normal",
                             returns("zero / garch / normal", {.05, .08, .87}, 2000, 900 + seed));
    if (fit.convergence.status == FitStatus::failed) continue;
    ++runs;
    const ProfileInterval i = profile_interval(fit, "beta1");
    const double low = i.low ? *i.low : *i.bound_low, high = i.high ? *i.high : *i.bound_high;
    covered += low <= .87 && .87 <= high;
  }
  // Two errors of a share of .95 over 300 are .025.
  EXPECT_EQ(runs, 300);
  EXPECT_NEAR(covered / 300.0, .95, .03);
}

TEST(ProfileInterval, RefusesWhatItDoesNotKnow) {
  const Fit fit =
      estimate("const / garch / normal", returns("const / garch / normal", {.04, .05, .08, .87}));
  EXPECT_EQ(std::string(test::error_of([&] { (void)profile_interval(fit, "gamma1"); }).what()),
            "no profile of 'gamma1' in 'const / garch e1 h1 / normal': it has mu, omega, alpha1, "
            "beta1, persistence");
  EXPECT_EQ(test::error_of([&] { (void)profile_interval(fit, "mu", 100); }).code(),
            ErrorCode::bad_option);
  // The estimates of a targeted variance are no maximum, and its certificate says what they are.
  const Fit targeted =
      estimate("const / garch / normal", returns("const / garch / normal", {.04, .05, .08, .87}),
               {.target_variance = true});
  EXPECT_NE(targeted.convergence.why.find("omega from the variance of the sample"),
            std::string::npos);
  EXPECT_NE(std::string(test::error_of([&] { (void)profile_interval(targeted, "beta1"); }).what())
                .find("no maximum of the likelihood"),
            std::string::npos);
}

// The row of a pulse is fitted exactly, so that its score is 0 there: without its part of the
// Hessian the sandwich would call the pulse known (an error of .04 of the true one).
TEST(RobustErrors, OfAPulseCoverAsTheySay) {
  int covered = 0, series = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    Series y = returns("const ar1 / steady / normal", {.04, .3, 2}, 300, seed);
    y.clock = Clock::day;
    for (std::size_t t = 0; t < y.size(); ++t)
      y.times.push_back(Timestamp(std::chrono::sys_days(std::chrono::year(2020) / 1 / 1)) +
                        std::chrono::days(t));
    y.values[100] += 12;
    const Fit fit = estimate("const ar1 with pulse:" + y.when(100), y);
    ASSERT_TRUE(fit.usable());
    for (const Parameter& p : fit.parameters)
      if (p.name.starts_with("with:pulse")) {
        ASSERT_TRUE(p.se_robust && p.se_hessian && p.se_opg);
        ++series;
        covered += std::abs(p.estimate - 12) < 1.96 * *p.se_robust ? 1 : 0;
      }
  }
  EXPECT_EQ(series, 400);
  // Two Monte Carlo errors of 1.1 points; the scores of the row after it count on top.
  EXPECT_NEAR(covered / 400.0, .95, .022);
}

// One pulse a row that outweighs the others, and nothing is left to say of it; other terms keep the
// errors that they have.
TEST(RobustErrors, OfOtherTermsDoNotMoveWithAPulse) {
  Series y = returns("const / garch / student", {.04, .05, .08, .87, 6}, 700, 9);
  y.clock = Clock::day;
  for (std::size_t t = 0; t < y.size(); ++t)
    y.times.push_back(Timestamp(std::chrono::sys_days(std::chrono::year(2020) / 1 / 1)) +
                      std::chrono::days(t));
  Series gap = y;
  gap.values[350] = std::nan("");
  y.values[350] = -69;
  EXPECT_TRUE(
      has_warning(estimate("const / garch / student", y).warnings, WarningCode::few_rows_decide));
  const Fit fit = estimate("const with pulse:" + y.when(350) + " / garch / student", y);
  EXPECT_FALSE(has_warning(fit.warnings, WarningCode::few_rows_decide));
  const Fit without = estimate("const / garch / student", gap);
  for (const Parameter& p : without.parameters)
    for (const Parameter& q : fit.parameters)
      if (p.name == q.name) {
        // A missing row leaves the variance its expectation, a shock of 0 lowers it: a tenth of an
        // error apart.
        EXPECT_NEAR(p.estimate, q.estimate, .2 * *p.se) << p.name;
        EXPECT_NEAR(*q.se / *p.se, 1, .1) << p.name;
      }
}

TEST(WaldTest, IsTheSquareOfTWithOneParameter) {
  const Fit fit = estimate("const ar1 / garch / normal",
                           returns("const ar1 / garch / normal", {.04, .1, .05, .08, .87}));
  const TestResult one = wald_test(fit, {{"ar1", 0}});
  const Parameter& ar1 = fit.parameters[1];
  EXPECT_NEAR(one.statistic, *ar1.t * *ar1.t, 1e-9 * one.statistic);
  EXPECT_NEAR(*one.p_value, *ar1.p_value, 1e-9);
  EXPECT_EQ(one.null, "ar1 = 0");
  // Joint: never less than either alone.
  const TestResult two = wald_test(fit, {{"ar1", 0}, {"beta1", .5}});
  EXPECT_GE(two.statistic, one.statistic - 1e-9);
  EXPECT_GE(two.statistic, wald_test(fit, {{"beta1", .5}}).statistic - 1e-9);
  EXPECT_EQ(two.dof, std::vector<double>{2});
  EXPECT_EQ(two.reading, "the data reject ar1 = 0 and beta1 = 0.5");
}

// On many rows Wald's statistic and the likelihood ratio agree.
TEST(WaldTest, AgreesWithTheLikelihoodRatio) {
  const Series y = returns("const ar1 / garch / normal", {.04, .02, .05, .08, .87}, 20000);
  const Fit large = estimate("const ar1 / garch / normal", y, {.errors = StandardErrors::hessian});
  const Fit small = estimate("const / garch / normal", y);
  const double ratio = 2 * (*large.log_likelihood - *small.log_likelihood);
  EXPECT_NEAR(wald_test(large, {{"ar1", 0}}).statistic, ratio, .03 * ratio + .01);
}

TEST(WaldTest, RefusesWhatHasNoError) {
  const Fit fit =
      estimate("const / garch / normal", returns("const / garch / normal", {.04, .05, .08, .87}));
  const auto message = [&](std::vector<Held> values) {
    return std::string(test::error_of([&] { (void)wald_test(fit, values); }).what());
  };
  EXPECT_EQ(message({{"ar1", 0}}),
            "Wald test: there is no 'ar1' in 'const / garch e1 h1 / normal'");
  EXPECT_EQ(message({{"mu", 0}, {"mu", 1}}), "Wald test: 'mu' is named twice");
  EXPECT_EQ(message({}), "a Wald test needs a value for at least one parameter");
}

TEST(MeanBeside, IsTheMeanAloneOnTheSameRows) {
  const Series y = returns("const ar1 / garch / student", {.04, .2, .05, .1, .85, 5});
  const Fit joint = estimate("const ar1 / garch / student", y);
  const MeanBeside beside = mean_beside(joint);
  const Fit alone =
      estimate("const ar1 / steady / normal", y, {.likelihood = LikelihoodKind::conditional});
  ASSERT_EQ(beside.rows.size(), 2U);
  for (std::size_t j = 0; j < 2; ++j) {
    EXPECT_EQ(beside.rows[j].joint, joint.parameters[j].estimate);
    EXPECT_NEAR(beside.rows[j].alone, alone.parameters[j].estimate, 1e-9);
    EXPECT_NEAR(*beside.rows[j].alone_error, *alone.parameters[j].se_hessian, 1e-9);
  }
  // Weighting by the variance pays: the joint error is the smaller.
  EXPECT_LT(*beside.rows[1].joint_error, *beside.rows[1].alone_robust_error);
  std::ostringstream text;
  text << beside;
  EXPECT_NE(text.str().find("beside those of 'const ar1 / steady / normal' alone"),
            std::string::npos);
  EXPECT_EQ(test::error_of([&] { (void)mean_beside(alone); }).code(), ErrorCode::bad_option);
}

}  // namespace
}  // namespace brace
