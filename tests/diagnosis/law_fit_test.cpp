// SPDX-License-Identifier: Apache-2.0
// Do shocks follow the law: the null against a bootstrap of whole refits, sizes, power, and which
// part of the law departs.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/brace.hpp"
#include "laws/transforms.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using Where = LawDeparture::Where;

std::vector<Fit> fits_of(const std::string& line, const std::string& made_by,
                         const std::vector<double>& theta, std::size_t rows, std::size_t count,
                         std::uint64_t seed, const Executor& executor) {
  std::vector<FitJob> jobs;
  for (std::size_t s = 0; s < count; ++s)
    jobs.push_back({.model = parse_model(line),
                    .series = std::make_shared<Series>(
                        simulate(parse_model(made_by), theta, rows, {.seed = seed, .stream = s}))});
  return values_of(fit_many(jobs, {}, executor));
}

// The law in closed form against what it stands for: series made by the fitted model, fitted again.
TEST(LawFit, AgreesWithABootstrapOfRefits) {
  const Executor executor = Executor::all_cores();
  const Fit fit = estimate(
      "const / garch / student",
      simulate(parse_model("const / garch / student"), {0, .05, .1, .85, 5}, 700, {.seed = 12}));
  const double observed = law_fit(fit).anderson_darling.statistic;
  const double p = *law_fit(fit).anderson_darling.p_value;
  const std::size_t count = 300;
  const std::vector<Fit> again = fits_of("const / garch / student", "const / garch / student",
                                         fit.estimates(), 700, count, 77, executor);
  std::vector<double> larger(count);
  executor.for_each(count, [&](std::size_t s) {
    larger[s] = again[s].usable() && law_fit(again[s]).anderson_darling.statistic > observed;
  });
  const double share = std::accumulate(larger.begin(), larger.end(), 0.0) / count;
  EXPECT_NEAR(p, share, 4 * std::sqrt(p * (1 - p) / count) + .01) << "four Monte Carlo errors";
}

TEST(LawFit, TakesNothingOutWhereAllParametersAreHeld) {
  const Series y = simulate(parse_model("zero / garch"), {.05, .1, .85}, 800, {.seed = 8});
  const LawFit judged =
      law_fit(estimate("zero / garch omega=0.05 alpha1=0.1 beta1=0.85 / normal", y));
  const laws::TransformLaw plain(
      Eigen::MatrixXd(static_cast<Eigen::Index>(laws::transform_nodes().size()), 0),
      Eigen::MatrixXd(0, 0));
  EXPECT_NEAR(*judged.anderson_darling.p_value,
              plain.anderson_darling(judged.anderson_darling.statistic), 1e-9);
  EXPECT_NEAR(*judged.cramer_von_mises.p_value,
              plain.cramer_von_mises(judged.cramer_von_mises.statistic), 1e-9);
}

// An AR(1) by exact likelihood: of its parameters only mean and variance reach the transforms.
TEST(LawFit, KnowsTheExactLikelihood) {
  const Series y = simulate(parse_model("const ar1"), {2, .6, 1}, 4000, {.seed = 4});
  const Fit exact = estimate("const ar1", y),
            conditional = estimate("const ar1", y, {.likelihood = LikelihoodKind::conditional});
  ASSERT_TRUE(exact.exact);
  const TestResult a = law_fit(exact).anderson_darling, b = law_fit(conditional).anderson_darling;
  EXPECT_NEAR(a.statistic, b.statistic, .03) << "the estimates differ by a term in 1 / n";
  EXPECT_NEAR(*a.p_value, *b.p_value, .02);
}

TEST(LawFit, DoesNotDependOnTheUnit) {
  Series y = simulate(parse_model("const / gjr / skew-student"), {.02, .05, .02, .1, .86, 6, -.2},
                      900, {.seed = 21});
  const LawFit percent = law_fit(estimate("const / gjr / skew-student", y));
  for (double& v : y.values) v *= 1e-4;
  const LawFit small = law_fit(estimate("const / gjr / skew-student", y));
  // Estimates in another unit agree to 1e-7 of themselves, and p moves with them.
  EXPECT_NEAR(percent.anderson_darling.statistic, small.anderson_darling.statistic, 1e-6);
  EXPECT_NEAR(*percent.anderson_darling.p_value, *small.anderson_darling.p_value, 1e-6);
}

