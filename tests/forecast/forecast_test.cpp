// SPDX-License-Identifier: Apache-2.0
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <regex>
#include <sstream>

#include "brace/estimation/estimate.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "families/shock_law.hpp"
#include "process/stepper.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

Fit fitted(const char* line = "const ar1 / garch / student") {
  Series y = simulate(parse_model("const ar1 / garch / student"), {.05, .3, .05, .1, .85, 6}, 1500,
                      {.seed = 3});
  y.unit = Unit::percent;
  y.kind = SeriesKind::log_return;
  const Timestamp start = *parse_date("2020-01-01");
  y.times = dates_after(start, Clock::business_day, y.size());
  y.clock = Clock::business_day;
  return estimate(line, y);
}

double estimate_of(const Fit& fit, const std::string& name) {
  for (const Parameter& p : fit.parameters)
    if (p.name == name) return p.estimate;
  throw std::out_of_range(name);
}

// Closed forms written out: E h_{n+k} = s2 + p^{k-1} (h_{n+1} - s2), mean mu + ar^k (y_n - mu).
TEST(Forecast, PointsAreTheClosedForms) {
  const Fit fit = fitted();
  const Forecast ahead = forecast(fit, {.horizon = 30, .draws = 100, .paths = 1});
  const double mu = estimate_of(fit, "mu"), ar = estimate_of(fit, "ar1"),
               omega = estimate_of(fit, "omega"), alpha = estimate_of(fit, "alpha1"),
               beta = estimate_of(fit, "beta1");
  const double p = alpha + beta, s2 = omega / (1 - p);
  const double h1 = omega + alpha * std::pow(fit.shocks.back(), 2) + beta * fit.variances.back();
  double of_return = 0;
  for (int k = 1; k <= 30; ++k) {
    const ForecastStep& s = ahead.steps[static_cast<std::size_t>(k - 1)];
    const double h = s2 + std::pow(p, k - 1) * (h1 - s2);
    of_return = h + ar * ar * of_return;  // Var of the k-step error
    EXPECT_NEAR(*s.variance / h, 1, 1e-12);
    EXPECT_NEAR(s.mean, mu + std::pow(ar, k) * (fit.data().back() - mu), 1e-12);
    EXPECT_NEAR(s.sd / std::sqrt(of_return), 1, 1e-12);
  }
  EXPECT_NEAR(*ahead.long_run_variance, s2, 1e-12);
}

TEST(Forecast, TotalsAgreeWithTheSumOfSimulatedPaths) {
  const Fit fit = fitted();
  const Forecast ahead = forecast(
      fit,
      {.horizon = 10, .intervals = {68, 95}, .method = ForecastMethod::plug_in, .draws = 4000});
  double mean = 0;
  for (const ForecastStep& s : ahead.steps) mean += s.mean;
  EXPECT_NEAR(ahead.horizon_total->mean, mean, 1e-12);
  // Var of the sum written out: shock i enters with 1 + ar + ... + ar^{10-i}.
  const double ar = estimate_of(fit, "ar1");
  double variance = 0;
  for (int i = 1; i <= 10; ++i) {
    const double weight = (1 - std::pow(ar, 11 - i)) / (1 - ar);
    variance += weight * weight * *ahead.steps[static_cast<std::size_t>(i - 1)].variance;
  }
  EXPECT_NEAR(ahead.horizon_total->sd, std::sqrt(variance), 1e-12);
  // Heavy tails draw the middle 68 % of the paths' sums in from the normal's .994 sd, and push the
  // 95 % out.
  const PredictionInterval &i68 = ahead.horizon_total->return_interval[0],
                           &i95 = ahead.horizon_total->return_interval[1];
  const double of_68 = (i68.high - i68.low) / 2 / ahead.horizon_total->sd,
               of_95 = (i95.high - i95.low) / 2 / ahead.horizon_total->sd;
  EXPECT_GT(of_68, .88);
  EXPECT_LT(of_68, .994);
  EXPECT_NEAR(of_95, 1.96, .06);
  EXPECT_NEAR(ahead.annualised->volatility, ahead.horizon_total->sd * std::sqrt(25.2), 1e-12);
}

