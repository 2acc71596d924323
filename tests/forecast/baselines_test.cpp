// SPDX-License-Identifier: Apache-2.0
// Baselines: closed forms, smoothing against the model it is optimal for, words and refusals.
#include <gtest/gtest.h>

#include <cmath>

#include "brace/brace.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

TEST(Baseline, WordsAreReadAndWritten) {
  for (const char* words :
       {"mean", "walk", "drift", "season 12", "smooth", "smooth trend", "smooth damped",
        "smooth trend season 4", "smooth damped times 12", "smooth season 7"})
    EXPECT_EQ(to_string(parse_baseline(words)), words);
  for (const auto& [words, why] :
       {std::pair{"naive",
                  "baseline 'naive': 'naive' is none; these are: mean, walk, drift, season "
                  "12, smooth"},
        std::pair{"season",
                  "baseline 'season': the period is missing: rows in a season, from 2, "
                  "such as 12"},
        std::pair{"walk 3", "baseline 'walk 3': '3' does not belong there"},
        std::pair{"smooth x",
                  "baseline 'smooth x': 'x' is none of trend, damped, season 12, times "
                  "12"}})
    EXPECT_STREQ(test::error_of([text = words] { (void)parse_baseline(text); }).what(), why);
}

TEST(Baseline, SimpleOnesInClosedForm) {
  const Series y = make_series({1, 3, 2, 5, 4, 6, 5, 9});
  const auto ahead = [&](const char* words) { return forecast(fit_baseline(words, y), 4); };
  EXPECT_NEAR(ahead("mean")[0].mean, 35.0 / 8, 1e-12);
  EXPECT_EQ(ahead("walk")[3].mean, 9);
  EXPECT_NEAR(ahead("drift")[1].mean, 9 + 2 * 8.0 / 7, 1e-12);
  const std::vector<BaselineStep> season = ahead("season 3");
  EXPECT_EQ(season[0].mean, 6);
  EXPECT_EQ(season[2].mean, 9);
  EXPECT_EQ(season[3].mean, 6);
  // A walk's variance grows with the step, a season's with the cycle.
  EXPECT_NEAR(ahead("walk")[3].sd / ahead("walk")[0].sd, 2, 1e-12);
  EXPECT_NEAR(season[3].sd / season[0].sd, std::sqrt(2.0), 1e-12);
}

// Smoothing is optimal for a difference with one MA term, alpha = 1 + ma1.
TEST(Smoothing, EqualsTheModelItStandsFor) {
  const Series y = simulate(parse_model("diff1 ma1"), {-.6, 1}, 2000, {.seed = 8});
  const Baseline b = fit_baseline("smooth", y);
  const Fit fit = estimate("diff1 ma1", y);
  EXPECT_TRUE(b.converged);
  EXPECT_NEAR(b.parameters[0].second, 1 + fit.parameters[0].estimate, .01);
  const Forecast ahead = forecast(fit, {.horizon = 10, .method = ForecastMethod::plug_in});
  const std::vector<BaselineStep> smooth = forecast(b, 10);
  for (std::size_t h = 0; h < 10; ++h) {
    // Smoothing starts from an estimated level, the model from a diffuse one.
    EXPECT_NEAR(smooth[h].mean, ahead.steps[h].mean, .05);
    EXPECT_NEAR(smooth[h].sd / ahead.steps[h].sd, 1, .01);
  }
}

TEST(Smoothing, FollowsTrendAndSeasonOfBothKinds) {
  Series y = simulate(parse_model("const"), {0, .01}, 120, {.seed = 8});
  Series times = y;
  for (std::size_t t = 0; t < y.size(); ++t) {
    const double level = 50 + .5 * static_cast<double>(t);
    const double wave = std::cos(2 * 3.14159265358979 * static_cast<double>(t) / 12);
    times.values[t] += level * (1 + .2 * wave);
    y.values[t] += level + 8 * wave;
  }
  for (const auto& [words, series] :
       {std::pair{"smooth trend season 12", &y}, std::pair{"smooth trend times 12", &times}}) {
    const HoldOutSplit parts = split(*series, {.count = 24});
    const Baseline b = fit_baseline(words, parts.training);
    const std::vector<BaselineStep> ahead = forecast(b, 24, {95});
    std::size_t covered = 0;
    for (std::size_t h = 0; h < 24; ++h) {
      // About two and a half sd of the noise.
      EXPECT_NEAR(ahead[h].mean, parts.held_out.values[h], 2.5) << words << h;
      covered += ahead[h].interval[0].low < parts.held_out.values[h] &&
                 parts.held_out.values[h] < ahead[h].interval[0].high;
    }
    EXPECT_GE(covered, 18u) << words;
    const std::vector<double> next = one_step(b, *series, 96);
    EXPECT_NEAR(next[0], ahead[0].mean, 1e-9) << "the first step is the same forecast";
  }
  Series negative = y;
  negative.values[3] = -1;
  EXPECT_EQ(test::error_of([&] { (void)fit_baseline("smooth times 12", negative); }).code(),
            ErrorCode::not_positive);
}

TEST(Smoothing, GapsMoveTheStateOn) {
  Series y = simulate(parse_model("diff1 ma1"), {-.6, 1}, 300, {.seed = 8});
  y.values[150] = std::numeric_limits<double>::quiet_NaN();
  const Baseline b = fit_baseline("smooth", y);
  EXPECT_EQ(b.fitted.size(), y.size());
  EXPECT_NEAR(b.fitted[151], b.fitted[150], 1e-12) << "nothing was learnt from the missing row";
}

}  // namespace
}  // namespace brace
