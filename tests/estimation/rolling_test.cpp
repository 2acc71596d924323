// SPDX-License-Identifier: Apache-2.0
#include "brace/estimation/rolling.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <string>

#include "brace/base/error.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

Series rolling_returns(std::size_t n, std::uint64_t seed = 5) {
  Series y =
      simulate(parse_model("const / garch / student"), {.04, .03, .08, .89, 6}, n, {.seed = seed});
  y.kind = SeriesKind::log_return;
  return y;
}

void expect_same(const RollingFit& a, const RollingFit& b) {
  ASSERT_EQ(a.first, b.first);
  ASSERT_EQ(a.count, b.count);
  EXPECT_EQ(a.status, b.status);
  EXPECT_EQ(a.log_likelihood, b.log_likelihood);
  EXPECT_EQ(a.estimates, b.estimates);
  EXPECT_EQ(a.covariance, b.covariance);
}

TEST(FitRolling, LanesGiveWhatEachWindowAloneGives) {
  const Series y = rolling_returns(1150);
  for (const char* line :
       {"const / garch / normal", "zero / garch / student", "const / garch / student"}) {
    const Model model = parse_model(line);
    const auto lanes = fit_rolling(model, y, {.window = 1000}, Executor(2));
    const auto alone = fit_rolling(model, y, {.window = 1000, .lanes = false}, Executor(2));
    ASSERT_EQ(lanes.size(), 151U);
    ASSERT_EQ(alone.size(), lanes.size());
    for (std::size_t i = 0; i < lanes.size(); ++i) {
      ASSERT_EQ(lanes[i].status, FitStatus::converged) << line << " " << i;
      EXPECT_EQ(lanes[i].end(), 1000 + i);
      EXPECT_LT(lanes[i].gradient_norm, kConverged);
      EXPECT_NEAR(lanes[i].log_likelihood, alone[i].log_likelihood, 1e-7) << line << " " << i;
      for (std::size_t j = 0; j < lanes[i].estimates.size(); ++j) {
        const double se = std::sqrt(alone[i].covariance(j, j));
        // Lanes end on another last step: a fraction of 1e-6 standard errors.
        EXPECT_NEAR(lanes[i].estimates[j], alone[i].estimates[j], 5e-6 * se);
        EXPECT_NEAR(std::sqrt(lanes[i].covariance(j, j)), se, 1e-5 * se);
      }
    }
  }
}

TEST(FitRolling, IsTheFitOfThatWindow) {
  const Series y = rolling_returns(900);
  for (const char* line : {"const ar1 / gjr / student", "const / garch / student"}) {
    const auto fits = fit_rolling(parse_model(line), y, {.window = 600, .every = 100}, Executor(1));
    ASSERT_EQ(fits.size(), 4U);
    for (const RollingFit& f : fits) {
      Series part = y;
      part.values.assign(y.values.begin() + static_cast<std::ptrdiff_t>(f.first),
                         y.values.begin() + static_cast<std::ptrdiff_t>(f.end()));
      const Fit cold = estimate(line, part);
      EXPECT_NEAR(f.log_likelihood, *cold.log_likelihood, 1e-6) << line << " " << f.first;
    }
    EXPECT_TRUE(fits[0].cold);
    EXPECT_FALSE(fits[1].cold);
  }
}

TEST(FitRolling, FitsWhatAWindowIsTurnedInto) {
  const Series y = rolling_returns(640);
  const auto doubled = [](const Series& window) {
    Series out = window;
    for (double& v : out.values) v *= 2;
    return out;
  };
  const Model model = parse_model("const / garch / student");
  const auto fits = fit_rolling(model, y, {.window = 600, .every = 20, .prepare = doubled},
                                Executor(2)),
             plain = fit_rolling(model, y, {.window = 600, .every = 20}, Executor(2));
  ASSERT_EQ(fits.size(), 3U);
  for (std::size_t i = 0; i < fits.size(); ++i) {
    ASSERT_EQ(fits[i].status, FitStatus::converged);
    EXPECT_EQ(fits[i].first, plain[i].first);
    // The same climb in another unit.
    EXPECT_NEAR(fits[i].estimates[0], 2 * plain[i].estimates[0], 1e-6);
    EXPECT_NEAR(fits[i].estimates[1], 4 * plain[i].estimates[1], 1e-6);
    EXPECT_NEAR(fits[i].estimates[2], plain[i].estimates[2], 1e-6);
  }
}