TEST(Forecast, PlugInFirstStepIsTheLawItself) {
  const Fit fit = fitted();
  const Forecast ahead =
      forecast(fit, {.horizon = 3, .intervals = {95}, .method = ForecastMethod::plug_in});
  const ForecastStep& s = ahead.steps[0];
  const double reach =
      laws::unit_student_quantile(.975, estimate_of(fit, "nu")) * std::sqrt(*s.variance);
  EXPECT_NEAR(s.return_interval[0].high, s.mean + reach, 1e-12);
  EXPECT_TRUE(s.volatility_interval.empty()) << "known: a point, not an interval";
  EXPECT_FALSE(ahead.steps[1].volatility_interval.empty());
}

TEST(Forecast, FullHoldsMoreThanPlugIn) {
  const Fit fit = fitted();
  const auto width = [&](ForecastMethod method) {
    const Forecast ahead = forecast(fit, {.horizon = 20, .intervals = {95}, .method = method});
    const PredictionInterval& i = ahead.steps[19].volatility_interval[0];
    return i.high - i.low;
  };
  EXPECT_GT(width(ForecastMethod::full), width(ForecastMethod::plug_in));
  const Forecast full = forecast(fit, {.horizon = 1, .intervals = {50, 95}});
  const auto& v = full.steps[0].volatility_interval;
  ASSERT_EQ(v.size(), 2u) << "the first step's volatility is uncertain too";
  EXPECT_LT(v[1].low, v[0].low);
  EXPECT_GT(v[1].high, v[0].high);
  // Its width is that of the estimates: sd of sqrt(h_{n+1}) by the delta method on omega, alpha,
  // beta alone.
  EXPECT_GT(v[1].high - v[1].low, 0);
}

TEST(Forecast, DoesNotDependOnThreadsAndFollowsTheSeed) {
  const Fit fit = fitted();
  const ForecastOptions options{.horizon = 5, .draws = 500};
  const Forecast one = forecast(fit, options, Executor(1)),
                 two = forecast(fit, options, Executor(2));
  ForecastOptions other = options;
  other.seed = 2;
  const Forecast reseeded = forecast(fit, other);
  for (std::size_t k = 0; k < 5; ++k)
    for (std::size_t i = 0; i < 2; ++i) {
      EXPECT_EQ(one.steps[k].return_interval[i].low, two.steps[k].return_interval[i].low);
      EXPECT_EQ(one.steps[k].volatility_interval[i].high, two.steps[k].volatility_interval[i].high);
      EXPECT_NE(one.steps[k].return_interval[i].low, reseeded.steps[k].return_interval[i].low);
    }
}

TEST(Forecast, DatesFollowTheClock) {
  const Forecast ahead = forecast(fitted(), {.horizon = 6, .draws = 100, .paths = 1});
  const auto dates = dates_after(*ahead.origin, Clock::business_day, 6);
  for (std::size_t k = 0; k < 6; ++k) EXPECT_EQ(ahead.steps[k].date, dates[k]);
}

