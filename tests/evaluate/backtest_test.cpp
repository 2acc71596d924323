// SPDX-License-Identifier: Apache-2.0
#include "brace/evaluate/backtest.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <optional>
#include <sstream>
#include <stop_token>
#include <string>

#include "brace/estimation/estimate.hpp"
#include "brace/evaluate/densities.hpp"
#include "brace/io/files.hpp"
#include "brace/io/journal.hpp"
#include "brace/io/json.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "brace/series/split.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

Series returns(std::size_t n = 500, std::uint64_t seed = 31) {
  Series y =
      simulate(parse_model("const / garch / student"), {.04, .05, .1, .85, 6}, n, {.seed = seed});
  y.kind = SeriesKind::log_return;
  y.name = "y";
  return y;
}

// The law that is scored is that of the method's own forecast: with more chance far out where it
// knows that parameters are estimated.
TEST(Backtest, ScoresTheLawOfItsMethod) {
  const Series y = returns(300);
  const char* model = "const / steady / student";
  double far[2] = {};
  for (const ForecastMethod method : {ForecastMethod::plug_in, ForecastMethod::full}) {
    const BacktestOptions options{.window = 60, .method = method};
    const Backtest b = backtest({model}, y, options, Executor(1));
    const std::size_t origin = b.origins[7];
    const Fit fit = estimate(model, rows_between(y, origin - 59, origin + 1));
    const Forecast ahead =
        forecast(fit, {.method = method, .draws = 200, .paths = 10, .seed = options.seed + origin});
    EXPECT_EQ(ahead.next.parts.size(), method == ForecastMethod::full ? 200U : 1U);
    const DensityScore score = score_density(ahead.next, y.values[origin + 1]);
    const BacktestStep& step = b.entrants[0].steps[7][0];
    // Other draws of the parameters, and climbs of their own.
    EXPECT_NEAR(step.transform, score.transform, .01);
    EXPECT_NEAR(step.log_score, score.log_score, .02);
    EXPECT_NEAR(step.crps, score.crps, .01);
    far[method == ForecastMethod::full] =
        score_density(ahead.next, 6 * std::sqrt(ahead.steps[0].shown_variance())).log_score;
  }
  EXPECT_GT(far[1], far[0] + .05);
}

// The forecast of any origin is the one that estimate and forecast give on its window.
TEST(Backtest, IsFitAndForecastOfEachWindow) {
  const Series y = returns();
  for (const std::size_t every : {1U, 10U}) {
    const Backtest b = backtest({"const / garch / student"}, y,
                                {.window = 400, .refit_every = every, .horizon = 3}, Executor(1));
    ASSERT_EQ(b.origins.size(), 98U);
    EXPECT_EQ(b.origins.front(), 399U);
    EXPECT_EQ(b.origins.back(), 496U);
    for (const std::size_t i : {0U, 40U, 90U}) {
      const std::size_t origin = b.origins[i];
      const Fit fit =
          estimate("const / garch / student", rows_between(y, origin - 399, origin + 1));
      const Forecast ahead =
          forecast(fit, {.horizon = 3, .method = ForecastMethod::plug_in, .draws = 200});
      for (std::size_t k = 0; k < 3; ++k) {
        const BacktestStep& s = b.entrants[0].steps[i][k];
        // A warm and a cold climb to the same maximum.
        EXPECT_NEAR(s.mean, ahead.steps[k].mean, 1e-5);
        EXPECT_NEAR(s.variance, *ahead.steps[k].variance, 1e-5);
        EXPECT_EQ(s.actual, y.values[origin + 1 + k]);
      }
      // The squared deviation from the mean of the rows known is what variances are judged by.
      const BacktestStep& s = b.entrants[0].steps[i][0];
      const Series known = rows_between(y, origin - 399, origin + 1);
      double mean = 0;
      for (const double v : known.present_values())
        mean += v / static_cast<double>(known.present());
      const bool returns = y.kind == SeriesKind::log_return;
      EXPECT_NEAR(s.proxy, std::pow(s.actual - (returns ? mean : s.mean), 2), 1e-9);
      // Scores of the fitted law.
      EXPECT_NEAR(s.return_interval[1].low, ahead.steps[0].return_interval[1].low, 1e-3);
      EXPECT_GT(s.transform, 0);
      EXPECT_LT(s.transform, 1);
    }
  }
}