TEST(FitRolling, DoesNotDependOnThreads) {
  const Series y = rolling_returns(500);
  const Model model = parse_model("const / garch / student");
  const auto one = fit_rolling(model, y, {.window = 300}, Executor(1));
  const auto two = fit_rolling(model, y, {.window = 300}, Executor(2));
  ASSERT_EQ(one.size(), 201U);
  for (std::size_t i = 0; i < one.size(); ++i) expect_same(one[i], two[i]);
}

TEST(FitRolling, WindowsGrowWhereAsked) {
  const Series y = rolling_returns(600);
  const auto fits = fit_rolling(parse_model("const / garch / normal"), y,
                                {.window = 400, .expanding = true, .every = 50}, Executor(1));
  ASSERT_EQ(fits.size(), 5U);
  for (std::size_t i = 0; i < fits.size(); ++i) {
    EXPECT_EQ(fits[i].first, 0U);
    EXPECT_EQ(fits[i].count, 400 + 50 * i);
    EXPECT_EQ(fits[i].status, FitStatus::converged);
  }
  const auto later =
      fit_rolling(parse_model("const / garch / normal"), y,
                  {.window = 300, .every = 20, .first_end = 500, .last_end = 560}, Executor(1));
  ASSERT_EQ(later.size(), 4U);
  EXPECT_EQ(later.front().first, 200U);
  EXPECT_EQ(later.back().end(), 560U);
}

// Independent returns have alpha or beta on a bound in many windows: lanes hand those over.
TEST(FitRolling, BoundsAreReachedAndSaid) {
  const Series y = simulate(parse_model("const / steady / normal"), {.0, 1}, 460, {.seed = 8});
  const Model model = parse_model("const / garch / normal");
  const auto lanes = fit_rolling(model, y, {.window = 400}, Executor(1));
  const auto alone = fit_rolling(model, y, {.window = 400, .lanes = false}, Executor(1));
  int on_bound = 0;
  for (std::size_t i = 0; i < lanes.size(); ++i) {
    on_bound += lanes[i].status == FitStatus::boundary;
    ASSERT_NE(lanes[i].status, FitStatus::failed) << lanes[i].first;
    EXPECT_EQ(lanes[i].status, alone[i].status) << i;
    // Two climbs to the same height.
    EXPECT_NEAR(lanes[i].log_likelihood, alone[i].log_likelihood, 1e-7) << i;
  }
  EXPECT_GT(on_bound, 0);
}

TEST(FitRolling, StopsWhenToldAndSaysWhatWasNotRun) {
  const Series y = rolling_returns(500);
  std::size_t told = 0;
  std::stop_source stop;
  const auto fits = fit_rolling(parse_model("const / garch / normal"), y,
                                {.window = 300,
                                 .progress = {.report =
                                                  [&](std::size_t done, std::size_t all) {
                                                    EXPECT_EQ(all, 201U);
                                                    told = done;
                                                    if (done >= 20) stop.request_stop();
                                                  },
                                              .stop = stop.get_token()}});
  ASSERT_EQ(fits.size(), 201U);
  EXPECT_GE(told, 20U);
  EXPECT_TRUE(fits.front().status != FitStatus::not_run);
  EXPECT_EQ(fits.back().status, FitStatus::not_run);
  EXPECT_TRUE(fits.back().estimates.empty());
}

TEST(FitRolling, RefusesWindowsThatAreNotThere) {
  const Series y = rolling_returns(300);
  const Model model = parse_model("const / garch / normal");
  const auto message = [&](RollingOptions options) {
    return std::string(
        test::error_of([&] { (void)fit_rolling(model, y, options, Executor(1)); }).what());
  };
  EXPECT_EQ(message({.window = 301}),
            "windows of 301 rows that end at rows 301 to 300 are asked of a series of 300 rows");
  EXPECT_EQ(message({.window = 200, .every = 0}),
            "a rolling fit needs a window and a step of at least 1 row");
}

}  // namespace
}  // namespace brace
