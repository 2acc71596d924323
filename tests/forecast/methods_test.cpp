// SPDX-License-Identifier: Apache-2.0
// Methods of forecasting, tail risk, scenarios, quick draws, and fits that take more rows.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <boost/math/distributions/chi_squared.hpp>
#include <cmath>
#include <numbers>
#include <numeric>
#include <regex>
#include <sstream>

#include "brace/diagnosis/law_fit.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "brace/series/split.hpp"
#include "families/shock_law.hpp"
#include "forecast/draws.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

Series returns(const char* line, std::vector<double> parameters, std::size_t n = 1200) {
  Series y = simulate(parse_model(line), parameters, n, {.seed = 13});
  y.kind = SeriesKind::log_return;
  y.name = "y";
  y.times = dates_after(*parse_date("2020-01-01"), Clock::business_day, n);
  y.clock = Clock::business_day;
  return y;
}
Fit garch_fit(std::size_t n = 1200) {
  return estimate("const / garch / student",
                  returns("const / garch / student", {.05, .05, .1, .85, 6}, n));
}
double width(const std::vector<PredictionInterval>& i) {
  return i.back().high - i.back().low;
}

TEST(ForecastMethods, AllAgreeWhereTheModelIsRightAndRowsAreMany) {
  const Fit fit = garch_fit(6000);
  const Forecast full = forecast(fit, {.horizon = 5});
  for (const ForecastMethod method :
       {ForecastMethod::plug_in, ForecastMethod::resampled, ForecastMethod::refit}) {
    const Forecast other = forecast(fit, {.horizon = 5, .method = method, .refits = 100});
    EXPECT_EQ(other.method, method);
    for (std::size_t k = 0; k < 5; ++k) {
      EXPECT_NEAR(width(other.steps[k].return_interval) / width(full.steps[k].return_interval), 1,
                  .06)
          << to_string(method) << " " << k;
      EXPECT_NEAR(other.steps[k].mean, full.steps[k].mean, 1e-12);
    }
  }
}

// Few rows: refits know that estimates are uncertain, plug-in does not.
TEST(ForecastMethods, RefitHoldsTheEstimatesUncertainty) {
  const Fit fit = garch_fit(500);
  const ForecastOptions options{.horizon = 10, .method = ForecastMethod::refit, .refits = 200};
  const Forecast refit = forecast(fit, options), again = forecast(fit, options, Executor(2));
  EXPECT_EQ(refit.steps[9].return_interval[1].low, again.steps[9].return_interval[1].low);
  ASSERT_FALSE(refit.steps[0].volatility_interval.empty());
  const PredictionInterval& first = refit.steps[0].volatility_interval[1];
  EXPECT_LT(first.low, std::sqrt(*refit.steps[0].variance));
  EXPECT_GT(first.high, std::sqrt(*refit.steps[0].variance));
  EXPECT_GT(first.high - first.low, .05 * std::sqrt(*refit.steps[0].variance));
  const Forecast plug_in = forecast(fit, {.horizon = 10, .method = ForecastMethod::plug_in});
  EXPECT_GT(width(refit.steps[9].volatility_interval), width(plug_in.steps[9].volatility_interval));
}

// A variance that does not move, with the prior of Jeffreys: n s2 / omega is chi-squared with n
// degrees of freedom, n s2 being the sum of squares.
TEST(ShortSamples, DrawsHaveTheLawOfTheTextbook) {
  Model model = parse_model("zero / arch / normal");
  model.held = {{"alpha1", 0}};
  for (const std::size_t n : {40U, 300U}) {
    const Series y = returns("zero / arch / normal", {2, 0}, n);
    const Fit fit = estimate(model, y, {.errors = StandardErrors::hessian});
    const Forecast ahead = forecast(fit, {.horizon = 1, .intervals = {80, 95}});
    ASSERT_TRUE(ahead.effective_draws);
    EXPECT_GT(*ahead.effective_draws, 500);
    double sum = 0;
    for (const double v : y.values) sum += v * v;
    const boost::math::chi_squared law(static_cast<double>(n));
    for (const PredictionInterval& i : ahead.steps[0].volatility_interval) {
      const double tail = (1 - i.percent / 100.0) / 2,
                   low = std::sqrt(sum / boost::math::quantile(law, 1 - tail)),
                   high = std::sqrt(sum / boost::math::quantile(law, tail));
      EXPECT_NEAR(i.low, low, .1 * (high - low)) << n << " " << i.percent;
      EXPECT_NEAR(i.high, high, .1 * (high - low)) << n << " " << i.percent;
    }
  }
}