TEST(Backtest, KnowsNothingOfTheFuture) {
  const Series y = returns();
  Series changed = y;
  for (std::size_t t = 460; t < changed.size(); ++t) changed.values[t] *= 3;
  const BacktestOptions options{.window = 400, .baselines = {"mean", "smooth"}};
  const Backtest a = backtest({"const / garch / student", "const / gjr / normal"}, y, options,
                              Executor(1)),
                 b = backtest({"const / garch / student", "const / gjr / normal"}, changed, options,
                              Executor(1));
  ASSERT_EQ(a.entrants.size(), 6U);  // two models, two baselines, two combinations
  for (std::size_t m = 0; m < a.entrants.size(); ++m)
    for (std::size_t i = 0; a.origins[i] < 459; ++i) {
      EXPECT_NEAR(a.entrants[m].steps[i][0].mean, b.entrants[m].steps[i][0].mean, 1e-6);
      EXPECT_NEAR(a.entrants[m].steps[i][0].variance, b.entrants[m].steps[i][0].variance, 1e-6)
          << a.entrants[m].label << " " << i;
    }
}

// A profile is estimated from the rows of each window alone, and all is judged on the file's scale.
TEST(Backtest, FitsATransformInEachWindow) {
  Series y = returns();
  y.times = dates_after(*parse_date("2020-01-01"), Clock::business_day, y.size());
  y.clock = Clock::business_day;
  for (std::size_t t = 0; t < y.size(); ++t)
    if (std::chrono::weekday(std::chrono::floor<std::chrono::days>(y.times[t])) ==
        std::chrono::Monday)
      y.values[t] *= 2;
  const std::vector<Transform> chain = parse_chain("weekdays");
  const BacktestOptions options{
      .window = 400, .refit_every = 5, .origins = 20, .horizon = 2, .chain = chain};
  const Backtest b = backtest({"const / garch / student"}, y, options, Executor(2));
  EXPECT_EQ(b.fitted_transform, "weekdays");
  for (const std::size_t i : {0U, 10U}) {  // where refits are
    const std::size_t origin = b.origins[i];
    const Transformed window = transform(rows_between(y, origin - 399, origin + 1), chain);
    const Fit fit = estimate("const / garch / student", window.series);
    const Forecast ahead = forecast(fit, {.horizon = 2,
                                          .intervals = {80, 95},
                                          .method = ForecastMethod::plug_in,
                                          .transformed = std::make_shared<Transformed>(window),
                                          .draws = 200,
                                          .paths = 10,
                                          .seed = 1 + origin});
    for (std::size_t k = 0; k < 2; ++k) {
      const BacktestStep& s = b.entrants[0].steps[i][k];
      // The same, carried back to prices.
      EXPECT_NEAR(s.mean, ahead.original[k].mean, 1e-5);
      EXPECT_NEAR(s.variance, ahead.original[k].variance, 1e-4 * s.variance);
      EXPECT_NEAR(s.return_interval[1].low, ahead.original[k].interval[1].low, 1e-4);
      EXPECT_EQ(s.actual, y.values[origin + 1 + k]);
      EXPECT_TRUE(std::isnan(s.log_score));
      // A multiple of the model's own variance: the square of the row's factor.
      const std::size_t slot = slot_of(window.links[0].profile, y.times[origin + 1 + k]);
      const double factor = window.links[0].profile.slots[slot].factor;
      EXPECT_NEAR(s.variance / (*ahead.steps[k].variance * factor * factor), 1, 1e-9);
    }
  }
  // Later rows, however wild, change no forecast.
  Series wild = y;
  for (std::size_t t = b.origins[5] + 1; t < y.size(); ++t) wild.values[t] = t % 2 == 0 ? 30 : -30;
  const Backtest other = backtest({"const / garch / student"}, wild, options, Executor(1));
  EXPECT_EQ(other.entrants[0].steps[5][1].return_interval[0].low,
            b.entrants[0].steps[5][1].return_interval[0].low);
  BacktestOptions cut = options;
  cut.chain = parse_chain("rows=1..300");
  EXPECT_NE(std::string(test::error_of([&] {
                          (void)backtest({"const / garch / student"}, y, cut, Executor(1));
                        }).what())
                .find("cut them before"),
            std::string::npos);
}

