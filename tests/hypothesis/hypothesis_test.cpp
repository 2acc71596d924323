// SPDX-License-Identifier: Apache-2.0
// Properties of the tests: gaps, sizes under the null, verdicts, words.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <sstream>

#include "base/missing.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/made.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::rejections;
using test::walk;
using test::white;

TEST(Autocorrelation, WithGapsUsesPairsThatArePresent) {
  const std::vector<double> y{1, 3, kNaN, 2, 5, 4};
  const double mean = 3, total = 4 + 0 + 1 + 4 + 1;
  const double first = (1 - mean) * (3 - mean) + (2 - mean) * (5 - mean) + (5 - mean) * (4 - mean);
  const double second = (3 - mean) * (2 - mean) * 1 + (2 - mean) * (4 - mean);
  const auto r = maths::autocorrelations(y, 2);
  EXPECT_DOUBLE_EQ(r[0], first / total);
  EXPECT_DOUBLE_EQ(r[1], second / total);
}

TEST(Autocorrelation, PacfOfAnAutoregressionEndsAtItsOrder) {
  const Series y = simulate(parse_model("zero ar1,2"), {.5, .3, 1}, 20000, {.seed = 2});
  const LagTable table = lag_table(y, 6);
  // Band of 4.4 standard errors 1/sqrt n: two-sided p 1e-5 each.
  EXPECT_NEAR(table.rows[1].pacf, .3, 4.4 / std::sqrt(20000.0));
  for (std::size_t k = 2; k < 6; ++k) EXPECT_NEAR(table.rows[k].pacf, 0, 4.4 / std::sqrt(20000.0));
}

TEST(Autocorrelation, RefusesLagsOutOfRange) {
  EXPECT_STREQ(test::error_of([] {
                 (void)maths::autocorrelations(std::vector<double>{1, 2, 3}, 3);
               }).what(),
               "lags = 3: must lie between 1 and 2 for 3 observations");
}

TEST(Whiteness, NoPValueWithoutDegreesOfFreedom) {
  const TestResult t = hypothesis::ljung_box(white(0, 100), {.lags = 2, .fitted = 2});
  EXPECT_FALSE(t.p_value);
  EXPECT_FALSE(t.rejects());
  EXPECT_EQ(t.reading, "no p-value: 2 fitted terms leave no degrees of freedom at lag 2");
}

// 1,000 series: standard error .0069, so that the band is nominal 5 % +- 3 errors. More sizes, and
// the other tests: tools/studies/size_study.
TEST(Size, UnitRootTestsHoldTheirLevel) {
  for (const Deterministic terms :
       {Deterministic::none, Deterministic::constant, Deterministic::trend})
    EXPECT_NEAR(
        rejections(1000,
                   [&](std::uint64_t i) {
                     return hypothesis::adf(
                         walk(i, 100),
                         {.deterministic = terms, .rule = hypothesis::LagRule::fixed, .lags = 0});
                   }),
        .05, .021)
        << "adf " << to_string(terms);
}

// 2,000 series: standard error .0049, bands of 3.3 to 4.
TEST(Size, WhitenessAndArchTestsHoldTheirLevel) {
  EXPECT_NEAR(
      rejections(2000, [](std::uint64_t i) { return hypothesis::ljung_box(white(i, 250)); }), .05,
      .016);
  EXPECT_NEAR(
      rejections(2000, [](std::uint64_t i) { return hypothesis::ljung_box_robust(white(i, 250)); }),
      .05, .02);
  EXPECT_NEAR(
      rejections(2000, [](std::uint64_t i) { return hypothesis::mcleod_li(white(i, 250)); }), .05,
      .02);
  // Four binomial errors of 2,000 runs.
  EXPECT_NEAR(rejections(2000, [](std::uint64_t i) { return hypothesis::arch_lm(white(i, 250)); }),
              .05, .02);
}

// Why the robust form stands beside the plain one: clustering volatility, no memory at all.
TEST(Size, ClusteringFoolsThePlainPortmanteauNotTheRobustOne) {
  const Model model = parse_model("zero / garch / student");
  const auto series = [&](std::uint64_t i) {
    return simulate(model, {.02, .18, .80, 6}, 1000, {.seed = 5, .stream = i});
  };
  const double plain =
      rejections(500, [&](std::uint64_t i) { return hypothesis::ljung_box(series(i)); });
  const double robust =
      rejections(500, [&](std::uint64_t i) { return hypothesis::ljung_box_robust(series(i)); });
  EXPECT_GT(plain, .25);
  EXPECT_LT(robust, .08);
}