// Moving averages and sparse lags: psi weights and means against the recursion done by hand.
TEST(Forecast, MovingAveragesReachAsFarAsTheirLag) {
  Series y = simulate(parse_model("const ma1,3"), {1, .5, -.3, 1}, 2000, {.seed = 12});
  const Fit fit = estimate("const ma1,3", y);
  const Forecast ahead = forecast(fit, {.horizon = 5, .draws = 100, .paths = 2});
  const double mu = estimate_of(fit, "mu"), ma1 = estimate_of(fit, "ma1"),
               ma3 = estimate_of(fit, "ma3"), s2 = estimate_of(fit, "sigma2");
  const auto e = [&](std::size_t back) { return fit.shocks[fit.shocks.size() - 1 - back]; };
  EXPECT_NEAR(ahead.steps[0].mean, mu + ma1 * e(0) + ma3 * e(2), 1e-12);
  EXPECT_NEAR(ahead.steps[1].mean, mu + ma3 * e(1), 1e-12);
  EXPECT_NEAR(ahead.steps[2].mean, mu + ma3 * e(0), 1e-12);
  EXPECT_NEAR(ahead.steps[3].mean, mu, 1e-12);
  EXPECT_NEAR(ahead.steps[0].sd, std::sqrt(s2), 1e-12);
  EXPECT_NEAR(ahead.steps[1].sd, std::sqrt(s2 * (1 + ma1 * ma1)), 1e-12);
  EXPECT_NEAR(ahead.steps[4].sd, std::sqrt(s2 * (1 + ma1 * ma1 + ma3 * ma3)), 1e-12);
  EXPECT_FALSE(ahead.steps[0].date) << "no dates, none invented";
  EXPECT_FALSE(ahead.annualised) << "no clock, no year";
}

// The multi-step variance against the mean of many simulated paths from the same state.
TEST(Forecast, VarianceIsTheMeanOfSimulatedPaths) {
  const Model model = parse_model("zero / garch e1,2 h1 / student");
  const std::vector<double> theta{.1, .1, .1, .7, 8};
  const Series y = simulate(model, theta, 800, {.seed = 14});
  const Fit own = estimate(model, y);
  ASSERT_TRUE(own.usable());
  const Forecast ahead = forecast(
      own, {.horizon = 8, .intervals = {50}, .method = ForecastMethod::plug_in, .draws = 100});
  const double omega = estimate_of(own, "omega"), a1 = estimate_of(own, "alpha1"),
               a2 = estimate_of(own, "alpha2"), b1 = estimate_of(own, "beta1"),
               nu = estimate_of(own, "nu");
  constexpr int paths = 40000;
  std::vector<double> sum(8), squares(8);
  maths::RandomStream stream(15, 0);
  for (int p = 0; p < paths; ++p) {
    double h = own.variances.back(), q1 = std::pow(own.shocks.back(), 2),
           q2 = std::pow(own.shocks[own.shocks.size() - 2], 2);
    for (std::size_t k = 0; k < 8; ++k) {
      h = omega + a1 * q1 + a2 * q2 + b1 * h;
      sum[k] += h / paths;
      squares[k] += h * h / paths;
      q2 = q1;
      q1 = h * std::pow(stream.student(nu), 2);
    }
  }
  for (std::size_t k = 0; k < 8; ++k)  // 4.4 Monte Carlo errors, two-sided p 1e-5 each
    EXPECT_NEAR(*ahead.steps[k].variance, sum[k],
                4.4 * std::sqrt(std::max(0.0, squares[k] - sum[k] * sum[k]) / paths) + 1e-12)
        << k;
}

// Every family that has a closed form, against stepped paths from the end of its fit.
TEST(Forecast, ClosedFormsOfEveryFamilyAreMeansOfPaths) {
  const Series y = simulate(parse_model("const ar1 / gjr / student"),
                            {.1, .2, .05, .04, .1, .84, 8}, 1200, {.seed = 24});
  for (const char* line :
       {"const ar1 / gjr / skew-student", "zero / gjr e1,2 h1 / student",
        "const / igarch / student", "zero / ewma / ged", "const / twocomp / normal",
        "zero / longmem / normal", "zero / egarch / normal", "const / egarch e1,2 h1 / ged"}) {
    const Fit fit = estimate(line, y);
    ASSERT_TRUE(fit.usable()) << line;
    const Forecast ahead = forecast(
        fit, {.horizon = 6, .intervals = {50}, .method = ForecastMethod::plug_in, .draws = 100});
    const std::vector<double> theta = fit.estimates();
    const Past past = Past::after(fit.model, theta, fit.deviations, fit.shocks, fit.variances,
                                  fit.counted, fit.presample, {});
    const ParameterNames names = parameter_names(fit.model);
    const std::span<const double> shape =
        std::span(theta).subspan(names.mean.size() + names.variance.size());
    const std::size_t paths = std::holds_alternative<LongMemory>(fit.model.variance) ? 4000 : 20000;
    std::vector<double> sum(6), squares(6);
    maths::RandomStream stream(25, 0);
    Stepper step(fit.model, theta, past);
    for (std::size_t p = 0; p < paths; ++p) {
      step.restart(past);
      for (std::size_t k = 0; k < 6; ++k) {
        const double h = step.advance(shock_law(fit.model.shocks).draw(stream, shape), 0).h;
        sum[k] += h / static_cast<double>(paths);
        squares[k] += h * h / static_cast<double>(paths);
      }
    }
    for (std::size_t k = 0; k < 6; ++k)  // 4.4 Monte Carlo errors
      EXPECT_NEAR(*ahead.steps[k].variance, sum[k],
                  4.4 * std::sqrt(std::max(0.0, squares[k] - sum[k] * sum[k]) /
                                  static_cast<double>(paths)) +
                      1e-9 * sum[k])
          << line << " step " << k + 1;
  }
}

