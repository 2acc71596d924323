// SPDX-License-Identifier: Apache-2.0
// What programs rest on: jobs that fail by themselves, calls that can be stopped, parameters by
// name, fits without a path, series from bare numbers.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <sstream>
#include <vector>

#include "brace/base/version.hpp"
#include "brace/diagnosis/check.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/forecast/tracker.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "brace/search/search.hpp"
#include "brace/search/variance_search.hpp"
#include "brace/series/transform.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

Series garch_series(std::size_t n = 400, std::uint64_t stream = 0) {
  return simulate(parse_model("const / garch / normal"), {.03, .02, .08, .9}, n,
                  {.seed = 7, .stream = stream});
}

std::vector<FitJob> jobs_of(std::size_t count) {
  std::vector<FitJob> jobs;
  for (std::size_t i = 0; i < count; ++i)
    jobs.push_back({.model = parse_model("const / garch / normal"),
                    .series = std::make_shared<Series>(garch_series(400, i))});
  return jobs;
}

// What is stopped is the best until then and says so, after whichever pass the stop comes: within a
// step the information matrix that was to stand in for an indefinite Hessian is then not there.
TEST(Estimate, IsStoppedWithTheBestSoFar) {
  const Series y = garch_series(200, 3);
  for (const char* line :
       {"const / aparch / student", "const / egarch / ged", "const / garch e1..4 h1,2 / normal",
        "const / aparch e1..6 h1,2 / skew-student", "const / twocomp / ged",
        "const ar1,2 ma1,2 / steady / normal"}) {
    const Model model = parse_model(line);
    const Fit whole = estimate(model, y);
    std::size_t last = 0;
    for (std::size_t passes = 1; passes <= 300; passes += passes < 30 ? 1 : 7) {
      std::stop_source stop;
      EstimateOptions options;
      options.progress.stop = stop.get_token();
      options.progress.report = [&](std::size_t done, std::size_t all) {
        EXPECT_EQ(all, 0U) << "nobody knows";
        last = done;
        if (done == passes) stop.request_stop();
      };
      const Fit fit = estimate(model, y, options);
      const bool told = std::any_of(fit.warnings.begin(), fit.warnings.end(), [](const Warning& w) {
        return w.code == WarningCode::fit_stopped || w.code == WarningCode::not_converged;
      });
      if (whole.convergence.evaluations <= static_cast<int>(passes)) {
        EXPECT_FALSE(told) << line << " ended by itself";
        break;
      }
      EXPECT_EQ(last, passes) << line << ": no pass after the stop";
      EXPECT_TRUE(fit.convergence.stopped && told) << line << " " << passes;
      if (fit.usable()) {
        EXPECT_LE(*fit.log_likelihood, *whole.log_likelihood + 1e-6) << line;
      } else {
        EXPECT_THAT(fit.convergence.why, testing::HasSubstr("stopped")) << line;
      }
    }
  }
}

// Many lags on their bounds: in corners where bounds meet a step is a step (every start took 200 of
// length zero once).
TEST(Estimate, ManyLagsOnBoundsAreNoReasonToStandStill) {
  for (const char* line :
       {"const / garch e1..10 h1..5 / skew-student", "const / gjr e1,5 h2 / ged"}) {
    const Fit fit = estimate(line, garch_series(300, 5));
    EXPECT_TRUE(fit.usable()) << line << ": " << fit.convergence.why;
    EXPECT_LT(fit.convergence.evaluations, 3000) << line;
  }
}

TEST(FitMany, ABadJobHasItsErrorAndCostsNoOtherItsFit) {
  std::vector<FitJob> jobs = jobs_of(12);
  jobs[3].series = std::make_shared<Series>(make_series(std::vector<double>(400, 2.0), "flat"));
  jobs[5].series = nullptr;
  jobs[7].count = 3;
  jobs[9].first = 401;
  for (const int threads : {1, 2}) {
    const auto outcomes = fit_many(jobs, {}, Executor(threads));
    ASSERT_EQ(outcomes.size(), jobs.size());
    for (std::size_t i = 0; i < jobs.size(); ++i) {
      const bool bad = i == 3 || i == 5 || i == 7 || i == 9;
      ASSERT_NE(static_cast<bool>(outcomes[i]), bad) << i;
      if (bad) {
        // The very Error that estimate() throws.
        test::expect_error(outcomes[i].error().code(), outcomes[i].error().what(),
                           [&] { (void)outcomes[i].value(); });
        continue;
      }
      const Fit alone = estimate(jobs[i].model, *jobs[i].series);
      EXPECT_EQ(outcomes[i]->estimates(), alone.estimates());
    }
    EXPECT_EQ(outcomes[3].error().code(), ErrorCode::constant_series);
    EXPECT_EQ(outcomes[7].error().code(), ErrorCode::too_few_observations);
    test::expect_error(ErrorCode::constant_series, "flat", [&] { (void)values_of(outcomes); });
  }
}

TEST(FitMany, StopsBetweenJobsAndTellsHowFarItIs) {
  const std::vector<FitJob> jobs = jobs_of(20);
  std::stop_source stop;
  std::vector<std::size_t> told;
  const auto outcomes = fit_many(jobs, {.report =
                                            [&](std::size_t done, std::size_t all) {
                                              EXPECT_EQ(all, 20U);
                                              told.push_back(done);
                                              if (done == 5) stop.request_stop();
                                            },
                                        .stop = stop.get_token()});
  EXPECT_EQ(told, (std::vector<std::size_t>{1, 2, 3, 4, 5}));
  for (std::size_t i = 0; i < 20; ++i) EXPECT_EQ(static_cast<bool>(outcomes[i]), i < 5) << i;
  EXPECT_EQ(outcomes[5].error().code(), ErrorCode::stopped);
  // Searches that are stopped before anything was found say so.
  test::expect_error(ErrorCode::stopped, "stop", [&] {
    (void)search(garch_series(),
                 {.most_ar = 1, .most_ma = 1, .progress = {.stop = stop.get_token()}});
  });
  test::expect_error(ErrorCode::stopped, "stop", [&] {
    (void)search_variances(garch_series(), {.progress = {.stop = stop.get_token()}});
  });
}