// Memory of the mean makes squares autocorrelated: r_k of the squares is r_k^2 (Gaussian values).
TEST(Size, MemoryOfTheMeanIsNoArchEffectOnceItIsTakenOut) {
  const auto series = [](const char* line, const std::vector<double>& parameters) {
    return [=](std::uint64_t i) {
      return simulate(parse_model(line), parameters, 300, {.seed = 11, .stream = i});
    };
  };
  const auto share = [](const auto& of, std::optional<int> mean_lags) {
    return rejections(500, [&](std::uint64_t i) {
      return hypothesis::arch_lm(of(i), {.lags = 5, .mean_lags = mean_lags});
    });
  };
  const auto memory = series("zero ar1 / steady / normal", {.6, 1});
  EXPECT_GT(share(memory, 0), .4);
  // Four binomial errors of 500 runs.
  EXPECT_NEAR(share(memory, {}), .05, .039);
  EXPECT_GT(share(series("zero ar1 / garch / normal", {.6, .1, .25, .65}), {}), .9);

  // By the lags themselves, and beside a gap.
  Series y = memory(1);
  y.values[150] = kNaN;
  const TestResult t = hypothesis::arch_lm(y, {.lags = 5, .mean_lags = 2});
  EXPECT_THAT(t.null, testing::HasSubstr("beside 2 own lags"));
  EXPECT_EQ(t.observations, 300u - 2 - 5 - (1 + 2 + 5));
}

// Squares of values near 1e-9 are 18 powers of ten below the constant beside them.
TEST(ArchLm, DoesNotDependOnUnits) {
  const Series y = white(3, 200);
  const TestResult one = hypothesis::arch_lm(y);
  for (const double unit : {1e-12, 1e-9, 1e9, 1e12}) {
    Series other = y;
    for (double& v : other.values) v *= unit;
    EXPECT_NEAR(hypothesis::arch_lm(other).statistic, one.statistic, 1e-8 * one.statistic) << unit;
  }
}

TEST(ArchLm, TakesFewerLagsWhereGapsLeaveTooFewRows) {
  Series y = white(30, 60);
  for (std::size_t t = 4; t < 60; t += 5) y.values[t] = kNaN;
  const TestResult t = hypothesis::arch_lm(y);
  EXPECT_EQ(t.lags, 3) << "runs of four rows hold no more than three lags";
  EXPECT_GE(t.observations, 12u);
  EXPECT_EQ(test::error_of([&] { (void)hypothesis::arch_lm(y, {.lags = 8}); }).code(),
            ErrorCode::too_few_observations)
      << "lags asked for by name are not changed";
  Series signs = white(31, 100);
  for (double& v : signs.values) v = v > 0 ? 1 : -1;
  EXPECT_EQ(hypothesis::arch_lm(signs, {.demean = false}).statistic, 0)
      << "squares that never vary";
}

TEST(Inspection, SaysWhatKindOfSeriesItIs) {
  Series clustering =
      simulate(parse_model("const / garch / student"), {0, .03, .1, .87, 5}, 2000, {.seed = 4});
  clustering.kind = SeriesKind::log_return;
  const Inspection look = inspect(clustering);
  EXPECT_EQ(look.reading,
            "simulated: heavy tails, no clear memory from one row to the next, and volatility that "
            "clusters");
  EXPECT_TRUE(look.warnings.empty());
  const Inspection level = inspect(walk(1, 1000));
  ASSERT_EQ(level.warnings.size(), 1u);
  EXPECT_EQ(level.warnings[0].code, WarningCode::level_modelled);
  EXPECT_EQ(inspect(walk(1, 44)).warnings.at(0).code, WarningCode::level_modelled)
      << "a short level is one, too";
  Series flat = white(9, 200);
  for (std::size_t i = 0; i < 60; ++i) flat.values[3 * i] = 0;
  EXPECT_EQ(inspect(flat).warnings.at(0).code, WarningCode::zero_returns_many);
}

// A smoothed return, a volume: memory without clustering, and rows that are no falls or rises.
TEST(Inspection, TellsMemoryFromClusteringAndLevelsFromReturns) {
  int steady = 0;
  for (std::uint64_t stream = 1; stream <= 20; ++stream) {
    const Inspection look = inspect(simulate(parse_model("zero ar1 / steady / normal"), {.7, 1},
                                             400, {.seed = 3, .stream = stream}));
    const bool arch = *test_of(look.tests, "arch-lm").rejects();
    EXPECT_EQ(look.reading.ends_with("and steady volatility"), !arch) << look.reading;
    if (arch) continue;
    ++steady;
    // Squares that are autocorrelated are explained: the verdict does not contradict their row.
    const bool of_squares = *test_of(look.tests, "mcleod-li").rejects();
    EXPECT_EQ(testing::Matches(testing::Contains(testing::HasSubstr("because the values are")))(
                  look.advice),
              of_squares);
  }
  EXPECT_GE(steady, 15);

  Series sizes = white(6, 400);
  for (std::size_t t = 1; t < sizes.size(); ++t) sizes.values[t] += .6 * sizes.values[t - 1];
  for (double& v : sizes.values) v = std::exp(v);
  const Inspection look = inspect(sizes);
  ASSERT_LT(*look.leverage_p, .05);
  EXPECT_THAT(look.advice, testing::Not(testing::Contains(testing::HasSubstr("leverage"))))
      << "values of one sign do not fall and rise";
  Series trend = white(7, 400);
  for (std::size_t t = 0; t < trend.size(); ++t) trend.values[t] += .05 * static_cast<double>(t);
  EXPECT_THAT(inspect(trend).advice, testing::Not(testing::Contains(testing::HasSubstr("sizes"))))
      << "the sizes of a level are its heights";
}

}  // namespace
}  // namespace brace