TEST(Forecast, StartsFromItsExpectationWhereTheLastValueIsMissing) {
  Series y = simulate(parse_model("const ar1 / garch"), {.5, .4, .1, .1, .8}, 900, {.seed = 16});
  y.values.back() = std::nan("");
  const Fit fit = estimate("const ar1 / garch", y);
  const Forecast ahead = forecast(fit, {.horizon = 1, .draws = 100, .paths = 2});
  const double h = fit.variances.back();
  EXPECT_NEAR(
      *ahead.steps[0].variance,
      estimate_of(fit, "omega") + (estimate_of(fit, "alpha1") + estimate_of(fit, "beta1")) * h,
      1e-12);
  EXPECT_TRUE(std::isfinite(ahead.steps[0].mean));
}

TEST(Forecast, HoldsPinnedAndHeldParametersStill) {
  const Fit fit = fitted("const ar1 ar1=0.3 / garch beta1=0.85 / student nu=6");
  ASSERT_TRUE(fit.usable());
  const Forecast ahead = forecast(fit, {.horizon = 2, .intervals = {95}});
  EXPECT_TRUE(std::isfinite(ahead.steps[1].return_interval[0].high));
  // Everything held: nothing is uncertain, so the first volatility interval shrinks to its point.
  const Fit known =
      fitted("const ar1 mu=0.05 ar1=0.3 / garch omega=0.05 alpha1=0.1 beta1=0.85 / student");
  const Forecast still = forecast(known, {.horizon = 1, .intervals = {95}});
  const PredictionInterval& v = still.steps[0].volatility_interval[0];
  EXPECT_NEAR(v.high / v.low, 1, 1e-9);
}

TEST(Forecast, RefusesOptionsOutOfRange) {
  const Fit fit = fitted();
  const auto message = [&](ForecastOptions options) {
    return std::string(test::error_of([&] { (void)forecast(fit, options); }).what());
  };
  EXPECT_EQ(message({.horizon = 0}), "horizon = 0: must lie between 1 and 100,000");
  EXPECT_EQ(message({.intervals = {95, 100}}),
            "intervals holds 100: each must lie above 0 and below 100 percent");
  EXPECT_EQ(message({.draws = 5}), "draws = 5: must be at least 100");
  const Fit failed = estimate("const / garch", *fit.series, {.starts = 1, .max_iterations = 1});
  const std::string what = test::error_of([&] { (void)forecast(failed); }).what();
  EXPECT_TRUE(what.starts_with(
      "'const / garch e1 h1 / normal' is failed: there is nothing to forecast from"))
      << what;
}