struct Cell {
  const char* made_by;
  std::vector<double> theta;
  const char* fitted_by;
};
double share_rejected(const Cell& c, std::size_t rows, std::size_t count) {
  const Executor executor = Executor::all_cores();
  const std::vector<Fit> fits = fits_of(c.fitted_by, c.made_by, c.theta, rows, count, 63, executor);
  std::vector<double> rejected(count);
  executor.for_each(count, [&](std::size_t s) {
    rejected[s] = fits[s].usable() && *law_fit(fits[s]).anderson_darling.rejects();
  });
  const double share = std::accumulate(rejected.begin(), rejected.end(), 0.0) / count;
  fmt::print("  {} on {}, {} rows: {:.1f} % of {}\n", c.fitted_by, c.made_by, rows, 100 * share,
             count);
  return share;
}

// Four Monte Carlo errors around 5 %; the study with thousands of series is in docs/sizes.md.
TEST(LawFit, RejectsAsOftenAsItSaysUnderEachLaw) {
  for (const Cell& c :
       {Cell{"const / garch / normal", {0, .05, .1, .85}, "const / garch / normal"},
        Cell{"const / garch / student", {0, .05, .1, .85, 6}, "const / garch / student"},
        Cell{"const / garch / ged", {0, .05, .1, .85, 1.3}, "const / garch / ged"},
        Cell{"zero / garch / skew-student", {.05, .1, .85, 7, -.2}, "zero / garch / skew-student"}})
    EXPECT_NEAR(share_rejected(c, 600, 200), .05, .062) << c.made_by;
}

TEST(LawFit, FindsHeavyTailsAndSkewness) {
  EXPECT_GT(
      share_rejected({"const / garch / student", {0, .05, .1, .85, 5}, "const / garch"}, 600, 100),
      .9);
  EXPECT_GT(
      share_rejected(
          {"const / garch / skew-student", {0, .05, .1, .85, 7, -.2}, "const / garch / student"},
          1500, 100),
      .9);
}

TEST(LawFit, NamesTheTailThatDeparts) {
  const LawFit heavy =
      law_fit(estimate("zero / garch", simulate(parse_model("zero / garch / student"),
                                                {.05, .1, .85, 4}, 3000, {.seed = 5})));
  ASSERT_GE(heavy.departures.size(), 2u);
  EXPECT_NE(heavy.departures[0].where, Where::centre);
  for (const LawDeparture& d : heavy.departures)
    EXPECT_GT(d.score, 2) << "more shocks far out, and more in the centre";
  EXPECT_THAT(words(heavy.departures), testing::HasSubstr("tail is heavier than the law's"));
  EXPECT_EQ(heavy.anderson_darling.reading, words(heavy.departures));

  const LawFit skewed = law_fit(
      estimate("zero / garch / student", simulate(parse_model("zero / garch / skew-student"),
                                                  {.05, .1, .85, 6, -.4}, 3000, {.seed = 5})));
  ASSERT_FALSE(skewed.departures.empty());
  const auto lower =
      std::find_if(skewed.departures.begin(), skewed.departures.end(),
                   [](const LawDeparture& d) { return d.where == Where::lower_tail; });
  ASSERT_NE(lower, skewed.departures.end());
  EXPECT_GT(lower->share, lower->expected) << "falls are larger than the symmetric law's";

  const LawFit right =
      law_fit(estimate("zero / garch / student", simulate(parse_model("zero / garch / student"),
                                                          {.05, .1, .85, 4}, 3000, {.seed = 5})));
  EXPECT_TRUE(right.departures.empty());
  EXPECT_EQ(right.anderson_darling.reading, "the law fits the shocks");
}

TEST(LawFit, RefusesFewRows) {
  const Fit fit =
      estimate("const", make_series({1, 2, 1.5, 0.3, 2.2, 1.1, 1.7, 0.9, 1.2, 1.4, 2.6}));
  EXPECT_EQ(test::error_of([&] { (void)law_fit(fit); }).code(), ErrorCode::too_few_observations);
}

}  // namespace
}  // namespace brace