TEST(Backtest, DoesNotDependOnThreads) {
  const Series y = returns(360);
  const BacktestOptions options{.window = 300,
                                .origins = 15,
                                .horizon = 2,
                                .method = ForecastMethod::full,
                                .baselines = {"mean"}};
  const std::vector<std::string> lines{"const / garch / student", "const ar1 / garch / normal"};
  const std::string one = json_document("backtest", backtest(lines, y, options, Executor(1))),
                    two = json_document("backtest", backtest(lines, y, options, Executor(2)));
  EXPECT_EQ(one, two);
}

// On data of the model itself everything that is promised holds, and the true model is in the set.
TEST(Backtest, TheTrueModelKeepsItsPromises) {
  const Series y = returns(2600, 77);
  const Backtest b =
      backtest({"const / garch / student", "const / steady / normal"}, y,
               {.window = 1000, .refit_every = 20, .intervals = {80, 95}}, Executor(2));
  const HorizonScore& s = b.entrants[0].scores.front();
  EXPECT_EQ(s.n, 1600U);
  for (const IntervalCoverage& c : s.intervals) {
    EXPECT_NEAR(c.covered, c.percent / 100.0, .025);
    EXPECT_FALSE(*c.frequency.rejects());
    EXPECT_FALSE(*c.independence->rejects());
  }
  for (const TailCoverage& t : s.tails) {
    EXPECT_FALSE(*t.frequency.rejects()) << t.percent;
    EXPECT_FALSE(*t.shortfall->rejects()) << t.percent;
  }
  EXPECT_FALSE(*s.berkowitz->all.rejects());
  // A steady variance is worse, and its misses cluster.
  const HorizonScore& flat = b.entrants[1].scores.front();
  EXPECT_GT(flat.volatility.qlike, s.volatility.qlike);
  EXPECT_TRUE(*b.contests[0].pairs[0][1]->rejects());
  EXPECT_EQ(b.contests[0].by_qlike.floor, 1 / 2000.) << "no p-value is finer than one resample";
  EXPECT_TRUE(b.contests[0].by_qlike.within[0]);
  EXPECT_FALSE(b.contests[0].by_qlike.within[1]);
  EXPECT_TRUE(*flat.intervals[1].independence->rejects());
  EXPECT_NE(b.reading.find("'const / garch e1 h1 / student' forecasts the variance"),
            std::string::npos)
      << b.reading;
}

// A row a step: each with the date that it is of, and what it was.
TEST(Backtest, ItsTableHasTheDatesThatStepsAreOf) {
  const Series y = returns();
  const Backtest b =
      backtest({"const / garch"}, y, {.window = 400, .refit_every = 50, .horizon = 3}, Executor(1));
  const std::vector<std::vector<std::string>> table = backtest_table(b);
  std::size_t row = 1;
  for (const Entrant& e : b.entrants)
    for (std::size_t i = 0; i < e.steps.size(); ++i)
      for (std::size_t k = 0; k < e.steps[i].size(); ++k, ++row) {
        EXPECT_EQ(table.at(row)[1], y.when(b.origins[i]));
        EXPECT_EQ(table[row][2], std::to_string(k + 1));
        EXPECT_EQ(table[row][3], y.when(b.origins[i] + 1 + k));
      }
  EXPECT_EQ(row, table.size());
}