// One free parameter, whose law can be summed up by hand: beta, by the likelihood, the root of its
// information and (1 - p^2)^(-1/2), p the persistence.
TEST(ShortSamples, PersistenceHasTheReferencePriorOfAnAutoregression) {
  constexpr double kOmega = .05, kAlpha = .08;
  const Series y = returns("zero / garch / normal", {kOmega, kAlpha, .9}, 150);
  Model model = parse_model("zero / garch / normal");
  model.held = {{"omega", kOmega}, {"alpha1", kAlpha}};
  const Fit fit = estimate(model, y, {.errors = StandardErrors::hessian});
  const PredictionInterval band =
      forecast(fit, {.horizon = 1, .intervals = {80}}).steps[0].volatility_interval[0];
  const double before = fit.presample;
  ASSERT_NEAR(fit.variances[0], kOmega + (kAlpha + fit.estimates()[2]) * before, 1e-12);
  // The volatility of the next row grows with beta: what lies below an end of the band is a share
  // of the sum.
  double all = 0, below_low = 0, below_high = 0;
  const double top = fit.log_likelihood.value();
  for (double beta = .00005; beta < 1 - kAlpha; beta += .0001) {
    double h = before, slope = 0, square = before, log_likelihood = 0, information = 0;
    for (const double e : y.values) {
      slope = h + beta * slope;
      h = kOmega + kAlpha * square + beta * h;
      square = e * e;
      log_likelihood -= .5 * (std::log(2 * std::numbers::pi * h) + square / h);
      information += .5 * slope * slope / (h * h);
    }
    const double volatility = std::sqrt(kOmega + kAlpha * square + beta * h),
                 persistence = kAlpha + beta,
                 density = std::exp(log_likelihood - top) *
                           std::sqrt(information / (1 - persistence * persistence));
    all += density;
    if (volatility < band.low) below_low += density;
    if (volatility < band.high) below_high += density;
  }
  // The Monte Carlo error of the draws, and that of the grid.
  EXPECT_NEAR(below_low / all, .1, .015);
  EXPECT_NEAR(below_high / all, .9, .015);
}

// Where the likelihood is nearly normal both ways of drawing say the same; nothing depends on the
// threads.
TEST(ShortSamples, AgreeWithTheNormalLawWhereThatIsRight) {
  const Series y = returns("const / garch / normal", {.05, .05, .12, .8}, 520);
  const Fit just_short = estimate("const / garch / normal", rows_between(y, 21, 520)),
            just_long = estimate("const / garch / normal", rows_between(y, 20, 520));
  const Forecast sampled = forecast(just_short, {.horizon = 5}),
                 normal = forecast(just_long, {.horizon = 5}),
                 again = forecast(just_short, {.horizon = 5}, Executor(2));
  EXPECT_TRUE(sampled.effective_draws);
  EXPECT_FALSE(normal.effective_draws);
  for (std::size_t k = 0; k < 5; ++k) {
    // Alike, not equal: the likelihood of 500 rows is only nearly normal.
    EXPECT_NEAR(
        width(sampled.steps[k].volatility_interval) / width(normal.steps[k].volatility_interval), 1,
        .35)
        << k;
    EXPECT_EQ(sampled.steps[k].volatility_interval[1].low,
              again.steps[k].volatility_interval[1].low);
  }
  std::ostringstream text;
  text << sampled;
  const std::string flat = std::regex_replace(text.str(), std::regex("\\s+"), " ");
  EXPECT_NE(flat.find("drawn from the likelihood itself"), std::string::npos);
}

// Noise without memory: alpha at 0, where the normal law knows of no error of alpha and beta. The
// likelihood does, and the volatility of the next row is uncertain by more than its level.
TEST(ShortSamples, BoundsAreNoEndOfUncertainty) {
  bool found = false;
  for (std::uint64_t seed = 1; seed < 40 && !found; ++seed) {
    const Series y = simulate(parse_model("const / steady / normal"), {0, 1}, 250, {.seed = seed});
    const Fit fit = estimate("const / garch / normal", y);
    if (!fit.usable() || !fit.parameters[2].at_bound) continue;
    found = true;
    const Forecast ahead = forecast(fit, {.horizon = 3});
    ASSERT_TRUE(ahead.effective_draws);
    // The level alone: 1.96 sd of a standard deviation is 1.96 / sqrt(2 n) = .088.
    EXPECT_GT(width(ahead.steps[0].volatility_interval), 2 * .088);
  }
  EXPECT_TRUE(found);
}

