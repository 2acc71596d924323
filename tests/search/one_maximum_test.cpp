// SPDX-License-Identifier: Apache-2.0
// One maximum for one line on one series, whoever asks: fit alone, a candidate of a search, a model
// compared. Hard series: persistent and differenced, so that MA roots lie near the circle, and weak
// terms of order four and five on returns.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "support/hard_series.hpp"

namespace brace {
namespace {

const SearchOptions kAllOrders{.differences = 0,
                               .constant = SearchOptions::Constant::always,
                               .walk = SearchOptions::Walk::full};

TEST(OneMaximum, SearchAndFitReachTheSameAndNoModelLiesBelowOneThatItContains) {
  for (const std::uint64_t number : {1u, 3u, 5u, 7u}) {
    const Series y = hard_series(number);
    const Search found = search(y, kAllOrders, Executor(2));
    ASSERT_EQ(found.candidates.size(), 36u);
    for (const MeanCandidate& c : found.candidates) {
      ASSERT_TRUE(c.log_likelihood) << number << ' ' << to_string(c.model);
      for (const MeanCandidate& small : found.candidates)
        if (small.model.mean.ar.size() <= c.model.mean.ar.size() &&
            small.model.mean.ma.size() <= c.model.mean.ma.size()) {
          EXPECT_GE(*c.log_likelihood, *small.log_likelihood - 1e-4)
              << number << ' ' << to_string(c.model) << " below " << to_string(small.model);
        }
    }
    for (const char* line : {"const ar1 ma1", "const ar1,2 ma1,2", "const ar1..3 ma1,2"}) {
      const Fit fit = estimate(line, y);
      const auto same = std::find_if(found.candidates.begin(), found.candidates.end(),
                                     [&](const MeanCandidate& c) { return c.model == fit.model; });
      ASSERT_NE(same, found.candidates.end());
      // Two climbs to the same height.
      EXPECT_NEAR(*fit.log_likelihood, *same->log_likelihood, 1e-6) << number << ' ' << line;
      EXPECT_EQ(fit.convergence.status, same->status);
    }
    EXPECT_NEAR(*found.best().log_likelihood, *found.candidates[found.chosen].log_likelihood, 1e-6);
  }
}

// The series of the first report: a pair of roots near the circle that a regression does not see.
TEST(OneMaximum, IsFoundWhereTheGuessesLieOnAnotherHill) {
  const Series y = hard_series(2);
  const Fit fit = estimate("const ar1 ma1", y);
  EvaluationBest best;
  for (const double ar : {-.9, -.5, 0., .5, .8, .9, .95})
    for (const double ma : {-.999, -.98, -.9, -.5, 0., .5}) best.try_at(y, ar, ma);
  EXPECT_GE(*fit.log_likelihood, best.log_likelihood - 1e-3);
}

TEST(OneMaximum, AsManyStartsAsAskedForAreClimbedFrom) {
  for (const std::uint64_t number : {1u, 2u, 9u})
    for (const char* line : {"const ar1 ma1", "const ar1..3 ma1", "const ar2 ma1,3"}) {
      const Series y = hard_series(number);
      const Fit usual = estimate(line, y), many = estimate(line, y, {.starts = 24});
      EXPECT_EQ(many.convergence.starts, 24);
      EXPECT_GE(*many.log_likelihood, *usual.log_likelihood - 1e-4) << number << ' ' << line;
      EXPECT_EQ(estimate(line, y, {.starts = 1}).convergence.starts, 1);
    }
}

// A seasonal model that overfits: the usual starts end nowhere, one from elsewhere does.
TEST(OneMaximum, OfSeasonalFactorsIsLookedForElsewhereWhereNoClimbEndedWell) {
  Series price = read_csv(BRACE_SOURCE_DIR "/data/lamp-oil.csv", {});
  for (double& v : price.values) v = std::log(v);
  const Fit large = estimate("diff1 ar1..3 ma1..3 sar12 sma12", price),
            small = estimate("diff1 ar1,2 ma1,2 sar12 sma12", price);
  EXPECT_TRUE(large.usable()) << large.convergence.why;
  EXPECT_GE(*large.log_likelihood, *small.log_likelihood);
}

TEST(OneMaximum, OfASearchCountsInequalitiesAmongTheOthersAndRootsApart) {
  const Series y =
      simulate(parse_model("const / gjr / normal"), {0, .05, 0, .15, .85}, 2500, {.seed = 6});
  const VarianceSearch found = search_variances(
      y, {.variances = {Garch{}, Gjr{}, {Gjr{}, {{"alpha1", 0}}}}, .laws = {Normal{}}});
  bool held = false;
  for (const VarianceCandidate& c : found.candidates) {
    EXPECT_EQ(c.place(), 0) << to_string(c.model) << ": a bound on alpha1 is no fault";
    held = held || to_string(c.model).find("alpha1=0") != std::string::npos;
  }
  EXPECT_TRUE(held) << "what a line holds stays held";
  for (std::size_t i = 1; i < found.candidates.size(); ++i)
    EXPECT_LE(*found.candidates[i - 1].bic, *found.candidates[i].bic);
}

// On white series a single lag is added by chance in 5 % at most; a planted one is found.
TEST(OneMaximum, SparseSearchGuardsAgainstChance) {
  SearchOptions options{.most_ar = 1, .most_ma = 1, .differences = 0, .sparse = true};
  constexpr std::size_t kSeries = 500;
  std::vector<char> added(kSeries, 0);
  Executor::all_cores().for_each(kSeries, [&](std::size_t s) {
    maths::RandomStream stream(91, s);
    std::vector<double> y(500);
    for (double& v : y) v = stream.normal();
    const Search found = search(make_series(std::move(y)), options);
    const Mean& mean = found.candidates[found.chosen].model.mean;
    for (const Lags* lags : {&mean.ar, &mean.ma}) added[s] |= !lags->empty() && lags->back() > 1;
  });
  const auto count = std::count(added.begin(), added.end(), 1);
  fmt::print("  a lag added on {} of {} white series\n", count, kSeries);
  EXPECT_LE(count, 25);
  const Series planted =
      simulate(parse_model("const ar16"), {0, .1, 1}, 2500, {.seed = 17, .stream = 3});
  const Search found = search(planted, options);
  EXPECT_EQ(found.candidates[found.chosen].model.mean.ar.back(), 16) << found;
}

// A lag of the season that stands out is not white, whatever ten lags say.
TEST(OneMaximum, WhitenessOfACandidateReachesOverTheSeason) {
  const Series y = simulate(parse_model("const sar12"), {0, .35, 1}, 600, {.seed = 2});
  const Fit fit = estimate("const", y);
  EXPECT_LT(*scored(fit, 12).whiteness_p, .05);
  EXPECT_EQ(check(fit, {.period = 12}).groups.front().answer, CheckAnswer::fails);
}

}  // namespace
}  // namespace brace