TEST(Backtest, CombinationsAreWeightedMeans) {
  const Series y = returns();
  const Backtest b = backtest({"const / garch / student", "const / steady / normal"}, y,
                              {.window = 400, .horizon = 2}, Executor(1));
  ASSERT_EQ(b.entrants.size(), 4U);
  const Entrant &garch = b.entrants[0], &flat = b.entrants[1], &equal = b.entrants[2],
                &weighted = b.entrants[3];
  EXPECT_EQ(equal.kind, Entrant::Kind::combination);
  EXPECT_FALSE(equal.scores[0].crps);
  EXPECT_TRUE(std::isfinite(*equal.scores[0].log_score));
  double garch_loss = 0, flat_loss = 0;
  std::size_t known = 0;
  const auto loss = [](const BacktestStep& s) {
    const double x = s.proxy / s.variance;
    return x - std::log(x) - 1;
  };
  for (std::size_t i = 0; i < b.origins.size(); ++i) {
    EXPECT_NEAR(equal.steps[i][0].variance,
                .5 * (garch.steps[i][0].variance + flat.steps[i][0].variance), 1e-12);
    // The linear pool, whose ranked score is not known.
    EXPECT_TRUE(std::isnan(equal.steps[i][0].crps));
    EXPECT_NEAR(equal.steps[i][0].transform,
                .5 * (garch.steps[i][0].transform + flat.steps[i][0].transform), 1e-12);
    EXPECT_NEAR(std::exp(equal.steps[i][0].log_score),
                .5 * (std::exp(garch.steps[i][0].log_score) + std::exp(flat.steps[i][0].log_score)),
                1e-12);
    if (i > 0) {  // what came at this origin's own row is known
      garch_loss += loss(garch.steps[i - 1][0]);
      flat_loss += loss(flat.steps[i - 1][0]);
      ++known;
    }
    const double w = known < 20 ? .5 : flat_loss / (garch_loss + flat_loss);
    EXPECT_NEAR(weighted.steps[i][0].variance,
                w * garch.steps[i][0].variance + (1 - w) * flat.steps[i][0].variance, 1e-9)
        << i;
  }
}

// Of a run that was stopped, whose models have forecasts of different origins: combinations are made
// where all models have one, and weighed by the losses of such origins alone.
TEST(Backtest, CombinationsLeaveOutOriginsThatAModelHasNot) {
  const Series y = returns();
  BacktestOptions options{.window = 400, .horizon = 1};
  options.keep = [&](const BacktestRecord& record) {
    if (record.entrant == 0 || record.origin % 3 != 1) options.known.push_back(record);
  };
  const std::vector<Model> models{parse_model("const / garch / student"),
                                  parse_model("const / steady / normal")};
  const Backtest whole = backtest(models, y, options, Executor(1));
  std::stop_source stop;
  stop.request_stop();
  options.keep = {};
  options.progress.stop = stop.get_token();
  const Backtest part = backtest(models, y, options, Executor(1));
  EXPECT_TRUE(part.stopped);
  double loss[2] = {};
  int known = 0;
  for (std::size_t i = 0; i < part.origins.size(); ++i) {
    if (i > 0 && (i - 1) % 3 != 1) {
      ++known;
      for (int m = 0; m < 2; ++m) {
        const BacktestStep& s = whole.entrants[m].steps[i - 1][0];
        loss[m] += s.proxy / s.variance - std::log(s.proxy / s.variance) - 1;
      }
    }
    const bool both = i % 3 != 1;
    ASSERT_EQ(part.entrants[1].steps[i].size(), both ? 1U : 0U) << i;
    ASSERT_EQ(part.entrants[3].steps[i].size(), both ? 1U : 0U) << i;
    if (!both) continue;
    const double w = known < 20 ? .5 : loss[1] / (loss[0] + loss[1]);
    EXPECT_NEAR(part.entrants[3].steps[i][0].variance,
                w * whole.entrants[0].steps[i][0].variance +
                    (1 - w) * whole.entrants[1].steps[i][0].variance,
                1e-9)
        << i;
  }
}

TEST(Backtest, TakesAProxyAndFutureRegressors) {
  Series y = returns(400);
  Companion x{"wind", {}};
  for (std::size_t t = 0; t < y.size(); ++t) {
    x.values.push_back(static_cast<double>(t % 7) - 3);
    y.values[t] += .5 * x.values.back();
  }
  y.companions.push_back(x);
  std::vector<double> proxy(y.size(), 1.5);
  const Backtest b = backtest({"const with wind / garch / student", "const / garch / student"}, y,
                              {.window = 300, .origins = 60, .proxy = proxy}, Executor(1));
  EXPECT_EQ(b.origins.size(), 60U);
  EXPECT_EQ(b.entrants[0].steps[5][0].proxy, 1.5);
  // The regressor's coming value is in the mean.
  EXPECT_LT(b.entrants[0].scores[0].mean.rmse, b.entrants[1].scores[0].mean.rmse);
  EXPECT_GT(b.entrants[0].scores[0].directions->right, .6);
}