// A series that is made again goes on from the levels that were there, each at its own lag.
TEST(ForecastMethods, RefitsOfADifferenceBeginAtTheLevelsOfTheSeries) {
  Series y = returns("zero / steady", {1}, 300);
  for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += 40 + y.values[t - 1];
  const Fit fit = estimate("const diff2", y);
  const ForecastOptions options{.horizon = 2, .method = ForecastMethod::refit, .refits = 100};
  const Forecast refit = forecast(fit, options),
                 plug_in = forecast(fit, {.horizon = 2, .method = ForecastMethod::plug_in});
  for (std::size_t k = 0; k < 2; ++k)
    EXPECT_NEAR(width(refit.steps[k].return_interval) / width(plug_in.steps[k].return_interval), 1,
                .15)  // of 100 refits
        << k;
}

TEST(Windows, AverageIsTheMeanOfItsParts) {
  Series y = returns("const / garch / normal", {.05, .05, .1, .85}, 1200);
  for (std::size_t t = 900; t < 1200; ++t) y.values[t] *= 2;  // a break
  const Fit whole = estimate("const / garch / normal", y);
  const std::vector<Fit> fits = fit_windows(whole, 4, 300, Executor(2));
  ASSERT_EQ(fits.size(), 4U);
  EXPECT_EQ(fit_windows(whole, 2, 300).size(), 2U) << "two are enough";
  EXPECT_EQ(fits[1].count, 900U);
  EXPECT_EQ(fits[3].count, 300U);
  EXPECT_EQ(fits[3].first + fits[3].count, 1200U);
  const ForecastOptions options{.horizon = 4, .method = ForecastMethod::plug_in};
  const Forecast average = forecast_averaged(fits, options, Executor(1));
  EXPECT_EQ(average.windows, (std::vector<std::size_t>{1200, 900, 600, 300}));
  for (std::size_t k = 0; k < 4; ++k) {
    double mean = 0, variance = 0, lowest = 1e9, highest = 0, of_return = 0;
    for (const Fit& fit : fits) {
      const ForecastStep s = forecast(fit, options).steps[k];
      mean += s.mean / 4;
      variance += *s.variance / 4;
      of_return += (s.sd * s.sd + s.mean * s.mean) / 4;
      lowest = std::min(lowest, s.return_interval[1].low);
      highest = std::max(highest, s.return_interval[1].low);
    }
    const ForecastStep& s = average.steps[k];
    EXPECT_NEAR(s.mean, mean, 1e-12);
    EXPECT_NEAR(*s.variance, variance, 1e-12);
    EXPECT_NEAR(s.sd, std::sqrt(of_return - mean * mean), 1e-12);
    // Of the mixture: between those of its parts, and its first volatility is no point any more.
    EXPECT_GE(s.return_interval[1].low, lowest);
    EXPECT_LE(s.return_interval[1].low, highest);
    EXPECT_FALSE(s.volatility_interval.empty());
  }
  const Forecast one = forecast_averaged({whole}, options, Executor(1)),
                 same = forecast(whole, options);
  std::vector<Fit> some = fits;
  some[1].convergence.status = FitStatus::failed;
  const Forecast rest = forecast_averaged(some, options, Executor(1));
  EXPECT_EQ(rest.windows, (std::vector<std::size_t>{1200, 600, 300}));
  EXPECT_EQ(rest.warnings.back().code, WarningCode::windows_left_out);
  EXPECT_TRUE(one.windows.empty());
  EXPECT_EQ(one.steps[3].return_interval[0].low, same.steps[3].return_interval[0].low);
  EXPECT_NE(
      std::string(test::error_of([&] { (void)fit_windows(whole, 1, 300, Executor(1)); }).what())
          .find("at least two"),
      std::string::npos);
  EXPECT_NE(
      std::string(test::error_of([&] { (void)fit_windows(whole, 3, 1200, Executor(1)); }).what())
          .find("shorter than the whole"),
      std::string::npos);
  const Fit other = estimate("const / garch / normal", rows_between(y, 0, 900));
  EXPECT_NE(std::string(test::error_of([&] {
                          (void)forecast_averaged({whole, other}, options, Executor(1));
                        }).what())
                .find("same row"),
            std::string::npos);
  EXPECT_NE(
      std::string(test::error_of([&] { (void)forecast_averaged({}, options, Executor(1)); }).what())
          .find("no fits"),
      std::string::npos);
}

