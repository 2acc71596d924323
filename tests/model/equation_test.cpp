// SPDX-License-Identifier: Apache-2.0
// The equation written out, and the fuller check of mean models.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::HasSubstr;

TEST(Equation, IsTheFittedOne) {
  const Series y = simulate(parse_model("diff1 diff12 ma1 sma12"), {-.4, -.5, 1}, 200, {.seed = 4});
  const Fit fit = estimate("diff1 diff12 ma1 ma1=-0.4 sma12 sma12=-0.5 / steady sigma2=2", y);
  EXPECT_EQ(equation(fit),
            "  (1 - B) (1 - B^12) y_t = u_t\n"
            "  u_t = (1 - 0.400 B)(1 - 0.500 B^12) e_t\n"
            "  e_t normal, variance 2.000\n"
            "  y: simulated; B y_t = y_t-1\n\n"
            "  ma1: -0.4000 of the surprise of 1 row ago still shows (held).\n"
            "  sma12: -0.5000 of the surprise of 12 rows ago comes back (held).\n"
            "  sigma2: surprises have a standard deviation of 1.41 (held).\n");
}

TEST(Equation, ReadsEveryKindOfTerm) {
  Series y = simulate(parse_model("const ar1 / garch / student"), {1, .3, .1, .1, .8, 6}, 800,
                      {.seed = 4});
  y.companions = {{"x", {}}};
  for (std::size_t t = 0; t < y.size(); ++t)
    y.companions[0].values.push_back(std::sin(static_cast<double>(t)));
  const std::string text =
      equation(estimate("const trend ar1 sar12 harmonics 12:1 with x / garch / student", y));
  for (const char* part :
       {"(1 - ", "cos(2 pi t / 12)", " x_t + u_t", "B^12)", "h_t = ", "e_t-1^2", "h_t-1",
        "z student, nu", "t = 1 at row 1", "trend: each row adds", "one more of x goes with",
        "of the squared surprise of 1 row ago enters the variance",
        "of the variance of 1 row ago is carried on"})
    EXPECT_THAT(text, HasSubstr(part));
}

TEST(CheckOfMeans, NamesWhatIsLeft) {
  const Series y = simulate(parse_model("const ar1 sar12"), {0, .4, .6, 1}, 400, {.seed = 4});
  const Check left = check(estimate("const ar1", y), {.period = 12});
  EXPECT_EQ(left.verdict, CheckVerdict::memory_in_mean);
  EXPECT_THAT(left.reading, HasSubstr("a season is left at lag 12, of the season"));
  const Check clean = check(estimate("const ar1 sar12", y));
  EXPECT_EQ(clean.groups.at(0).answer, CheckAnswer::holds) << clean;
  EXPECT_NE(clean.groups.at(1).answer, CheckAnswer::fails) << clean;
  ASSERT_FALSE(clean.whiteness.empty());
  EXPECT_EQ(*clean.whiteness[0].lags, 3) << "two terms and one degree of freedom";
  EXPECT_EQ(clean.whiteness[0].dof[0], 1);
  EXPECT_EQ(clean.roots.size(), 13u) << "of (1 - ar B)(1 - sar B^12)";
  for (const InverseRoot& r : clean.roots) EXPECT_LT(std::abs(r.value), 1);
}

// Sizes at 5 % over 400 series: a binomial share lies within .05 +- .033 with probability .997.
TEST(CheckOfMeans, TestsOfVarianceAndHalvesKeepTheirSizeAndSeeWhatTheyShould) {
  std::size_t fitted = 0, white = 0, halves = 0;
  for (std::uint64_t s = 0; s < 400; ++s) {
    const Fit fit = estimate("const ar1", simulate(parse_model("const ar1"), {0, .5, 1}, 400,
                                                   {.seed = 31, .stream = s}));
    fitted += *breusch_pagan(fit).rejects();
    white += *breusch_pagan(fit, true).rejects();
    halves += *two_halves(fit).rejects();
  }
  for (const std::size_t count : {fitted, white, halves}) {
    EXPECT_GE(count, 7u);
    EXPECT_LE(count, 33u);
  }
  Series loud = simulate(parse_model("const ar1"), {0, .8, 1}, 400, {.seed = 3});
  const std::vector<double> before = loud.values;
  RandomStream stream(4, 0);
  for (std::size_t t = 0; t < loud.size(); ++t)
    loud.values[t] = std::exp(before[t] / 3) * (1 + .3 * stream.normal()) * 100;
  EXPECT_TRUE(*breusch_pagan(estimate("const ar1", loud)).rejects());
  Series changed = simulate(parse_model("const ar1"), {0, .8, 1}, 200, {.seed = 3});
  changed.append(simulate(parse_model("const ar1"), {0, -.5, 1}, 200, {.seed = 4}));
  const TestResult test = two_halves(estimate("const ar1", changed));
  EXPECT_TRUE(*test.rejects());
  EXPECT_EQ(test.reading, "the halves differ, most in ar1");
}

}  // namespace
}  // namespace brace
