// SPDX-License-Identifier: Apache-2.0
// Constancy of a fit's parameters, and all kinds of break together.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sstream>

#include "brace/brace.hpp"
#include "support/known_answers.hpp"
#include "support/made.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Json;

Series garch(std::size_t n, std::uint64_t seed, double factor = 1) {
  Series y =
      simulate(parse_model("const / garch / student"), {0, .04, .08, .87, 8}, n, {.seed = seed});
  for (std::size_t t = n / 2; t < n; ++t) y.values[t] *= std::sqrt(factor);
  return y;
}

TEST(Nyblom, KnownAnswer) {
  const Json answer = test::known_answer("o29");
  const Fit fit = estimate("const / garch", test::series_of(answer));
  const auto tests = nyblom(fit);
  const double rel = answer["tolerance"]["rel"];
  ASSERT_EQ(tests.size(), 5u);
  // What the answer file allows, of itself.
  EXPECT_NEAR(tests[0].statistic, answer["expected"]["joint"].get<double>(), rel * .57);
  for (std::size_t i = 1; i < tests.size(); ++i) {
    const double want = answer["expected"]["individual"][tests[i].variant];
    EXPECT_NEAR(tests[i].statistic, want, rel * want) << tests[i].variant;
  }
}

TEST(Nyblom, LeavesHeldParametersOut) {
  const auto tests = nyblom(estimate("const / garch beta1=0.87 / student", garch(1500, 3)));
  ASSERT_EQ(tests.size(), 5u) << "joint, mu, omega, alpha1, nu";
  EXPECT_EQ(tests[0].dof[0], 4);
  for (const TestResult& t : tests) EXPECT_NE(t.variant, "beta1");
}

TEST(VarianceBreak, FindsTheDateOfAChangedEquation) {
  const Series y = garch(2000, 5, 3);
  const TestResult found = variance_break_test(estimate("const / garch / student", y));
  EXPECT_LT(*found.p_value, .001);
  // The date of a change of this size is known to some dozens of rows.
  EXPECT_NEAR(static_cast<double>(found.break_at->row + 1), 1000, 60);
  const TestResult none = variance_break_test(estimate("const / garch / student", garch(2000, 5)));
  EXPECT_GT(*none.p_value, .05);
}

// The terms of the mean are held, so what is left of a series without its memory tells the same.
TEST(VarianceBreak, SeesTheShocksOfTheMeanAlone) {
  const Series y = garch(800, 5, 3);
  Series with_memory = y;
  for (std::size_t t = 1; t < y.size(); ++t)
    with_memory.values[t] = y.values[t] + .6 * with_memory.values[t - 1];
  const TestResult here = variance_break_test(estimate("zero / garch / student", y)),
                   there = variance_break_test(
                       estimate("zero ar1 ar1=0.6 / garch / student", with_memory));
  EXPECT_NEAR(there.statistic, here.statistic, 1e-6 * here.statistic)
      << "but for the first row, whose forecast differs";
  EXPECT_EQ(there.break_at->row, here.break_at->row);
  EXPECT_EQ(there.dof, std::vector<double>{3}) << "omega, alpha1, beta1";
  const TestResult around_mean = variance_break_test(estimate("const / garch / student", y));
  EXPECT_EQ(around_mean.dof, there.dof);
}

// Both sides hold the mu of the whole, however far from 0 it lies.
TEST(VarianceBreak, IsTheSameAroundAnyMean) {
  const Series y = garch(600, 5, 3);
  const TestResult here = variance_break_test(estimate("const / garch / student", y));
  for (const double mean : {1e2, 1e4, 1e6}) {
    Series far = y;
    for (double& v : far.values) v += mean;
    const TestResult there = variance_break_test(estimate("const / garch / student", far));
    // Values near 1e6 keep ten digits of a shock.
    EXPECT_NEAR(there.statistic, here.statistic, 1e-4 * here.statistic) << mean;
  }
}

TEST(FirstModel, HasTheLagsThatTheMeanNeeds) {
  const auto line = [](const Series& y) { return to_string(first_model(y)); };
  EXPECT_EQ(line(garch(1500, 3)), "const / garch e1 h1 / student");
  EXPECT_EQ(line(test::white(1, 30)), "const / garch e1 h1 / student");
  const Series one = simulate(parse_model("const ar1"), {5, .6, 1}, 1000, {.seed = 2});
  EXPECT_EQ(line(one), "const ar1 / garch e1 h1 / student");
  const Series two = simulate(parse_model("const ar1,2"), {5, .5, .3, 1}, 1000, {.seed = 3});
  EXPECT_EQ(line(two), "const ar1,2 / garch e1 h1 / student");
}