TEST(Backtest, GapsAreLeftOutOfTheScores) {
  Series y = returns(400);
  y.values[350] = y.values[120] = std::nan("");
  const Backtest b = backtest({"const / garch / normal"}, y, {.window = 300}, Executor(1));
  EXPECT_EQ(b.origins.size(), 100U);
  EXPECT_EQ(b.entrants[0].scores[0].n, 99U);
  std::ostringstream out;
  out << b;
  EXPECT_EQ(out.str().find("nan"), std::string::npos);
}

TEST(Backtest, GoesOnFromItsJournal) {
  const Series y = returns(360);
  const test::Folder folder;
  const std::string path = folder / "journal.jsonl";
  BacktestOptions options{.window = 300, .horizon = 2, .baselines = {"mean"}};
  const std::string whole =
      json_document("backtest", backtest({"const / garch / student"}, y, options, Executor(1)));
  {
    BacktestJournal journal(path, "this run", y);
    BacktestOptions first = options;
    std::stop_source stop;
    first.keep = [&](const BacktestRecord& r) { journal.add(r); };
    first.progress = {.report =
                          [&](std::size_t done, std::size_t all) {
                            EXPECT_EQ(all, 2 * 59U);
                            if (done == 25) stop.request_stop();
                          },
                      .stop = stop.get_token()};
    const Backtest part = backtest({"const / garch / student"}, y, first, Executor(1));
    EXPECT_TRUE(part.stopped);
  }
  {  // as if the machine had died in the middle of a line
    std::ofstream torn(path, std::ios::app);
    torn << R"({"entrant":0,"orig)";
  }
  std::optional<BacktestJournal> journal(std::in_place, path, "this run", y);
  EXPECT_EQ(journal->known().size(), 25U);
  const Error busy = test::error_of([&] { BacktestJournal late(path, "this run", y); });
  EXPECT_NE(std::string(busy.what()).find("another run is writing to it"), std::string::npos);
  BacktestOptions second = options;
  second.known = journal->known();
  std::size_t made = 0;
  second.keep = [&](const BacktestRecord& r) {
    journal->add(r);
    ++made;
  };
  EXPECT_EQ(
      json_document("backtest", backtest({"const / garch / student"}, y, second, Executor(2))),
      whole);
  EXPECT_EQ(made, 2 * 59U - 25);
  journal.reset();
  Series changed = y;
  changed.values[7] += 1;
  const Error data = test::error_of([&] { BacktestJournal wrong(path, "this run", changed); });
  EXPECT_NE(std::string(data.what()).find(fmt::format("differ from {} on", y.when(7))),
            std::string::npos)
      << data.what();
  const Error other = test::error_of([&] { BacktestJournal wrong(path, "another run", y); });
  EXPECT_NE(std::string(other.what()).find("is the journal of another backtest (this run)"),
            std::string::npos);
  write_whole(path, "date,value\n1,2\n");
  const Error foreign = test::error_of([&] { BacktestJournal wrong(path, "this run", y); });
  EXPECT_NE(std::string(foreign.what()).find("is no journal of a backtest"), std::string::npos);
  EXPECT_EQ(read_whole(path), "date,value\n1,2\n");  // left as it was
}

TEST(Backtest, TableHasARowForEachForecast) {
  const Series y = returns(360);
  const Backtest b = backtest({"const / garch / normal"}, y,
                              {.window = 300, .horizon = 2, .baselines = {"walk"}}, Executor(1));
  const auto table = backtest_table(b);
  ASSERT_EQ(table.size(), 1 + 2 * 59 * 2U);
  for (const auto& row : table) EXPECT_EQ(row.size(), table[0].size());
  EXPECT_EQ(table[1][0], "const / garch e1 h1 / normal");
  EXPECT_EQ(table[1][2], "1");
  EXPECT_EQ(std::stod(table[1][4]), b.entrants[0].steps[0][0].mean);
}

