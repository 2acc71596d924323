// SPDX-License-Identifier: Apache-2.0
// Outliers: planted ones are found, dated and taken up by the regressors offered; clean series have
// none in nineteen of twenty.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <sstream>

#include "brace/brace.hpp"

namespace brace {
namespace {

Series dated(Series y) {
  y.times = dates_after(*parse_date("2010-01-31"), Clock::month, y.size());
  y.clock = Clock::month;
  return y;
}

TEST(Outliers, PlantedOnesAreFoundAndOffered) {
  Series y = dated(simulate(parse_model("const ar1"), {10, .5, 1}, 300, {.seed = 5}));
  y.values[60] += 12;
  for (std::size_t t = 150; t < 300; ++t) y.values[t] += 7;
  for (std::size_t t = 220; t < 300; ++t)
    y.values[t] -= 10 * std::pow(.7, static_cast<double>(t - 220));
  const Fit fit = estimate("const ar1", y);
  const OutlierReport found = find_outliers(fit);
  ASSERT_EQ(found.outliers.size(), 3u) << found;
  EXPECT_EQ(found.outliers[0].kind, OutlierKind::additive);
  EXPECT_EQ(found.outliers[0].index, 60u);
  EXPECT_EQ(found.outliers[1].kind, OutlierKind::level_shift);
  EXPECT_EQ(found.outliers[1].index, 150u);
  EXPECT_EQ(found.outliers[2].kind, OutlierKind::temporary_change);
  EXPECT_EQ(found.outliers[2].index, 220u);
  ASSERT_TRUE(found.offered);
  const Fit cleaned = estimate(found.model, y);
  ASSERT_EQ(cleaned.convergence.status, FitStatus::converged);
  EXPECT_GT(*cleaned.log_likelihood, *fit.log_likelihood + 100);
  for (const Parameter& p : cleaned.parameters) {
    if (p.name.starts_with("with:pulse")) {
      // Four standard errors each: one estimate in 16,000 is further off.
      EXPECT_NEAR(p.estimate, 12, 4 * *p.se);
    }
    if (p.name.starts_with("with:step")) {
      EXPECT_NEAR(p.estimate, 7, 4 * *p.se);
    }
    if (p.name.starts_with("with:fade")) {
      EXPECT_NEAR(p.estimate, -10, 4 * *p.se);
    }
    if (p.name == "ar1") {
      EXPECT_NEAR(p.estimate, .5, 4 * *p.se);
    }
  }
  std::ostringstream out;
  out << found;
  EXPECT_THAT(out.str(), testing::HasSubstr(",pulse:" + y.when(60)));
}

TEST(Outliers, CleanSeriesHaveThemInOneOfTwenty) {
  std::size_t any = 0;
  for (std::uint64_t s = 0; s < 100; ++s) {
    const Series y = simulate(parse_model("const ar1"), {0, .5, 1}, 200, {.seed = 6, .stream = s});
    any += find_outliers(estimate("const ar1", y)).outliers.empty() ? 0 : 1;
  }
  // Binomial with 1/20: more than 12 of 100 has probability below .002.
  EXPECT_LE(any, 12u);
}

TEST(Outliers, UndatedOnesAreListedAndNotOffered) {
  Series y = simulate(parse_model("const"), {0, 1}, 100, {.seed = 5});
  y.values[40] = 20;
  const OutlierReport found = find_outliers(estimate("const", y));
  ASSERT_EQ(found.outliers.size(), 1u);
  EXPECT_FALSE(found.offered);
  // The size is one value of noise with sd 1 away from 20.
  EXPECT_NEAR(found.outliers[0].size, 20, 1);
  std::ostringstream out;
  out << found;
  EXPECT_THAT(out.str(), testing::HasSubstr("row 41"));
}

TEST(Outliers, OfHeavyTailsAreAWarning) {
  const Series y =
      simulate(parse_model("const / garch / student"), {0, .05, .15, .84, 2.5}, 3000, {.seed = 5});
  const OutlierReport found = find_outliers(estimate("const", y));
  EXPECT_EQ(found.outliers.size(), 12u);
  ASSERT_FALSE(found.warnings.empty());
  EXPECT_EQ(found.warnings[0].code, WarningCode::outlier_drives_fit);
}

}  // namespace
}  // namespace brace
