// SPDX-License-Identifier: Apache-2.0
// Search: finds what made the series, keeps the runners-up, does not depend on threads.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sstream>

#include "brace/brace.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::HasSubstr;

Series made(const char* line, std::vector<double> theta, std::size_t n, std::uint64_t seed) {
  return simulate(parse_model(line), theta, n, {.seed = seed});
}

TEST(Search, FindsTheOrderThatMadeTheSeries) {
  const Series y = made("const ar1,2", {2, .5, .3, 1}, 1500, 4);
  const Search found =
      search(y, {.most_ar = 4, .most_ma = 3, .differences = 0, .criterion = Criterion::bic});
  EXPECT_EQ(found.candidates.size(), 20u);
  EXPECT_EQ(mean_part(found.candidates[found.chosen].model), "const ar1,2");
  EXPECT_TRUE(found.candidates[found.chosen].white());
  for (std::size_t i = 1; i < found.candidates.size(); ++i) {
    if (found.candidates[i].status == FitStatus::converged) {
      EXPECT_LE(*found.candidates[i - 1].bic, *found.candidates[i].bic) << "best first";
    }
  }
  EXPECT_EQ(to_string(found.best().model), to_string(found.candidates[found.chosen].model));
  std::ostringstream out;
  out << found;
  EXPECT_THAT(out.str(), HasSubstr("const ar1,2 is the best of 20 candidates by bic."));
  EXPECT_THAT(out.str(), HasSubstr("chance alone gives 1.2"));
}

TEST(Search, AsksTheTestsForDifferencesThatAreNotGiven) {
  const Search walk = search(made("diff1 ar1", {.4, 1}, 400, 6), {.most_ar = 1, .most_ma = 0});
  EXPECT_EQ(walk.differences.regular, 1);
  EXPECT_EQ(mean_part(walk.candidates[walk.chosen].model), "diff1 ar1");
  const Search season = search(made("diff1 diff12 ma1 sma12", {-.4, -.5, 1}, 300, 6),
                               {.most_ar = 1,
                                .most_ma = 1,
                                .period = 12,
                                .differences = 1,
                                .seasonal_differences = 1,
                                .walk = SearchOptions::Walk::full});
  EXPECT_TRUE(season.differences.tests.empty()) << "both were given";
  EXPECT_EQ(mean_part(season.candidates[season.chosen].model), "diff1 diff12 ma1 sma12");
}

TEST(Search, IsTheSameWhateverTheThreadsAndNearlySoStepwise) {
  const Series y = made("const ar1 ma1", {1, .7, .4, 1}, 600, 3);
  const SearchOptions options{.most_ar = 3, .most_ma = 3, .differences = 0};
  const Search one = search(y, options, Executor(1)), two = search(y, options, Executor(2));
  ASSERT_EQ(one.candidates.size(), two.candidates.size());
  for (std::size_t i = 0; i < one.candidates.size(); ++i) {
    EXPECT_EQ(to_string(one.candidates[i].model), to_string(two.candidates[i].model));
    EXPECT_EQ(one.candidates[i].log_likelihood, two.candidates[i].log_likelihood);
  }
  SearchOptions stepwise = options;
  stepwise.walk = SearchOptions::Walk::stepwise;
  const Search fast = search(y, stepwise);
  EXPECT_TRUE(fast.stepwise);
  EXPECT_LT(fast.candidates.size(), one.candidates.size());
  EXPECT_LE(*fast.candidates[fast.chosen].aicc, *one.candidates[one.chosen].aicc + 2);
}

TEST(Search, ProposesTheLagThatIsMissingAndTakesItWhereAskedTo) {
  const Series y = made("const ar1 ma9", {0, .3, .5, 1}, 1500, 7);
  const SearchOptions narrow{.most_ar = 1, .most_ma = 1, .differences = 0};
  const Search found = search(y, narrow);
  const auto nine = std::find_if(found.proposals.begin(), found.proposals.end(),
                                 [](const LagProposal& p) { return p.lag == 9; });
  ASSERT_NE(nine, found.proposals.end());
  EXPECT_GT(*nine->gain, 50);
  SearchOptions sparse = narrow;
  sparse.sparse = true;
  const Search wide = search(y, sparse);
  EXPECT_GT(wide.candidates.size(), found.candidates.size());
  EXPECT_LT(*wide.candidates[0].aicc, *found.candidates[0].aicc - 50);
}

TEST(Search, KeepsTheTermsThatAllShare) {
  Series y = made("const ar1", {0, .5, 1}, 400, 5);
  for (std::size_t t = 0; t < y.size(); ++t)
    y.values[t] += 4 * std::cos(2 * 3.14159265358979 * static_cast<double>(t + 1) / 12);
  const Mean kept = parse_model("const harmonics 12:1").mean;
  const Search found = search(y, {.most_ar = 2, .most_ma = 1, .differences = 0, .kept = kept});
  for (const MeanCandidate& c : found.candidates) EXPECT_EQ(c.model.mean.harmonics.size(), 1u);
  EXPECT_EQ(found.candidates[found.chosen].model.mean.ar, (Lags{1}));
}

// A difference too many pins an MA term: such candidates come last and the reader is told.
TEST(Search, PutsPinnedCandidatesLast) {
  const Search found = search(
      made("const", {0, 1}, 300, 4),
      {.most_ar = 2, .most_ma = 2, .differences = 1, .constant = SearchOptions::Constant::never});
  bool pinned = false;
  for (const MeanCandidate& c : found.candidates) {
    if (pinned) {
      EXPECT_NE(c.status, FitStatus::converged);
    }
    pinned = pinned || c.status != FitStatus::converged;
  }
  EXPECT_TRUE(pinned);
  EXPECT_EQ(found.candidates[found.chosen].status, FitStatus::converged);
  ASSERT_FALSE(found.warnings.empty());
  EXPECT_EQ(found.warnings[0].code, WarningCode::root_at_edge);
  EXPECT_NE(found.warnings[0].text.find("'trend' or 'harmonics'"), std::string::npos);
  // What every candidate has already is not advised.
  const Search trended =
      search(made("const", {0, 1}, 300, 4),
             {.most_ar = 2, .most_ma = 2, .differences = 0, .kept = parse_model("trend").mean});
  for (const Warning& w : trended.warnings)
    EXPECT_EQ(w.text.find("'trend'"), std::string::npos) << w.text;
}

TEST(Search, RefusesWhatIsNoSet) {
  const Series y = made("const", {0, 1}, 100, 5);
  EXPECT_STREQ(test::error_of([&] { (void)search(y, {.most_ar = 25}); }).what(),
               "most_ar = 25: must lie between 0 and 24");
  EXPECT_STREQ(test::error_of([&] { (void)search(y, {.period = 1}); }).what(),
               "period = 1: from 2, or left out for none");
  EXPECT_STREQ(test::error_of([&] { (void)search(y, {.differences = 3}); }).what(),
               "differences = 3: must lie between 0 and 2");
}

}  // namespace
}  // namespace brace