TEST(ForecastMethods, ResampledShocksAreThoseSeen) {
  const Fit fit = garch_fit();
  // One step, parameters almost known: no path beyond the largest residual seen.
  const Forecast ahead = forecast(
      fit, {.horizon = 1, .intervals = {99}, .method = ForecastMethod::resampled, .tails = {.05}});
  std::vector<double> z = fit.standardised().values;
  const double least = *std::min_element(z.begin(), z.end());
  const double sd = ahead.steps[0].sd;
  EXPECT_GT(ahead.steps[0].tails[0].value_at_risk, ahead.steps[0].mean + 1.35 * least * sd);
  EXPECT_LT(ahead.steps[0].tails[0].value_at_risk, ahead.steps[0].mean + .5 * least * sd);
}

// A variance that does not move: n s2 / omega is chi-squared with n degrees of freedom. Refits made
// with omega = s2 are off by the same factor, and by that the interval reaches further up than
// down, where their percentiles would reach further down.
TEST(ForecastMethods, RefitVolatilityHasTheIntervalOfTheTextbook) {
  Model model = parse_model("zero / arch / normal");
  model.held = {{"alpha1", 0}};
  for (const std::size_t n : {40U, 200U}) {
    Series y = returns("zero / arch / normal", {2, 0}, n);
    // The shocks seen are a normal law's.
    for (std::size_t t = 0; t < n; ++t)
      y.values[t] = laws::normal_quantile((static_cast<double>(t) + .5) / static_cast<double>(n));
    double sum = 0;
    for (const double v : y.values) sum += v * v;
    const Fit fit = estimate(model, y, {.errors = StandardErrors::hessian});
    const Forecast ahead = forecast(
        fit,
        {.horizon = 4, .intervals = {80, 95}, .method = ForecastMethod::refit, .refits = 4000});
    const boost::math::chi_squared law(static_cast<double>(n));
    for (std::size_t i = 0; i < 2; ++i) {
      const PredictionInterval& interval = ahead.steps[3].volatility_interval[i];
      const double tail = (1 - interval.percent / 100.0) / 2,
                   low = std::sqrt(sum / boost::math::quantile(law, 1 - tail)),
                   high = std::sqrt(sum / boost::math::quantile(law, tail));
      EXPECT_NEAR(interval.low, low, .05 * (high - low)) << n << " " << interval.percent;
      EXPECT_NEAR(interval.high, high, .05 * (high - low)) << n << " " << interval.percent;
      // Of four such rows together.
      const PredictionInterval& total = ahead.horizon_total->volatility_interval[i];
      EXPECT_NEAR(total.low, 2 * interval.low, 1e-9);
      EXPECT_NEAR(total.high, 2 * interval.high, 1e-9);
    }
  }
}

// Refits that fail are named as such, and below 500 rows the text tells what the likelihood is for.
TEST(ForecastMethods, RefitSaysWhatIsItsOwn) {
  const Fit few = garch_fit(300);
  std::ostringstream text;
  text << forecast(few, {.horizon = 2, .method = ForecastMethod::refit, .refits = 30});
  EXPECT_NE(std::regex_replace(text.str(), std::regex("\\s+"), " ")
                .find("is rough here: the spread of volatility"),
            std::string::npos)
      << text.str();
  // Of so many parameters on so few rows some refits end nowhere, but few: where the climb from
  // what made their data fails, others follow (4 of 5 were replaced on the first series before).
  const auto tiny = [](std::uint64_t stream) {
    const Fit fit = estimate("const ar1 / egarch / normal",
                             simulate(parse_model("const / garch / student"),
                                      {.05, .05, .1, .85, 6}, 50, {.seed = 5, .stream = stream}));
    EXPECT_TRUE(fit.usable());
    return forecast(fit, {.horizon = 2, .method = ForecastMethod::refit, .refits = 40});
  };
  EXPECT_LT(tiny(1).share_redrawn, .25);
  const Forecast ahead = tiny(2);
  ASSERT_GT(ahead.share_redrawn, .05);
  const auto said =
      std::find_if(ahead.warnings.begin(), ahead.warnings.end(),
                   [](const Warning& w) { return w.code == WarningCode::draws_rejected; });
  ASSERT_NE(said, ahead.warnings.end());
  EXPECT_NE(said->text.find("of the refits reached no maximum"), std::string::npos) << said->text;
}

