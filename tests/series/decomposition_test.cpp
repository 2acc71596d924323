// SPDX-License-Identifier: Apache-2.0
// Decompositions: what was planted is found, and each part is what its definition says.
#include "brace/series/decomposition.hpp"
#include "base/missing.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "brace/maths/random.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

constexpr double kSeason[12] = {5, 3, 1, -2, -4, -6, -5, -3, 0, 2, 4, 5};

// Trend and season known; multiplicative as exp of a hundredth of the additive one.
Series monthly(std::size_t n, double noise, bool multiplicative, std::uint64_t seed = 1) {
  maths::RandomStream stream(seed, 0);
  Series s;
  s.name = "price";
  s.clock = Clock::month;
  s.times = dates_after(*parse_date("2003-12-31"), Clock::month, n);
  for (std::size_t t = 0; t < n; ++t) {
    const double v = 300 + 0.5 * static_cast<double>(t) + kSeason[t % 12] + noise * stream.normal();
    s.values.push_back(multiplicative ? std::exp(v / 100) : v);
  }
  return s;
}

TEST(Loess, GoesThroughStraightLinesWhateverTheWeightsAndGaps) {
  std::vector<double> y, w;
  maths::RandomStream stream(2, 0);
  for (int t = 0; t < 60; ++t) {
    y.push_back(t % 7 == 3 ? kNaN : 4 - 0.3 * t);
    w.push_back(0.1 + stream.uniform());
  }
  const std::vector<double> smooth = loess(y, 11, w, 2);
  ASSERT_EQ(smooth.size(), 64u);
  for (int at = -2; at < 62; ++at)
    EXPECT_NEAR(smooth[static_cast<std::size_t>(at + 2)], 4 - 0.3 * at, 1e-10);
}

// One point by the definition: tricube weights of the nearest five, weighted least squares.
TEST(Loess, IsTheWeightedRegressionOfItsDefinition) {
  const std::vector<double> y{3, 1, 4, 1, 5, 9, 2, 6, 5};
  const double distance[5] = {-2, -1, 0, 1, 2};
  double sw = 0, sx = 0, sxx = 0, sy = 0, sxy = 0;
  for (int i = 0; i < 5; ++i) {
    const double u = std::abs(distance[i]) / 2, w = u >= 0.999 ? 0 : std::pow(1 - u * u * u, 3);
    const double v = y[static_cast<std::size_t>(2 + i)];
    sw += w;
    sx += w * distance[i];
    sxx += w * distance[i] * distance[i];
    sy += w * v;
    sxy += w * v * distance[i];
  }
  const double slope = (sw * sxy - sx * sy) / (sw * sxx - sx * sx);
  EXPECT_NEAR(loess(y, 5)[4], (sy - slope * sx) / sw, 1e-12);
}

TEST(Decomposition, ByAveragesIsItsDefinition) {
  const Series s = monthly(72, 1, false);
  const Decomposition parts =
      decompose(s, {.method = DecompositionMethod::averages, .form = DecompositionForm::additive});
  EXPECT_TRUE(std::isnan(parts.trend[5]) && std::isnan(parts.trend[66]));
  double trend = (s.values[14] + s.values[26]) / 2;
  for (std::size_t t = 15; t <= 25; ++t) trend += s.values[t];
  EXPECT_NEAR(parts.trend[20], trend / 12, 1e-10);
  EXPECT_NEAR(std::accumulate(parts.typical_season.begin(), parts.typical_season.end(), 0.0), 0,
              1e-9);
  for (std::size_t t = 6; t < 66; ++t)
    EXPECT_NEAR(parts.trend[t] + parts.season[t] + parts.remainder[t], s.values[t], 1e-9);
  EXPECT_EQ(parts.season[3], parts.season[15]) << "one season for all years";
}