TEST(Backtest, RefusesWhatCannotBe) {
  const Series y = returns(360);
  const auto message = [&](BacktestOptions o,
                           std::vector<std::string> lines = {"const / garch / normal"}) {
    return std::string(test::error_of([&] { (void)backtest(lines, y, o, Executor(1)); }).what());
  };
  EXPECT_EQ(message({.window = 355}),
            "y: 360 rows leave no room for windows of 355, a horizon of 1 and ten origins; give "
            "shorter ones (`window`)");
  EXPECT_EQ(message({.window = 5}), "backtest: a window of 5 rows (`window`): at least 30");
  EXPECT_EQ(message({.window = 300, .horizon = 0}), "backtest: a horizon of 0: at least 1");
  EXPECT_EQ(message({.window = 300, .origins = 100}),
            "y: 100 origins are asked for, and 360 rows with windows of 300 leave 60");
  EXPECT_EQ(message({.window = 300}, {}), "backtest: give a model or a baseline");
  EXPECT_EQ(message({.window = 300, .proxy = {1, 2}}),
            "backtest: a proxy of 2 rows for a series of 360");
}

// Prices of a made-up harbour: log returns of a garch with heavy tails, on business days.
Series harbour_prices(std::uint64_t number, std::size_t rows = 400) {
  const Series returns =
      simulate(parse_model("const ar1 / garch / student"), {.02, .1, .05, .08, .88, 6}, rows,
               {.seed = 121, .stream = number});
  std::vector<double> level{100};
  for (const double r : returns.values) level.push_back(level.back() * std::exp(r / 100));
  Series out = make_series(std::move(level), "settle");
  Timestamp day = *parse_date("2015-01-01");
  for (std::size_t t = 0; t < out.size(); ++t) {
    out.times.push_back(day);
    day += std::chrono::hours(24);
  }
  out.clock = Clock::day;
  return out;
}

// Each origin of a backtest is the forecast of the fit on the rows that it knows.
TEST(Backtest, ForecastsFromTheFitOfItsWindow) {
  for (std::uint64_t s = 0; s < 50; s += 10) {
    const Series y = log_returns(harbour_prices(s, 320));
    for (const char* line : {"const ar1 ma1", "const / garch"}) {
      const Backtest b = backtest({line}, y, {.window = 300, .refit_every = 7}, Executor(2));
      const std::size_t last = b.origins.front() + 1;
      const Fit fit = estimate(line, rows_between(y, last - 300, last));
      const Forecast ahead = forecast(fit, {.horizon = 1, .method = ForecastMethod::plug_in});
      EXPECT_NEAR(b.entrants[0].steps[0][0].mean, ahead.steps[0].mean, 1e-9) << line;
      ASSERT_TRUE(ahead.steps[0].variance);
      EXPECT_NEAR(b.entrants[0].steps[0][0].variance / *ahead.steps[0].variance, 1, 1e-9) << line;
    }
  }
}

// Terms that count time keep their place between refits: with parameters of a window before, the
// errors grow by no more than estimation does.
TEST(Backtest, TermsThatCountTimeHoldBetweenRefits) {
  for (std::uint64_t s = 0; s < 50; s += 10) {
    Series y = simulate(parse_model("zero ar1"), {.3, 1}, 420, {.seed = 141, .stream = s});
    for (std::size_t t = 0; t < y.size(); ++t) {
      const double x = static_cast<double>(t);
      y.values[t] += .05 * x + 3 * std::sin(2 * M_PI * x / 12) + (t >= 200 ? 4 : 0);
    }
    y.times = harbour_prices(s, 419).times;
    y.clock = Clock::day;
    const std::string step = "with step:" + format_date(y.times[200]);
    for (const std::string& line : {"const trend harmonics 12:1 ar1 " + step,
                                    std::string("const trend ar1 harmonics 12:1")}) {
      const auto rmse = [&](std::size_t every) {
        return backtest({line}, y, {.window = 260, .refit_every = every}, Executor(2))
            .entrants[0]
            .scores[0]
            .mean.rmse;
      };
      const double each = rmse(1), seldom = rmse(24);
      EXPECT_LT(std::abs(seldom / each - 1), .05) << line << ": " << each << ", " << seldom;
      EXPECT_LT(each, 1.3) << line;
    }
  }
}

}  // namespace
}  // namespace brace