// In a unit in which omega and its error are tiny beside those of the others the interval is the
// same, in that unit.
TEST(ForecastMethods, TheUnitDoesNotMatterToRefits) {
  const ForecastOptions options{.horizon = 5, .method = ForecastMethod::refit, .refits = 60};
  Series y = returns("const / garch / student", {.05, .05, .1, .85, 6}, 800);
  const Forecast percent = forecast(estimate("const / garch / student", y), options);
  constexpr double kUnit = 1e-4;
  for (double& v : y.values) v *= kUnit;
  const Forecast fraction = forecast(estimate("const / garch / student", y), options);
  for (std::size_t k = 0; k < 5; ++k) {
    const PredictionInterval &a = percent.steps[k].volatility_interval[1],
                             &b = fraction.steps[k].volatility_interval[1];
    // Refits are climbed anew in the other unit; order statistics of sixty move with their last
    // digits.
    EXPECT_NEAR(b.low / kUnit, a.low, 1e-3 * a.low) << k;
    EXPECT_NEAR(b.high / kUnit, a.high, 1e-3 * a.high) << k;
  }
}

// On a bound estimates know of no error: refits that end there must not blow the interval up.
TEST(ForecastMethods, RefitsOnABoundStayInReason) {
  for (std::uint64_t stream = 0; stream < 4; ++stream) {
    const Series y = simulate(parse_model("const / gjr / normal"), {.05, .1, .02, .1, .8}, 120,
                              {.seed = 3, .stream = stream});
    const Fit fit = estimate("const / gjr / normal", y);
    ASSERT_TRUE(fit.usable());
    const Forecast ahead =
        forecast(fit, {.horizon = 3, .method = ForecastMethod::refit, .refits = 100});
    std::vector<PredictionInterval> all{ahead.horizon_total->volatility_interval[1]};
    for (const ForecastStep& s : ahead.steps) all.push_back(s.volatility_interval[1]);
    for (const PredictionInterval& i : all) {
      EXPECT_GT(i.low, 0) << stream;
      EXPECT_LT(i.high, 10 * i.low) << stream;
    }
  }
}

// A first variance that is given is known; what follows is not.
TEST(ForecastMethods, RefitKeepsAGivenVariance) {
  const Forecast ahead = forecast(
      garch_fit(500),
      {.horizon = 3, .method = ForecastMethod::refit, .first_variance = 4.0, .refits = 50});
  EXPECT_NEAR(ahead.steps[0].volatility_interval[1].low, 2, 1e-12);
  EXPECT_NEAR(ahead.steps[0].volatility_interval[1].high, 2, 1e-12);
  EXPECT_GT(width(ahead.steps[2].volatility_interval), .1);
}

// With differences in the model, and regressors that are columns of the file.
TEST(ForecastMethods, RefitServesLevelsAndRegressors) {
  Series y = returns("const / steady / normal", {.1, 1}, 300);
  for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += y.values[t - 1];
  const Fit level = estimate("diff1 const ma1", y);
  const Forecast ahead =
      forecast(level, {.horizon = 3, .method = ForecastMethod::refit, .refits = 50});
  const Forecast full = forecast(level, {.horizon = 3});
  EXPECT_NEAR(width(ahead.steps[2].return_interval) / width(full.steps[2].return_interval), 1, .15);
}

TEST(TailRisk, IsTheLawsQuantileAndMeanBeyondIt) {
  const Fit fit = garch_fit();
  const Forecast ahead = forecast(
      fit, {.horizon = 1, .method = ForecastMethod::plug_in, .tails = {1, 5, 10}, .draws = 20000});
  const ForecastStep& s = ahead.steps[0];
  ASSERT_EQ(s.tails.size(), 3U);
  for (const TailRisk& t : s.tails) {
    const double p = t.percent / 100, q = shock_quantile(fit, p);
    // The Monte Carlo error of a quantile of the paths.
    EXPECT_NEAR(t.value_at_risk, s.mean + s.sd * q, .02 * s.sd);
    // Mean beyond: by the trapezoid over the law's quantiles.
    double sum = 0;
    for (int i = 0; i < 2000; ++i) sum += shock_quantile(fit, p * (i + .5) / 2000) / 2000;
    EXPECT_NEAR(*t.shortfall, s.mean + s.sd * sum, .03 * s.sd);
    EXPECT_LT(*t.shortfall, t.value_at_risk);
  }
  // Of the sum over the horizon too.
  const Forecast five = forecast(fit, {.horizon = 5});
  EXPECT_LT(five.horizon_total->tails[0].value_at_risk, five.horizon_total->tails[1].value_at_risk);
  EXPECT_LT(five.horizon_total->tails[0].value_at_risk, five.steps[0].tails[0].value_at_risk);
}

