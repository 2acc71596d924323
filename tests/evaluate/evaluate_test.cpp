// SPDX-License-Identifier: Apache-2.0
// Accuracy against the known answer, comparison of models, forecasts of a hold-out.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sstream>

#include "brace/brace.hpp"
#include "support/known_answers.hpp"
#include "support/made.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::HasSubstr;

// What `fit` says of a level is said where models are compared and judged, unless all of them take
// a trend or differences.
TEST(Evaluation, SaysWhereALevelIsModelled) {
  const Series level = test::walk(1, 500);
  const auto warned = [](const auto& result) {
    return has_warning(result.warnings, WarningCode::level_modelled);
  };
  const BacktestOptions options{.window = 300, .refit_every = 50, .origins = 30};
  EXPECT_TRUE(warned(estimate("const ar1", level)));
  EXPECT_TRUE(warned(compare({"const ar1", "const ar1,2"}, level)));
  EXPECT_TRUE(warned(backtest({"const ar1", "const diff1"}, level, options)));
  EXPECT_FALSE(warned(estimate("const diff1", level)));
  EXPECT_FALSE(warned(compare({"const diff1", "const diff1 ar1"}, level)));
  EXPECT_FALSE(warned(backtest({"const diff1", "const diff1 ar1"}, level, options)));
}

TEST(Accuracy, KnownAnswer) {
  const test::Json answer = test::known_answer("o32");
  const test::Tolerance tol(answer);
  const auto list = [&](const char* name) {
    return answer["inputs"][name].get<std::vector<double>>();
  };
  const std::vector<double> actual = list("actual"), forecast = list("forecast"),
                            training = list("training");
  const Accuracy a = accuracy(actual, forecast, {.training = training, .step = 1});
  const test::Json& want = answer["expected"];
  for (const auto& [name, got] :
       {std::pair{"me", a.bias}, std::pair{"rmse", a.rmse}, std::pair{"mae", a.mae},
        std::pair{"mape", *a.mape}, std::pair{"mase", *a.mase},
        std::pair{"acf1", a.memory->autocorrelation}})
    test::expect_close(got, want[name], tol.abs, tol.rel, name);
}

TEST(Accuracy, SaysWhyThereAreNoPercentages) {
  const std::vector<double> zero{1, 0, 2}, crossing{1, -1, 2}, f{1, 1, 1};
  EXPECT_EQ(accuracy(zero, f).no_percent, "an actual value is 0");
  EXPECT_FALSE(accuracy(zero, f).mape);
  EXPECT_EQ(accuracy(crossing, f).no_percent, "the actual values change sign");
  const double nan = std::numeric_limits<double>::quiet_NaN();
  EXPECT_EQ(accuracy(std::vector{1.0, nan, 3.0}, f).n, 2u);
  EXPECT_EQ(test::error_of([&] { (void)accuracy(std::vector{nan}, std::vector{1.0}); }).code(),
            ErrorCode::too_few_observations);
  EXPECT_STREQ(test::error_of([&] { (void)accuracy(zero, std::vector{1.0}); }).what(),
               "accuracy: 3 actual values and 1 forecasts");
  EXPECT_THAT(
      test::error_of([&] { (void)accuracy(zero, f, {.baseline = std::span(f).first(2)}); }).what(),
      HasSubstr("lists of 3 and 2 rows"));
}

// A baseline scores 1 against itself at every step, whatever the origins knew.
TEST(Accuracy, IsRelativeToWhatTheOriginsKnew) {
  const Series y = test::walk(31, 300);
  for (const std::size_t step : {1u, 2u, 7u}) {
    std::vector<double> actual, known, better;
    for (std::size_t t = step; t < y.size(); ++t) {
      actual.push_back(y.values[t]);
      known.push_back(y.values[t - step]);
      better.push_back((y.values[t] + y.values[t - step]) / 2);
    }
    const AccuracyOptions options{.baseline = known, .from = known, .step = static_cast<int>(step)};
    EXPECT_EQ(accuracy(actual, known, options).relative->rmse, 1) << step;
    EXPECT_FALSE(accuracy(actual, known, options).directions) << "a walk names no direction";
    const Accuracy half = accuracy(actual, better, options);
    EXPECT_NEAR(half.relative->rmse, .5, 1e-12) << step;
    EXPECT_NEAR(half.relative->mae, .5, 1e-12) << step;
    EXPECT_EQ(half.directions->right, 1);
    EXPECT_TRUE(half.directions->of_change);
  }
}