// Memory of the mean that the model leaves out reads as parameters that change: 'const / garch'
// found a break in 19 of 40 such series of 1,000 rows.
TEST(FindBreaks, TakeMemoryForNoBreak) {
  int found = 0;
  for (std::uint64_t s = 1; s <= 24; ++s) {
    const Series y = simulate(parse_model("const ar1"), {1, .9, 1}, 400, {.seed = 21, .stream = s});
    const BreakReport report = find_breaks(y);
    EXPECT_THAT(report.model, testing::StartsWith("const ar1"));
    if (!report.breaks.empty()) ++found;
  }
  // Of 24 at 5 % more than 4 come by chance in one of a hundred.
  EXPECT_LE(found, 4);
}

TEST(FindBreaks, TellsKindDateSegmentsAndWhatItDidToPersistence) {
  const BreakReport report = find_breaks(garch(2400, 7, 4));
  ASSERT_EQ(report.breaks.size(), 1u) << report.reading;
  EXPECT_EQ(report.breaks[0].kind, BreakKind::variance);
  // The same of a longer sample.
  EXPECT_NEAR(static_cast<double>(report.breaks[0].at.row + 1), 1200, 60);
  ASSERT_EQ(report.segments.size(), 2u);
  EXPECT_EQ(report.segments[0].n + report.segments[1].n, 2400u);
  // The sd of 1,200 rows that cluster is known to about a tenth.
  EXPECT_NEAR(report.segments[1].sd / report.segments[0].sd, 2, .3);
  ASSERT_TRUE(report.persistence && report.segments[0].persistence);
  EXPECT_GT(*report.persistence, *report.segments[0].persistence);
  std::ostringstream out;
  out << report;
  EXPECT_NE(out.str().find("part of it is only the break"), std::string::npos) << out.str();
  for (std::istringstream lines(out.str()); !lines.eof();) {
    std::string line;
    std::getline(lines, line);
    EXPECT_LE(line.size(), 100u) << line;
  }
}

TEST(FindBreaks, FindsAShiftOfTheMean) {
  Series y = garch(1200, 8);
  for (std::size_t t = 700; t < y.size(); ++t) y.values[t] += 1;
  const BreakReport report = find_breaks(y);
  ASSERT_FALSE(report.breaks.empty());
  EXPECT_EQ(report.breaks[0].kind, BreakKind::mean);
  // A step of one sd is dated to some dozens of rows.
  EXPECT_NEAR(static_cast<double>(report.breaks[0].at.row + 1), 700, 25);
}

// Breaks of one kind are as many changes, however near; a last segment of few rows is no sample.
TEST(FindBreaks, HasASegmentForEachBreakOfOneKind) {
  Series y = test::white(3, 300);
  for (int t = 0; t < 300; ++t) {
    y.values[static_cast<std::size_t>(t)] += t / 60 % 2 == 0 ? 0 : 4;
    y.times.push_back(std::chrono::sys_days{std::chrono::year{2024} / 1 / 1} +
                      std::chrono::days{t});
  }
  y.clock = Clock::day;
  const BreakReport report = find_breaks(y, {.number = 4});
  ASSERT_EQ(report.breaks.size(), 4U) << report;
  for (const BreakReport::Found& found : report.breaks) EXPECT_EQ(found.kind, BreakKind::mean);
  ASSERT_EQ(report.segments.size(), 5U) << report;
  ASSERT_LT(report.segments.back().n, 100U);
  EXPECT_FALSE(report.from);
  EXPECT_THAT(report.advice.back(),
              testing::HasSubstr(fmt::format("the {} rows after the last break are too few",
                                             report.segments.back().n)));
}

TEST(FindBreaks, HolmPutsTheKindsTogether) {
  const BreakReport report = find_breaks(garch(1500, 9));
  EXPECT_TRUE(report.breaks.empty()) << report.reading;
  EXPECT_EQ(report.segments.size(), 1u);
  EXPECT_GE(report.holm.mean, *report.tests[0].p_value);
  EXPECT_GE(report.holm.variance, std::min(*report.tests[1].p_value, *report.tests[2].p_value));
  EXPECT_GE(*report.holm.parameters, *report.tests[3].p_value);
  EXPECT_EQ(find_breaks(garch(1500, 9), {.number = 1}).breaks.size(), 1u)
      << "a number asked for is given";
}

TEST(FindBreaks, IsTheSameWhateverTheThreads) {
  const Series y = garch(1500, 10, 3);
  std::ostringstream one, two;
  one << find_breaks(y, {}, Executor(1));
  two << find_breaks(y, {}, Executor(2));
  EXPECT_EQ(one.str(), two.str());
}

TEST(FindBreaks, RefusesShortSeriesAndUnusableFits) {
  EXPECT_EQ(test::error_of([] { (void)find_breaks(test::white(1, 100)); }).code(),
            ErrorCode::too_few_observations);
  Fit empty;
  empty.model = parse_model("const / garch");
  EXPECT_EQ(test::error_of([&] { (void)nyblom(empty); }).code(), ErrorCode::bad_option);
}

}  // namespace
}  // namespace brace