TEST(Scenario, FirstVarianceIsWhatIsAsked) {
  for (const char* line : {"const / garch / student", "const ar1 / egarch / normal"}) {
    const Fit fit = estimate(line, returns("const / garch / student", {.05, .05, .1, .85, 6}));
    const Forecast ahead = forecast(fit, {.horizon = 3, .first_variance = 9.0});
    EXPECT_DOUBLE_EQ(ahead.steps[0].typical_variance, 9);
    EXPECT_NEAR(std::sqrt(9.0), ahead.steps[0].volatility_interval[0].low, 1e-9);
    EXPECT_LT(ahead.steps[2].typical_variance, 9);
    EXPECT_GT(ahead.steps[2].typical_variance, 5);
  }
  // By hand: h2 = omega + (alpha + beta) h1.
  const Fit fit = garch_fit();
  const Forecast ahead = forecast(fit, {.horizon = 2, .first_variance = 9.0});
  EXPECT_NEAR(
      *ahead.steps[1].variance,
      fit.parameters[1].estimate + (fit.parameters[2].estimate + fit.parameters[3].estimate) * 9,
      1e-12);
  EXPECT_EQ(test::error_of([&] { (void)forecast(fit, {.first_variance = -1.0}); }).code(),
            ErrorCode::bad_option);
}

TEST(Forecast, SaysHowMuchOfTheGapIsLeftAndHowSureTheSimulationIs) {
  const Fit fit = garch_fit();
  const Forecast ahead = forecast(fit, {.horizon = 12, .first_variance = 6.0});
  const double p = *fit.persistence;
  for (std::size_t k = 0; k < 12; ++k)
    EXPECT_NEAR(*ahead.steps[k].gap_left, std::pow(p, static_cast<double>(k)), 1e-9);
  EXPECT_NEAR(*ahead.half_way, std::log(.5) / std::log(p), 1e-9);
  // The error told is of the size of the spread over seeds.
  std::vector<double> lows;
  for (std::uint64_t seed = 1; seed <= 12; ++seed)
    lows.push_back(forecast(fit, {.horizon = 12, .draws = 400, .seed = seed})
                       .steps.back()
                       .return_interval[1]
                       .low);
  const double mean = std::accumulate(lows.begin(), lows.end(), 0.0) / 12;
  double squares = 0;
  for (const double v : lows) squares += (v - mean) * (v - mean) / 11;
  const double told = forecast(fit, {.horizon = 12, .draws = 400}).monte_carlo_error;
  EXPECT_GT(told, .4 * std::sqrt(squares));
  EXPECT_LT(told, 2.5 * std::sqrt(squares));
  // Of every other figure too: the spread over seeds is what is told, but for chance.
  const auto figures = [](const Forecast& f) {
    const ForecastStep& s = f.steps[4];
    const HorizonTotal& total = *f.horizon_total;
    return std::array<std::pair<double, double>, 4>{
        {{s.volatility_interval[1].high, s.volatility_interval[1].error},
         {*s.tails[0].shortfall, s.tails[0].shortfall_error},
         {total.return_interval[0].low, total.return_interval[0].error},
         {total.volatility_interval[1].high, total.volatility_interval[1].error}}};
  };
  for (const ForecastMethod method : {ForecastMethod::full, ForecastMethod::refit}) {
    constexpr int kSeeds = 16;
    std::array<double, 4> sum{}, sums{}, error{};
    for (std::uint64_t seed = 1; seed <= kSeeds; ++seed) {
      const auto all = figures(forecast(
          fit, {.horizon = 5, .method = method, .draws = 400, .refits = 200, .seed = seed}));
      for (std::size_t i = 0; i < all.size(); ++i) {
        sum[i] += all[i].first / kSeeds;
        sums[i] += all[i].first * all[i].first / kSeeds;
        error[i] += all[i].second / kSeeds;
      }
    }
    for (std::size_t i = 0; i < sum.size(); ++i) {
      const double spread = std::sqrt(sums[i] - sum[i] * sum[i]);
      EXPECT_GT(error[i], .6 * spread) << to_string(method) << ' ' << i;
      EXPECT_LT(error[i], 2 * spread) << to_string(method) << ' ' << i;
    }
  }
  const Forecast unmeasured = forecast(fit, {.horizon = 2, .simulation_errors = false});
  EXPECT_EQ(unmeasured.steps[1].return_interval[0].error, 0);
  const Forecast rough = forecast(fit, {.horizon = 12, .draws = 100, .paths = 1});
  EXPECT_TRUE(std::any_of(rough.warnings.begin(), rough.warnings.end(),
                          [](const Warning& w) { return w.code == WarningCode::few_draws; }));
}