TEST(Accuracy, DirectionsAreThoseOfMovesWithTheRateOfTheCommonerOne) {
  // Rises, rises, stands, falls, rises; called up, down, up, down and not at all.
  const std::vector<double> actual{1, 2, 0, -1, 3}, forecast{1, -1, 1, -2, 0};
  const Accuracy signs = accuracy(actual, forecast);
  EXPECT_EQ(signs.directions->n, 3u) << "one stood, one was not called";
  EXPECT_NEAR(signs.directions->right, 2. / 3, 1e-15);
  EXPECT_NEAR(signs.directions->commoner, 2. / 3, 1e-15);
  EXPECT_FALSE(signs.directions->of_change);
}

// The mean of a series that was centred, or a walk, is off by rounding: that is no direction.
TEST(Accuracy, RoundingIsNoDirection) {
  const std::vector<double> moves{1, -2, .5, 3};
  for (const double unit : {1e-9, 1., 1e9})
    for (const double level : {0., 1e6}) {
      std::vector<double> actual, forecast, from;
      for (std::size_t t = 0; t < moves.size(); ++t) {
        actual.push_back(unit * (level + moves[t]));
        from.push_back(unit * level);
        forecast.push_back(unit * (level + (t % 2 == 0 ? 1 : -1) * (level == 0 ? 1e-17 : 1e-10)));
      }
      EXPECT_FALSE(accuracy(actual, forecast, {.from = from}).directions) << unit << ' ' << level;
      for (double& f : forecast) f += .01 * unit;
      EXPECT_EQ(accuracy(actual, forecast, {.from = from}).directions->n, 4U);
    }
}

// The bias of h-step errors, which overlap, covers 0 about as often as a standard error should: the
// plain error would not.
TEST(Accuracy, BiasKnowsThatErrorsOverlap) {
  constexpr int kSeries = 400, kStep = 5;
  int covered = 0, white = 0;
  for (std::uint64_t s = 0; s < kSeries; ++s) {
    const Series shocks = test::white(1000 + s, 405);
    std::vector<double> error(400), zero(400, 0);
    for (std::size_t t = 0; t < error.size(); ++t)
      for (std::size_t k = 0; k < kStep; ++k) error[t] += shocks.values[t + k];
    const Accuracy a = accuracy(error, zero, {.step = kStep});
    covered += std::abs(a.bias) < 1.96 * *a.bias_error;
    white += !*a.memory->test.rejects();
    EXPECT_EQ(a.memory->lag, kStep) << "nearer errors share shocks";
  }
  // Bartlett's weights at bandwidth 5 hold .67 of the variance: 89 % where all of it would be 95.
  EXPECT_GT(covered, .85 * kSeries);
  EXPECT_GT(white, .9 * kSeries) << "one error a step is tested";
}

TEST(Accuracy, FindsErrorsWithMemory) {
  const Series y = simulate(parse_model("zero ar1"), {.5, 1}, 300, {.seed = 9});
  const std::vector<double> zero(y.size(), 0);
  const Accuracy a = accuracy(y.values, zero, {.step = 1});
  // Three standard errors of an autocorrelation of 300 rows.
  EXPECT_NEAR(a.memory->autocorrelation, .5, .2);
  EXPECT_TRUE(*a.memory->test.rejects());
  EXPECT_FALSE(accuracy(y.values, zero).memory) << "errors of one origin are not meant to be white";
}

Series made(std::uint64_t seed, std::size_t n = 400) {
  return simulate(parse_model("const ar1"), {3, .7, 1}, n, {.seed = seed});
}