// In units of 1e9 the variances of mu, ar and sigma2 are 36 powers of ten apart.
TEST(Forecast, IsTheSameInEveryUnit) {
  const Series y =
      simulate(parse_model("const ar1 / garch"), std::vector{1., .3, .1, .1, .8}, 300, {.seed = 5});
  for (const char* line : {"const ar1", "trend ma1", "const ar1 / garch / student"})
    for (const double unit : {1e-9, 1e9}) {
      Series other = y;
      for (double& v : other.values) v *= unit;
      const ForecastOptions options{.horizon = 3, .draws = 400};
      const Forecast a = forecast(estimate(line, y), options),
                     b = forecast(estimate(line, other), options);
      // A few of four hundred draws are kept by a hair.
      EXPECT_NEAR(b.share_redrawn, a.share_redrawn, .01) << line << ' ' << unit;
      for (std::size_t k = 0; k < 3; ++k) {
        const ForecastStep &s = a.steps[k], &t = b.steps[k];
        // Two climbs end within 1e-6 standard errors of one another.
        EXPECT_NEAR(t.sd / unit, s.sd, 1e-5 * s.sd) << line << ' ' << unit;
        for (std::size_t i = 0; i < s.return_interval.size(); ++i) {
          // A draw that is kept by a hair in the one may be drawn again in the other.
          EXPECT_NEAR(t.return_interval[i].low / unit, s.return_interval[i].low, .05 * s.sd);
          EXPECT_NEAR(t.return_interval[i].high / unit, s.return_interval[i].high, .05 * s.sd);
        }
      }
    }
}

// Columns have room for numbers of any unit, and show them.
TEST(Forecast, PrintsAnyUnit) {
  for (const double unit : {1e-12, 1e-9, 1e-7, 1e-4, 1., 1e4, 1e7, 1e9, 1e12})
    for (const char* line : {"const ar1", "const / garch"}) {
      Series y = *fitted().series;
      for (double& v : y.values) v *= unit;
      std::ostringstream out;
      out << forecast(estimate(line, y), {.horizon = 3, .draws = 100, .paths = 10});
      std::istringstream rows(out.str());
      std::string row;
      int steps = 0;
      while (std::getline(rows, row)) {
        // "  2025-10-02  0.05  -2.1 to 2.2  1.08  0.9 to 1.2": numbers stand apart, and none but
        // the mean is 0.
        if (!row.starts_with("  20")) continue;
        ++steps;
        EXPECT_THAT(row, testing::MatchesRegex("  [-0-9]+( +-?[0-9.]+(e-?[0-9]+)?( to "
                                               "-?[0-9.]+(e-?[0-9]+)?)?)+"))
            << unit << ' ' << line;
        EXPECT_THAT(row, testing::Not(testing::ContainsRegex(" to 0\\.?0*( |$)"))) << unit;
        EXPECT_LE(row.size(), 100U);
      }
      EXPECT_GE(steps, 3) << out.str();
    }
}

TEST(Forecast, SaysAMeanOnce) {
  const Fit fit = estimate("const ar1", *fitted().series);
  const auto headline = [&](int horizon) {
    std::ostringstream text;
    text << forecast(fit, {.horizon = horizon, .method = ForecastMethod::plug_in});
    return text.str().substr(0, text.str().find('('));
  };
  EXPECT_THAT(headline(1), testing::MatchesRegex(".* is forecast at [-0-9.]+ in 1 [a-z]+ "));
  EXPECT_THAT(headline(3), testing::HasSubstr(" and "));
}

// Ends beyond which there is hardly a path are no numbers to be trusted.
TEST(Forecast, SaysWhereItKnowsNoEnd) {
  const Fit fit = fitted();
  const auto told = [&](const ForecastOptions& options) {
    std::string text;
    for (const Warning& warning : forecast(fit, options).warnings)
      if (warning.text.find("are expected beyond") != std::string::npos) text += warning.text;
    return text;
  };
  EXPECT_THAT(told({.horizon = 2, .intervals = {50, 99.9999}}),
              testing::HasSubstr("of 50,000 simulated paths 0.03 are expected beyond an end of the "
                                 "99.9999 % interval"));
  EXPECT_THAT(told({.horizon = 2, .tails = {.001, 5}}),
              testing::HasSubstr("0.5 are expected beyond the value-at-risk at 0.001 %"));
  EXPECT_EQ(told({.horizon = 2, .intervals = {99.9}, .tails = {.1}}), "");
}