// Two fits that differ in the last digits of their covariance, as on another machine, are drawn
// around alike, though eigenvectors of like eigenvalues turn with any change.
TEST(Forecast, DoesNotTurnWithTheLastDigitsOfTheCovariance) {
  Fit fit = estimate("const ar1,2", returns("const ar1,2", {.1, .5, .2, 1}));
  const std::size_t k = fit.covariance.rows();
  fit.covariance = Matrix(k, k);
  for (std::size_t i = 0; i < k; ++i) fit.covariance(i, i) = 1e-3;
  const Forecast usual = forecast(fit, {.horizon = 4});
  for (std::uint64_t s = 0; s < 10; ++s) {
    Fit other = fit;
    maths::RandomStream stream(17, s);
    for (std::size_t i = 0; i < k; ++i)
      for (std::size_t j = 0; j <= i; ++j) {
        other.covariance(i, j) += 1e-10 * stream.normal();
        other.covariance(j, i) = other.covariance(i, j);
      }
    const Forecast again = forecast(other, {.horizon = 4});
    for (std::size_t step = 0; step < 4; ++step)
      // Far above what a disturbance of 1e-10 may do, far below what a root that turns would.
      EXPECT_NEAR(
          again.steps[step].return_interval[0].high / usual.steps[step].return_interval[0].high, 1,
          1e-5);
  }
}

// A full pass over all rows from the stored presample value gives the same state.
TEST(Update, GoesOnLikeAFullPass) {
  for (const auto& [line, made] :
       {std::pair<const char*, std::vector<double>>{"const ar1 ma1 / gjr / student",
                                                    {.05, .3, .1, .05, .05, .08, .84, 6}},
        {"const / egarch / normal", {.05, .02, .15, -.08, .95}},
        {"const / twocomp / normal", {.05, .01, .05, .8, .99, .04}},
        {"const ar1 / steady / normal", {.05, .5, 2}}}) {
    const Series whole = returns(line, made, 900);
    const Series start = rows_between(whole, 0, 800), rest = rows_between(whole, 800, 900);
    const Fit fit = estimate(line, start);
    const Fit on = update(fit, rest);
    EXPECT_EQ(on.estimates(), fit.estimates());
    EXPECT_EQ(on.count, 900U);
    const Fit pass = restore({.model = fit.model,
                              .parameters = fit.parameters,
                              .covariance = fit.covariance,
                              .errors = fit.errors,
                              .convergence = fit.convergence,
                              .presample = fit.presample,
                              .warnings = {}},
                             std::make_shared<Series>(whole));
    for (std::size_t t = 0; t < 900; ++t) {
      EXPECT_NEAR(on.variances[t], pass.variances[t], 1e-12 * pass.variances[t]);
      EXPECT_NEAR(on.shocks[t], pass.shocks[t], 1e-12);
      if (t < 800) {
        EXPECT_NEAR(on.variances[t], fit.variances[t], 1e-12 * fit.variances[t]);
      }
    }
    // Row by row is the same as all at once.
    Fit one = fit;
    for (std::size_t t = 800; t < 805; ++t) one = update(one, rows_between(whole, t, t + 1));
    EXPECT_NEAR(one.variances.back(), pass.variances[804], 1e-12 * pass.variances[804]);
    EXPECT_EQ(forecast(on, {.horizon = 1, .method = ForecastMethod::plug_in}).steps[0].mean,
              forecast(pass, {.horizon = 1, .method = ForecastMethod::plug_in}).steps[0].mean);
  }
}

TEST(Update, RefusesRowsThatAreNotLater) {
  const Series whole = returns("const / garch / student", {.05, .05, .1, .85, 6}, 500);
  const Fit fit = estimate("const / garch / student", rows_between(whole, 0, 450));
  EXPECT_EQ(test::error_of([&] { (void)update(fit, rows_between(whole, 440, 460)); }).code(),
            ErrorCode::dates_out_of_order);
}