TEST(Compare, PutsModelsSideBySide) {
  const Comparison c = compare({"const", "const ar1", "const ar1 ma1"}, made(2), {.hold_out = 40});
  ASSERT_EQ(c.models.size(), 3u);
  EXPECT_EQ(c.training.size(), 360u);
  EXPECT_EQ(c.baselines.size(), 2u);
  EXPECT_FALSE(c.conditional);
  EXPECT_LT(*c.models[0].whiteness_p, 1e-6);
  EXPECT_GT(*c.models[1].whiteness_p, .01);
  EXPECT_FALSE(c.models[0].correlation) << "a constant moves with nothing";
  EXPECT_GT(*c.models[1].correlation, .5);
  // 1 in 2, 1 in 3, 2 in 3.
  ASSERT_EQ(c.nested.size(), 3u);
  EXPECT_NEAR(c.nested[0].test.statistic,
              2 * (*c.models[1].fit->log_likelihood - *c.models[0].fit->log_likelihood), 1e-12);
  EXPECT_TRUE(*c.nested[0].test.rejects());
  EXPECT_EQ(c.nested[2].test.dof[0], 1);
  for (const Compared& m : c.models) EXPECT_EQ(m.hold_out->mean.size(), 40u);
  for (const std::vector<Compared>* part : {&c.models, &c.baselines})
    for (const Compared& m : *part) {
      ASSERT_EQ(m.hold_out->accuracy.coverage.size(), 2u);
      EXPECT_EQ(m.hold_out->accuracy.coverage[1].percent, 95);
      EXPECT_EQ(m.hold_out->intervals.size(), 40u);
    }
  EXPECT_EQ(c.baselines[1].hold_out->accuracy.relative->rmse, 1) << "the walk against itself";
  EXPECT_EQ(c.baselines[1].hold_out->one_step_accuracy.relative->rmse, 1);
  // One step ahead an AR(1) beats the mean; all ahead the two nearly agree.
  EXPECT_LT(c.models[1].hold_out->one_step_accuracy.rmse, c.models[0].hold_out->accuracy.rmse);
  EXPECT_NEAR(c.models[0].hold_out->mean[0], *c.models[0].hold_out->one_step.begin(), 1e-9);
  std::ostringstream out;
  out << c;
  EXPECT_THAT(out.str(), HasSubstr("1 in 2: likelihood ratio"));
  EXPECT_THAT(out.str(), HasSubstr("Exact likelihood on 360 observations"));
  EXPECT_THAT(out.str(), HasSubstr("Hold-out of 40 rows"));
}

TEST(Compare, ScoresAllByTheConditionalLikelihoodWhereOneNeedsIt) {
  const Comparison c = compare({"const ar1", "const ar1 / garch / student"}, made(3));
  EXPECT_TRUE(c.conditional);
  EXPECT_FALSE(c.models[0].fit->exact);
  EXPECT_TRUE(c.nested.empty()) << "another law and family";
}

// A lag stands with its kind and AR terms before MA terms, whichever model comes first.
TEST(Compare, ListsParametersByKind) {
  std::ostringstream out;
  out << compare({"const ma1 / garch", "const ar1,2 / garch e1,2"}, made(2));
  std::string::size_type at = 0;
  for (const char* name : {"mu ", "ar1 ", "ar2 ", "ma1 ", "omega ", "alpha1 ", "alpha2 ", "beta1 "}) {
    const auto next = out.str().find(std::string("  ") + name, at);
    ASSERT_NE(next, std::string::npos) << name << " in\n" << out.str();
    at = next;
  }
}

TEST(Compare, RefusesWhatMayNotBeCompared) {
  EXPECT_THAT(test::error_of([] {
                (void)compare({"const ar1", "diff1 ar1"}, made(2));
              }).what(),
              HasSubstr("are differenced differently, so their likelihoods are of different data"));
  Series y = made(2);
  y.companions = {{"x", std::vector<double>(y.size(), 0.0)}};
  for (std::size_t t = 0; t < y.size(); ++t) y.companions[0].values[t] = std::sin(double(t));
  EXPECT_THAT(test::error_of([&] {
                (void)compare({"const ar1", "const ar1 with x@1"}, y);
              }).what(),
              HasSubstr("criteria of other rows do not compare"));
  EXPECT_EQ(test::error_of([] { (void)compare(std::vector<std::string>{}, made(2)); }).code(),
            ErrorCode::bad_option);
}

// The forecast of the hold-out made with the hold-out's own regressors; the filter over the whole
// gives the one-step errors that a fit of the whole at the same parameters has.
TEST(HoldOut, TakesRegressorsFromIt) {
  Series y = made(5, 300);
  y.companions = {{"x", {}}};
  for (std::size_t t = 0; t < y.size(); ++t) {
    y.companions[0].values.push_back(t % 7 == 0 ? 1 : 0);
    y.values[t] += 10 * y.companions[0].values[t];
  }
  const HoldOutSplit parts = split(y, {.count = 30});
  const Fit fit = estimate("const ar1 with x", parts.training);
  const HoldOutForecast f = forecast_hold_out(fit, parts.held_out);
  for (std::size_t h = 0; h < 30; ++h) EXPECT_EQ(f.mean[h] > 8, (270 + h) % 7 == 0) << h;
  const Evaluation whole = evaluate(fit.model, y, fit.estimates());
  for (std::size_t h = 0; h < 30; ++h)
    EXPECT_NEAR(f.one_step[h], y.values[270 + h] - whole.shocks[270 + h], 1e-9);
}

}  // namespace
}  // namespace brace