// A mean and a variance may be all that is wanted; 99.5 percent may be too.
TEST(Forecast, NeedsNoIntervalAndTakesAnyPercentage) {
  const Fit fit = fitted();
  const Forecast full =
      forecast(fit, {.horizon = 3, .intervals = {99.5}, .draws = 200, .paths = 2});
  EXPECT_EQ(full.steps[2].return_interval[0].percent, 99.5);
  for (const char* line : {"const ar1 / garch / student", "const ar1"}) {
    const Fit plain = fitted(line);
    const Forecast bare =
        forecast(plain, {.horizon = 3, .intervals = {}, .tails = {}, .draws = 200, .paths = 2});
    const Forecast same = forecast(plain, {.horizon = 3, .draws = 200, .paths = 2});
    EXPECT_TRUE(bare.steps[2].return_interval.empty());
    EXPECT_EQ(bare.steps[2].mean, same.steps[2].mean);
    EXPECT_EQ(bare.steps[2].variance, same.steps[2].variance);
    std::ostringstream out;
    out << bare;
    EXPECT_EQ(out.str().find('%'), out.str().find("% of it is left")) << out.str();
  }
}

// Student's tails are too heavy for the exponential of egarch: beyond the next row neither variance
// nor shortfall has a mean. Quantiles exist.
TEST(Forecast, PrintsNoMeanThatIsInfinite) {
  const Series y = simulate(parse_model("const / egarch / student"), {.03, 0, .12, -.1, .97, 7},
                            1500, {.seed = 6});
  for (const char* law : {"student", "normal"}) {
    const Fit fit = estimate(std::string("const / egarch / ") + law, y);
    const Forecast ahead = forecast(fit, {.horizon = 4, .draws = 400, .paths = 5});
    EXPECT_TRUE(ahead.steps[0].tails[0].shortfall.has_value());
    const bool finite = std::string_view(law) == "normal";
    for (std::size_t k = 1; k < 4; ++k) {
      EXPECT_EQ(ahead.steps[k].tails[0].shortfall.has_value(), finite) << law;
      EXPECT_TRUE(std::isfinite(ahead.steps[k].tails[0].value_at_risk));
    }
    EXPECT_EQ(ahead.horizon_total->tails[0].shortfall.has_value(), finite);
    std::ostringstream out;
    out << ahead;
    EXPECT_EQ(out.str().find("their mean is infinite") == std::string::npos, finite) << out.str();
  }
}

TEST(Forecast, PrintsTheVerdictFirst) {
  std::ostringstream out;
  out << forecast(fitted(), {.horizon = 3, .draws = 200, .paths = 2});
  EXPECT_TRUE(out.str().starts_with("Volatility ")) << out.str();
  EXPECT_EQ(out.str().find("nan"), std::string::npos) << out.str();
  EXPECT_NE(out.str().find("percent a day"), std::string::npos);
  EXPECT_NE(out.str().find("a year of 252 days"), std::string::npos);
  std::istringstream lines(out.str());
  for (std::string line; std::getline(lines, line);) EXPECT_LE(line.size(), 100u) << line;
}

// ---- Levels, regressors, other scales ----

// A random walk with drift in closed form: mean y_n + mu h, variance sigma2 h.
TEST(LevelForecast, OfARandomWalkIsTheClosedForm) {
  const Series y = simulate(parse_model("const diff1"), {.3, 2}, 400, {.seed = 9});
  const Fit fit = estimate("const diff1", y);
  const Forecast ahead = forecast(fit, {.horizon = 12, .method = ForecastMethod::plug_in});
  for (const ForecastStep& s : ahead.steps) {
    EXPECT_NEAR(s.mean, y.values.back() + estimate_of(fit, "mu") * s.step, 1e-9);
    EXPECT_NEAR(s.sd, std::sqrt(estimate_of(fit, "sigma2") * s.step), 1e-9);
    // Simulated intervals around it, within four Monte Carlo errors of a quantile: 4 x 1.5 %.
    EXPECT_NEAR((s.return_interval.back().high - s.return_interval.back().low) / (2 * 1.96 * s.sd),
                1, .06);
  }
  EXPECT_FALSE(ahead.volatility_varies);
  EXPECT_NEAR(ahead.horizon_total->mean, 12 * estimate_of(fit, "mu"), 1e-9);
  std::ostringstream out;
  out << ahead;
  EXPECT_EQ(out.str().find("volatility"), std::string::npos) << "the level is the point";
}

