// SPDX-License-Identifier: Apache-2.0
// A difference too many, told by a test of the moving average's root.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "brace/base/executor.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "estimation/unit_ma_root.hpp"

namespace brace {
namespace {

bool over_differenced(const Fit& fit) {
  return std::any_of(fit.warnings.begin(), fit.warnings.end(),
                     [](const Warning& w) { return w.code == WarningCode::over_differenced; });
}

std::size_t told(const char* line, const char* truth, const std::vector<double>& theta,
                 std::size_t rows, std::uint64_t series) {
  std::vector<FitJob> jobs;
  for (std::uint64_t s = 0; s < series; ++s)
    jobs.push_back({.model = parse_model(line),
                    .series = std::make_shared<Series>(
                        simulate(parse_model(truth), theta, rows, {.seed = 55, .stream = s}))});
  std::size_t count = 0;
  for (const Fit& fit : values_of(fit_many(jobs, {}, Executor(2)))) count += over_differenced(fit);
  return count;
}

// White noise, differenced: told in 95 % of series; a season of noise too.
TEST(OverDifferenced, IsToldOfADifferenceTooMany) {
  EXPECT_GE(told("diff1 ma1", "zero", {1}, 400, 200), 182u);
  EXPECT_GE(told("diff1 ar1 ma1", "zero ar1", {.5, 1}, 400, 200), 178u);
  EXPECT_GE(told("diff12 sma12", "zero", {1}, 400, 200), 182u);
}

// A root of .9 in 400 rows is told from one, and one of .5 always; in 80 rows .97 is not.
TEST(OverDifferenced, IsNotToldWhereTheRootIsElsewhere) {
  EXPECT_LE(told("diff1 ma1", "diff1 ma1", {-.9, 1}, 400, 200), 6u);
  EXPECT_EQ(told("diff1 ma1", "diff1 ma1", {-.5, 1}, 400, 100), 0u);
  EXPECT_EQ(told("ma1", "zero ma1", {-.97, 1}, 80, 50), 0u) << "nothing was differenced";
  EXPECT_GE(told("diff1 ma1", "diff1 ma1", {-.97, 1}, 80, 100), 60u) << "but the sample says both";
}

// The ratio is that of two fits, one with the root held.
TEST(OverDifferenced, TheRatioIsThatOfTwoFits) {
  for (std::uint64_t s = 0; s < 20; ++s) {
    const Series y = simulate(parse_model("diff1 ma1"), {-.97, 1}, 300, {.seed = 57, .stream = s});
    const Fit fit = estimate("diff1 ma1", y);
    Model held = parse_model("diff1 ma1");
    held.held.push_back({"ma1", -(1 - 1e-5)});
    const auto found = unit_ma_root(fit, mean_data(fit.model, y));
    if (!found) {
      EXPECT_GT(fit.parameters[0].estimate, -.95);
      continue;
    }
    // Two climbs to the same height.
    EXPECT_NEAR(found->statistic,
                std::max(0.0, 2 * (*fit.log_likelihood - *estimate(held, y).log_likelihood)), 1e-6);
    EXPECT_NEAR(found->inverse_root, -fit.parameters[0].estimate, 1e-12);
    EXPECT_EQ(over_differenced(fit), !found->rejected());
  }
}

}  // namespace
}  // namespace brace