TEST(FitMany, ReportsAreNeverMadeByTwoThreadsAtOnce) {
  int inside = 0;
  std::size_t last = 0;
  (void)fit_many(jobs_of(40),
                 {.report =
                      [&](std::size_t done, std::size_t) {
                        EXPECT_EQ(++inside, 1);
                        EXPECT_EQ(done, ++last);
                        --inside;
                      }},
                 Executor(4));
  EXPECT_EQ(last, 40U);
}

TEST(Fit, ParametersAreFoundByName) {
  const Fit fit = estimate("const / garch / normal", garch_series());
  for (const Parameter& p : fit.parameters) {
    EXPECT_TRUE(fit.has(p.name));
    EXPECT_EQ(&fit[p.name], &p);
  }
  EXPECT_FALSE(fit.has("nu"));
  test::expect_error(ErrorCode::bad_option, "it has mu, omega, alpha1, beta1",
                     [&] { (void)fit["nu"]; });
}

TEST(Fit, AnEmptyOneIsHarmless) {
  const Fit none;
  EXPECT_FALSE(none.usable());
  EXPECT_TRUE(none.data().empty());
  EXPECT_EQ(none.window().size(), 0U);
  EXPECT_TRUE(none.estimates().empty());
  test::expect_error(ErrorCode::bad_option, "nothing was fitted", [&] { (void)none["mu"]; });
  test::expect_error(ErrorCode::bad_option, "path", [&] { (void)none.standardised(); });
  test::expect_error(ErrorCode::bad_option, "", [&] { (void)forecast(none); });
  test::expect_error(ErrorCode::bad_option, "", [&] { Tracker{none}; });
  EXPECT_FALSE(check(none).reading.empty());
  std::ostringstream out;
  out << none;
  EXPECT_NE(out.str().find("not"), std::string::npos) << out.str();
}

TEST(Fit, WithoutItsPathItSaysWhatIsMissingAndCanBeRestored) {
  const Series y = garch_series();
  const Fit whole = estimate("const / garch / normal", y),
            lean = estimate("const / garch / normal", y, {.keep_path = false});
  EXPECT_EQ(lean.estimates(), whole.estimates());
  EXPECT_EQ(lean.bic, whole.bic);
  EXPECT_TRUE(lean.usable());
  EXPECT_TRUE(lean.variances.empty() && lean.shocks.empty() && lean.counted.empty());
  for (const auto& call : std::vector<std::function<void()>>{
           [&] { (void)forecast(lean); }, [&] { (void)check(lean); }, [&] { Tracker{lean}; },
           [&] { (void)lean.standardised(); }, [&] { (void)variance_path(lean, 3); }})
    test::expect_error(ErrorCode::bad_option, "does not hold its path", call);
  const Fit again = restore(known_of(lean), lean.series);
  EXPECT_EQ(again.variances, whole.variances);
  std::ostringstream printed, of_whole;
  printed << lean;
  of_whole << whole;
  EXPECT_EQ(printed.str(), of_whole.str());
}

TEST(Series, BareNumbersAreAsGoodAsDatedOnes) {
  const std::vector<double> values = garch_series().values;
  const std::vector<Timestamp> days =
      dates_after(*parse_date("2022-01-03"), Clock::business_day, values.size());
  const Series bare = make_series(values), dated = make_series(values, days, "kelp", Unit::percent);
  EXPECT_EQ(bare.clock, Clock::row);
  EXPECT_EQ(dated.clock, Clock::business_day);
  EXPECT_EQ(estimate("const / garch / normal", bare).estimates(),
            estimate("const / garch / normal", dated).estimates());
  std::vector<Timestamp> wrong = days;
  std::swap(wrong[3], wrong[4]);
  test::expect_error(ErrorCode::dates_out_of_order, "comes after",
                     [&] { (void)make_series(values, wrong); });
  wrong = days;
  wrong[4] = wrong[3];
  test::expect_error(ErrorCode::date_repeated, "comes after",
                     [&] { (void)make_series(values, wrong); });
  wrong.pop_back();
  test::expect_error(ErrorCode::bad_option, "399 dates for 400 values",
                     [&] { (void)make_series(values, wrong); });
}

TEST(Options, ANumberThatIsGivenMustMakeSense) {
  const Series y = garch_series();
  test::expect_error(ErrorCode::bad_option, "starts = -1: must be 1 or more",
                     [&] { (void)estimate("const / garch / normal", y, {.starts = -1}); });
  test::expect_error(ErrorCode::bad_option, "horizon", [&] {
    (void)forecast(estimate("const / garch / normal", y), {.horizon = 0});
  });
}

TEST(Version, LibraryAndHeadersAgree) {
  EXPECT_EQ(version(), BRACE_VERSION);
  std::ostringstream parts;
  parts << BRACE_VERSION_MAJOR << '.' << BRACE_VERSION_MINOR << '.' << BRACE_VERSION_PATCH;
  EXPECT_EQ(parts.str(), BRACE_VERSION);
}

}  // namespace
}  // namespace brace