std::string printed(const Forecast& ahead) {
  std::ostringstream out;
  out << ahead;
  return out.str();
}

// Returns add up over a horizon; levels do not, but what they change by does. Whatever is no return
// is not called one.
TEST(LevelForecast, HasATotalWhereValuesAddUp) {
  const Timestamp start = *parse_date("2020-01-01");
  const ForecastOptions options{.horizon = 5, .draws = 200, .paths = 5};
  Series level = simulate(parse_model("const ar1 / garch"), {80, .9, .1, .1, .8}, 600, {.seed = 4});
  level.times = dates_after(start, Clock::business_day, level.size());
  level.clock = Clock::business_day;
  const Forecast of_level = forecast(estimate("const ar1 / garch", level), options);
  EXPECT_TRUE(of_level.of_level);
  EXPECT_FALSE(of_level.horizon_total);
  EXPECT_FALSE(of_level.annualised);
  EXPECT_THAT(printed(of_level), StartsWith(level.name + " is forecast at 7"));
  EXPECT_THAT(printed(of_level), AllOf(HasSubstr("95 % of values"), HasSubstr("lowest values of"),
                                       HasSubstr("Volatility"), Not(HasSubstr("return")),
                                       Not(HasSubstr("total")), Not(HasSubstr("a year of"))));

  test::expect_error(ErrorCode::bad_option, "which does not add up over a year", [&] {
    (void)forecast(estimate("const ar1 / garch", level), {.horizon = 5, .per_year = 252.0});
  });

  const Forecast differenced = forecast(estimate("diff1 const / garch", level), options);
  EXPECT_TRUE(differenced.of_change);
  ASSERT_TRUE(differenced.horizon_total);
  EXPECT_NEAR(differenced.horizon_total->mean, differenced.steps.back().mean - level.values.back(),
              1e-9);
  EXPECT_THAT(printed(differenced),
              AllOf(HasSubstr("change over the horizon"), HasSubstr("a year of 252 days"),
                    Not(HasSubstr("return"))));

  const Fit of_returns = fitted();
  EXPECT_THAT(printed(forecast(of_returns, options)),
              AllOf(StartsWith("Volatility"), HasSubstr("95 % of returns"),
                    HasSubstr("total return"), HasSubstr("worst returns of the whole")));
  // No move from a figure to itself.
  for (const int horizon : {2, 3, 5, 10})
    EXPECT_FALSE(std::regex_search(
        printed(forecast(of_returns, {.horizon = horizon, .draws = 200, .paths = 5})),
        std::regex("from ([0-9.]+) to \\1[^0-9]")));
  // The same values with nothing known of them: told from zero, so they add up.
  Series values = *of_returns.series;
  values.kind = SeriesKind::values;
  values.unit.reset();
  const Forecast of_values = forecast(estimate("const ar1 / garch", values), options);
  ASSERT_TRUE(of_values.horizon_total);
  EXPECT_TRUE(of_values.annualised);
  EXPECT_THAT(printed(of_values), AllOf(StartsWith("Volatility"), HasSubstr("  total "),
                                        HasSubstr("lowest totals"), Not(HasSubstr("return"))));
}