// Quick draws have the law's moments and quantiles.
TEST(QuickDraws, HaveTheirLaw) {
  struct Case {
    Shocks law;
    std::vector<double> shape;
  };
  for (const Case& c : {Case{Normal{}, {}}, Case{Student{}, {4.5}}, Case{Student{}, {40}},
                        Case{Ged{}, {1.2}}, Case{Ged{}, {3}}, Case{SkewStudent{}, {6, -.4}}}) {
    maths::RandomStream stream(5, 1);
    std::vector<double> z(200000);
    const ShockLaw& law = shock_law(c.law);
    law.draw_many(stream, c.shape, z);
    std::sort(z.begin(), z.end());
    double mean = 0, square = 0;
    for (const double v : z) {
      mean += v / 2e5;
      square += v * v / 2e5;
    }
    // Four errors of 200,000 draws are .009; kurtosis makes that of squares larger.
    EXPECT_NEAR(mean, 0, .012);
    EXPECT_NEAR(square, 1, .06);
    // Kolmogorov's distance; 1.63 / sqrt(n) is passed once in a hundred.
    double distance = 0;
    for (std::size_t i = 0; i < z.size(); i += 50)
      distance =
          std::max(distance, std::abs(law.cdf(z[i], c.shape) - static_cast<double>(i) / 2e5));
    EXPECT_LT(distance, 1.63 / std::sqrt(2e5)) << law.shapes.size();
  }
}

TEST(ShockLaws, LogDensitiesAreTheSlopesOfTheirCdf) {
  struct Case {
    Shocks law;
    std::vector<double> shape;
  };
  for (const Case& c : {Case{Normal{}, {}}, Case{Student{}, {4.5}}, Case{Ged{}, {1.3}},
                        Case{SkewStudent{}, {6, -.4}}}) {
    const ShockLaw& law = shock_law(c.law);
    for (const double z : {-3., -.7, .4, 2.})
      // Differences of the distribution with a step of 1e-5.
      EXPECT_NEAR(std::exp(law.log_density(z, c.shape)),
                  (law.cdf(z + 1e-5, c.shape) - law.cdf(z - 1e-5, c.shape)) / 2e-5, 1e-6);
  }
}

// A filter forgets where it began: the state at the end of a long series is that of its last rows,
// unless the model remembers longer than they reach.
TEST(ForecastOrigin, OfManyRowsIsThatOfTheLastOnes) {
  for (const auto& [line, theta, short_memory] :
       {std::tuple{"const / garch / student", std::vector<double>{.05, .05, .08, .88, 7}, true},
        {"const ar1 / gjr / normal", std::vector<double>{.05, .3, .05, .03, .1, .88}, true},
        {"const / ewma / normal", std::vector<double>{.05, .9995}, false}}) {
    const Model model = parse_model(line);
    auto series = std::make_shared<Series>(simulate(parse_model("const / garch / student"),
                                                    {.05, .05, .08, .88, 7}, 60000, {.seed = 3}));
    KnownFit known{.model = model};
    const std::vector<std::string> names = parameter_names(model).all();
    for (std::size_t j = 0; j < names.size(); ++j)
      known.parameters.push_back({.name = names[j], .estimate = theta[j]});
    known.convergence.status = FitStatus::converged;
    const Fit fit = restore(std::move(known), series);
    const OriginRows rows(fit);
    EXPECT_EQ(rows.data.change.size() < 60000, short_memory) << line;
    Origin origin(fit);
    std::vector<double> moved = theta;
    for (double& v : moved) v *= 1.0005;
    for (const std::vector<double>& at : {theta, moved}) {
      Past last;
      ASSERT_TRUE(origin.at(at, last));
      JointLikelihood<double> all(model, mean_data(model, *series));
      JointLikelihood<double>::Path path;
      ASSERT_TRUE(all.path(at, path));
      const Past whole = Past::after(model, at, path.dev, path.e, path.h,
                                     std::vector<unsigned char>(60000, 1), path.presample, {});
      EXPECT_NEAR(last.variance.h[0], whole.variance.h[0], 1e-10 * whole.variance.h[0]) << line;
      for (std::size_t i = 0; i < whole.ahead.size(); ++i)
        EXPECT_NEAR(last.ahead[i], whole.ahead[i], 1e-10) << line;
    }
  }
}

}  // namespace
}  // namespace brace