TEST(Decomposition, FindsWhatWasPlanted) {
  for (const DecompositionMethod method :
       {DecompositionMethod::averages, DecompositionMethod::loess})
    for (const bool multiplicative : {false, true}) {
      const Series s = monthly(240, 0.4, multiplicative);
      const Decomposition parts =
          decompose(s, {.method = method,
                        .form = multiplicative ? DecompositionForm::multiplicative
                                               : DecompositionForm::additive});
      for (std::size_t m = 0; m < 12; ++m) {
        const double got =
            multiplicative ? 100 * std::log(parts.typical_season[m]) : parts.typical_season[m];
        // A mean of 20 years: error .4 / sqrt 20 = .09; the four-sd band.
        EXPECT_NEAR(got, kSeason[m], 0.36) << to_string(method) << ' ' << m;
      }
      EXPECT_GT(parts.season_share, 0.95);
      EXPECT_GT(parts.trend_share, 0.99);
      EXPECT_EQ(parts.places[0], "January");
      const Series adjusted = parts.adjusted();
      for (std::size_t t = 0; t < s.size(); ++t) {
        const double v = multiplicative ? 100 * std::log(adjusted.values[t]) : adjusted.values[t];
        // Six sd of the noise of .4: the largest of 240 values.
        EXPECT_NEAR(v, 300 + 0.5 * static_cast<double>(t), 2.5);
      }
    }
}

TEST(Decomposition, NoSeasonAndNoTrendHaveNoStrength) {
  maths::RandomStream stream(4, 0);
  std::vector<double> noise;
  for (int t = 0; t < 600; ++t) noise.push_back(stream.normal());
  const Decomposition parts = decompose(
      make_series(noise), {.period = 12, .form = DecompositionForm::additive, .season_span = 0});
  EXPECT_LT(parts.season_share, 0.1);
  EXPECT_LT(parts.trend_share, 0.2);
}

TEST(Decomposition, OneOutlierDoesNotBendTheRobustSeason) {
  Series s = monthly(120, 0.2, false);
  s.values[54] += 80;
  const auto worst = [&](bool robust) {
    const Decomposition parts =
        decompose(s, {.form = DecompositionForm::additive, .robust = robust});
    double most = 0;
    for (std::size_t t = 40; t < 70; ++t)
      most = std::max(most, std::abs(parts.season[t] - kSeason[t % 12]));
    return most;
  };
  EXPECT_LT(worst(true), 1);
  EXPECT_GT(worst(false), 5);
}

TEST(Decomposition, ChoosesTheFormAndSaysWhy) {
  const Decomposition growing = decompose(monthly(240, 0.4, true));
  EXPECT_EQ(growing.form, DecompositionForm::multiplicative);
  EXPECT_NE(growing.form_because.find("nearer to 0 than to 1: the spread grows"), std::string::npos)
      << growing.form_because;
  // So few rows with so little trend fit either form.
  Series few = monthly(36, 0, false);
  for (double& v : few.values) v = 1000 + v / 100;
  EXPECT_NE(decompose(few).form_because.find("though both are within its interval"),
            std::string::npos)
      << decompose(few).form_because;
  Series negative = monthly(120, 0.4, false);
  for (double& v : negative.values) v -= 330;
  EXPECT_EQ(decompose(negative).form_because, "some values are not positive");
}

TEST(Decomposition, MissingStaysMissingAndSkippedMonthsKeepTheirPlace) {
  Series s = monthly(120, 0.2, false);
  s.values[30] = kNaN;
  const Decomposition gap = decompose(s, {.form = DecompositionForm::additive});
  EXPECT_TRUE(std::isnan(gap.remainder[30]) && std::isnan(gap.adjusted().values[30]));
  EXPECT_FALSE(std::isnan(gap.trend[30])) << "the trend goes on";
  Series skipped = s;
  skipped.values.erase(skipped.values.begin() + 30);
  skipped.times.erase(skipped.times.begin() + 30);
  EXPECT_EQ(decompose(skipped, {.form = DecompositionForm::additive}).season, gap.season);
}

TEST(Decomposition, RefusesWhatItCannotPart) {
  const auto message = [](const Series& s, DecompositionOptions o) {
    return std::string(test::error_of([&] { (void)decompose(s, o); }).what());
  };
  EXPECT_EQ(message(make_series({1, 2, 3}, "x"), {}),
            "a decomposition of x: its clock has no period of its own; give one of at least 2 with "
            "`period`");
  EXPECT_NE(message(monthly(30, 1, false), {}).find("needs at least 36"), std::string::npos);
  EXPECT_EQ(message(monthly(60, 1, false), {.season_span = 8}),
            "season_span = 8: must be odd and at least 7, or 0");
}

}  // namespace
}  // namespace brace