// Exact and conditional forecasts of the same parameters agree once the start is forgotten.
TEST(LevelForecast, ExactAndConditionalAgreeFarFromTheStart) {
  const Series y = simulate(parse_model("diff1 ar1 ma1 sma4"), {.4, .3, .5, 1}, 400, {.seed = 9});
  const char* line = "diff1 ar1 ar1=0.4 ma1 ma1=0.3 sma4 sma4=0.5 / steady sigma2=1";
  const Forecast exact =
      forecast(estimate(line, y), {.horizon = 9, .method = ForecastMethod::plug_in});
  const Forecast conditional =
      forecast(estimate(line, y, {.likelihood = LikelihoodKind::conditional}),
               {.horizon = 9, .method = ForecastMethod::plug_in});
  for (std::size_t k = 0; k < 9; ++k) {
    // After 400 rows the share of the start is below that.
    EXPECT_NEAR(exact.steps[k].mean, conditional.steps[k].mean, 1e-6);
    EXPECT_NEAR(exact.steps[k].sd, conditional.steps[k].sd, 1e-6);
  }
}

TEST(LevelForecast, MissingAtTheEndWidensIt) {
  Series y = simulate(parse_model("diff1"), {1.0}, 200, {.seed = 9});
  const Series whole = y;
  for (std::size_t t = 195; t < 200; ++t) y.values[t] = std::numeric_limits<double>::quiet_NaN();
  const Fit fit = estimate("diff1", y);
  const Forecast ahead = forecast(fit, {.horizon = 1, .method = ForecastMethod::plug_in});
  EXPECT_NEAR(ahead.steps[0].mean, whole.values[194], 1e-9);
  EXPECT_NEAR(ahead.steps[0].sd, std::sqrt(6 * estimate_of(fit, "sigma2")), 1e-9);
  // The conditional way has no state to go on from, and says so.
  Series returns = y;
  EXPECT_EQ(test::error_of([&] { (void)forecast(estimate("diff1 / garch", returns), {}); }).code(),
            ErrorCode::too_few_observations);
}

// A lognormal's median is exp of the mean, its mean above it by half the variance.
TEST(LevelForecast, IsCarriedBackPathByPath) {
  Series log_y = simulate(parse_model("const ar1"), {3, .5, .04}, 500, {.seed = 2});
  Series price = log_y;
  for (double& v : price.values) v = std::exp(v);
  const Transformed made = transform(price, parse_chain("log"));
  const Fit fit = estimate("const ar1", made.series);
  const Forecast ahead = forecast(fit, {.horizon = 5,
                                        .method = ForecastMethod::plug_in,
                                        .transformed = std::make_shared<Transformed>(made)});
  ASSERT_EQ(ahead.original.size(), 5u);
  for (std::size_t k = 0; k < 5; ++k) {
    const ForecastStep& s = ahead.steps[k];
    // Monte Carlo of 50,000 paths: four errors are below a hundredth.
    EXPECT_NEAR(ahead.original[k].median / std::exp(s.mean), 1, .01);
    EXPECT_NEAR(ahead.original[k].mean / std::exp(s.mean + s.sd * s.sd / 2), 1, .01);
    EXPECT_LT(ahead.original[k].interval.back().low, ahead.original[k].median);
  }
  EXPECT_EQ(ahead.original_name, "simulated");
}

// Steps, fades and seasons go on after the end of the series.
TEST(LevelForecast, TermsOfDatesAndSeasonsGoOn) {
  Series y = simulate(parse_model("const harmonics 12:1"), {5, 2, -1, .01}, 120, {.seed = 2});
  const Fit fit = estimate("const harmonics 12:1", y);
  const Forecast ahead = forecast(fit, {.horizon = 24, .method = ForecastMethod::plug_in});
  for (std::size_t k = 0; k < 12; ++k) {
    EXPECT_NEAR(ahead.steps[k].mean, ahead.steps[k + 12].mean, 1e-9) << "the season repeats";
    const double turn = 2 * 3.141592653589793 * static_cast<double>(121 + k) / 12;
    EXPECT_NEAR(ahead.steps[k].mean, 5 + 2 * std::cos(turn) - std::sin(turn), .1);
  }
}

}  // namespace
}  // namespace brace
