// SPDX-License-Identifier: Apache-2.0
// A batch: the numbers of one series by itself, whoever computes them and in whatever order, and
// nothing lost.
#include "brace/batch/batch.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <set>

#include "brace/batch/summary.hpp"
#include "brace/io/saved_model.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/results_file.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace::test {
namespace {

using testing::HasSubstr;

// Returns with volatility that clusters, `changed` times as volatile from row 980 on.
Series made(std::uint64_t number, std::size_t rows = 1000, double changed = 1) {
  maths::RandomStream random(11, number);
  std::vector<double> y(rows);
  double h = 1;
  for (std::size_t t = 0; t < rows; ++t) {
    y[t] = .02 + std::sqrt(h) * random.student(6) * (t >= 980 ? changed : 1);
    h = .05 + .07 * y[t] * y[t] + .88 * h;
  }
  return make_series(std::move(y), "S" + std::to_string(number), Unit::percent);
}

// Eight sound ones, one too short, one that does not vary.
std::vector<Series> universe() {
  std::vector<Series> all;
  for (std::uint64_t i = 0; i < 8; ++i) all.push_back(made(i));
  all.push_back(make_series({1, 2, 1}, "short"));
  all.push_back(make_series(std::vector<double>(500, 3.0), "flat"));
  return all;
}

BatchPlan plan() {
  BatchPlan out;
  out.models = {parse_model("const / garch / student"), parse_model("const / gjr / student")};
  out.forecast = ForecastOptions{
      .horizon = 3, .method = ForecastMethod::plug_in, .draws = 100, .simulation_errors = false};
  return out;
}

BatchRun run(const std::string& path, std::vector<Series> series, const Executor& executor,
             const BatchPlan& how = plan(), const BatchOptions& options = {.source = "memory"}) {
  ResultStore store(path, ResultStore::For::writing);
  return run_batch(*universe_of(std::move(series)), how, store, options, executor);
}

TEST(Batch, IsTheSameByOneThreadAndByTwoAndInAnyOrder) {
  const Folder folder;
  run(folder / "one.sqlite", universe(), Executor(1));
  run(folder / "two.sqlite", universe(), Executor(2));
  EXPECT_EQ(all_results(folder / "one.sqlite"), all_results(folder / "two.sqlite"));
  std::vector<Series> turned = universe();
  std::reverse(turned.begin(), turned.end());
  run(folder / "turned.sqlite", std::move(turned), Executor(2));
  auto without_places = [&](const std::string& name) {
    std::vector<std::string> rows = all_results(folder / name);
    std::erase_if(rows, [](const std::string& row) { return row.starts_with("run_series"); });
    return rows;
  };
  EXPECT_EQ(without_places("one.sqlite"), without_places("turned.sqlite"));
}

TEST(Batch, HasTheNumbersOfEachSeriesAlone) {
  const Folder folder;
  run(folder / "r.sqlite", universe(), Executor(2));
  const ResultStore store(folder / "r.sqlite", ResultStore::For::reading);
  const Series series = made(3);
  const SeriesResult found = store.result(1, "S3");
  ASSERT_EQ(found.fits.size(), 2u);
  for (const FitRow& row : found.fits) {
    const Fit alone = estimate(row.model, series);
    EXPECT_EQ(row.log_likelihood, alone.log_likelihood);
    EXPECT_EQ(row.bic, alone.bic);
    for (const ParameterRow& p : found.parameters)
      if (p.model == row.model) {
        EXPECT_EQ(p.estimate, alone[p.name].estimate) << p.name;
        EXPECT_EQ(p.se, alone[p.name].se) << p.name;
      }
    if (!row.chosen) continue;
    const Check checked = check(alone);
    EXPECT_EQ(found.checks[0].verdict, to_string(checked.verdict));
    ASSERT_EQ(found.tests.size(), checked.tests().size());
    for (std::size_t i = 0; i < found.tests.size(); ++i) {
      EXPECT_EQ(found.tests[i].test, checked.tests()[i].test);
      EXPECT_EQ(found.tests[i].p_value, checked.tests()[i].p_value);
    }
    const Forecast ahead = forecast(alone, *plan().forecast);
    ASSERT_EQ(found.forecasts.size(), 3u);
    for (std::size_t k = 0; k < 3; ++k) {
      EXPECT_EQ(found.forecasts[k].variance, ahead.steps[k].variance);
      EXPECT_EQ(found.forecasts[k].sd, ahead.steps[k].sd);
    }
  }
  // The chosen one has the lower criterion.
  const bool first = *found.fits[0].bic < *found.fits[1].bic;
  EXPECT_EQ(found.fits[0].chosen, first);
  EXPECT_EQ(found.fits[1].chosen, !first);
}

TEST(Batch, OneSeriesMiseryIsItsOwn) {
  const Folder folder;
  run(folder / "r.sqlite", universe(), Executor(2));
  const std::string path = folder / "r.sqlite";
  EXPECT_EQ(
      value_of(path, "SELECT count(*) FROM series WHERE outcome IN ('converged', 'boundary')"),
      "8");
  EXPECT_EQ(value_of(path, "SELECT count(*) FROM series WHERE outcome = 'refused'"), "2");
  EXPECT_EQ(value_of(path, "SELECT code FROM last_failures WHERE series_name = 'short'"),
            "too-few-observations");
  EXPECT_EQ(value_of(path, "SELECT code FROM last_failures WHERE series_name = 'flat'"),
            "constant-series");
  const ResultStore store(path, ResultStore::For::reading);
  const BatchSummary s = summarise(store, store.last_run());
  EXPECT_EQ(s.series, s.converged + s.boundary + s.failed + s.refused);
  EXPECT_EQ(s.refused, 2u);
}

// Whatever a plan's own function throws is a row of that series.
TEST(Batch, AnExceptionIsARow) {
  BatchPlan how = plan();
  how.make = [](Series level) -> Made {
    if (level.name == "S1") throw std::runtime_error("no such thing");
    if (level.name == "S2") throw std::bad_alloc();
    return {.values = std::move(level)};
  };
  const Folder folder;
  run(folder / "r.sqlite", {made(0), made(1), made(2)}, Executor(2), how);
  EXPECT_EQ(rows_of(folder / "r.sqlite", "SELECT series_name, step, code FROM last_failures"),
            (std::vector<std::string>{"S1|make|unexpected", "S2|make|memory"}));
  EXPECT_EQ(value_of(folder / "r.sqlite", "SELECT count(*) FROM forecasts"), "3");
}

TEST(Batch, DoesAgainOnlyWhatHasChanged) {
  const Folder folder;
  const std::string path = folder / "r.sqlite";
  EXPECT_EQ(run(path, universe(), Executor(2)).computed, 10u);
  const BatchRun again = run(path, universe(), Executor(2));
  EXPECT_EQ(again.run, 2);
  EXPECT_EQ(again.computed, 0u);
  EXPECT_EQ(again.as_before, 10u);
  std::vector<Series> changed = universe();
  changed[4].values[17] += 1e-9;
  EXPECT_EQ(run(path, changed, Executor(2)).computed, 1u);
  BatchPlan other = plan();
  other.forecast->seed = 2;
  EXPECT_EQ(run(path, universe(), Executor(2), other).computed, 10u);
}

TEST(Batch, GoesOnAfterAStop) {
  const Folder folder;
  const std::string path = folder / "r.sqlite";
  std::stop_source stop;
  BatchOptions options{.source = "memory"};
  options.progress.report = [&](std::size_t done, std::size_t) {
    if (done == 4) stop.request_stop();
  };
  options.progress.stop = stop.get_token();
  const BatchRun half = run(path, universe(), Executor(2), plan(), options);
  EXPECT_TRUE(half.stopped);
  EXPECT_EQ(half.series, 4u);
  EXPECT_EQ(value_of(path, "SELECT status FROM runs"), "interrupted");
  const BatchRun rest = run(path, universe(), Executor(1));
  EXPECT_EQ(rest.run, 1) << "the same run, gone on with";
  EXPECT_EQ(rest.as_before, 4u);
  run(folder / "whole.sqlite", universe(), Executor(1));
  EXPECT_EQ(all_results(path), all_results(folder / "whole.sqlite"));
}

// Twenty more rows: most keep their parameters, one whose volatility trebled is estimated again.
TEST(Batch, FromLastKeepsWhatWillDo) {
  const Folder folder;
  const std::string path = folder / "r.sqlite";
  BatchPlan how = plan();
  how.models.resize(1);
  const auto night = [&](std::size_t rows) {
    std::vector<Series> all;
    for (std::uint64_t i = 0; i < 8; ++i) {
      Series s = made(i, 1000, i == 5 ? 4 : 1);
      s.keep_rows(0, rows);
      all.push_back(std::move(s));
    }
    return all;
  };
  run(path, night(980), Executor(2), how);
  const BatchOptions from_last{.source = "memory", .from_last = true};
  EXPECT_EQ(run(path, night(1000), Executor(2), how, from_last).computed, 8u);
  EXPECT_EQ(value_of(path, "SELECT how FROM last_fits WHERE series_name = 'S5'"), "estimated");
  EXPECT_GT(std::stoi(value_of(path, "SELECT count(*) FROM last_fits WHERE how = 'kept'")), 3);
  const ResultStore store(path, ResultStore::For::reading);
  for (int i = 0; i < 8; ++i) {
    const std::string name = "S" + std::to_string(i);
    const SeriesResult now = store.result(2, name), before = store.result(1, name);
    Series all = made(static_cast<std::uint64_t>(i), 1000, i == 5 ? 4 : 1), first = all;
    first.keep_rows(0, 980);
    if (now.fits[0].how == "kept") {
      // What `update` makes of the old fit and the new rows.
      Series more = all;
      more.keep_rows(980, 1000);
      const Fit updated = update(estimate(how.models[0], first), more);
      EXPECT_NEAR(*now.fits[0].log_likelihood, *updated.log_likelihood, 1e-9);
      EXPECT_NEAR(*now.fits[0].last_variance, updated.variances.back(), 1e-12);
      EXPECT_EQ(now.parameters[1].estimate, before.parameters[1].estimate);
      EXPECT_EQ(now.fits[0].estimated_rows, 980);
      EXPECT_LT(*now.fits[0].moved, kKeptWithin);
    } else {
      EXPECT_EQ(now.fits[0].log_likelihood, estimate(how.models[0], all).log_likelihood);
    }
  }
  // Killed and gone on with, a night is the same night: the base is the run before.
  EXPECT_EQ(run(path, night(1000), Executor(1), how, from_last).as_before, 8u);
}

TEST(Batch, AJobSurvivesItsWayToAnotherProcess) {
  BatchJob job;
  job.place = 7;
  job.name = "S\"0'";
  Series level = made(0, 300);
  level.companions = {{"volume", level.values}};
  level.values[5] = std::numeric_limits<double>::quiet_NaN();
  level.account.drop(3, "volume is 0");
  job.level = level;
  job.digest = "d";
  BatchJob there = job_from(bytes_of(job));
  EXPECT_EQ(there.place, 7);
  EXPECT_EQ(there.level->companions[0].values, level.companions[0].values);
  EXPECT_EQ(digest_of_rows(*there.level, 300), digest_of_rows(level, 300));
  compute(there, plan());
  compute(job, plan());
  const SeriesResult back = job_from(bytes_of(there)).result;
  EXPECT_EQ(back.fits.size(), 2u);
  EXPECT_EQ(back.fits[0].log_likelihood, job.result.fits[0].log_likelihood);
  EXPECT_EQ(back.forecasts[2].sd, job.result.forecasts[2].sd);
  BatchJob refused;
  refused.name = "x";
  refused.level = Error(ErrorCode::file_empty, "nothing");
  EXPECT_EQ(job_from(bytes_of(refused)).level.error().code(), ErrorCode::file_empty);
}

TEST(Batch, ASearchChoosesForEachSeries) {
  const Folder folder;
  BatchPlan how = plan();
  how.models.clear();
  how.variance_search = VarianceSearchOptions{.variances = {{Steady{}}, {Garch{}}},
                                              .laws = {{Normal{}}, {Student{}}}};
  run(folder / "r.sqlite", {made(0), made(1)}, Executor(2), how);
  EXPECT_EQ(value_of(folder / "r.sqlite", "SELECT model FROM last_fits WHERE series_name = 'S0'"),
            to_string(search_variances(made(0), *how.variance_search).best().model));
}

TEST(Batch, SavesTheChosenModels) {
  const Folder folder;
  BatchPlan how = plan();
  how.save_to = folder / "models";
  Series odd = made(0);
  odd.name = "a/b *";
  run(folder / "r.sqlite", {odd}, Executor(1), how);
  const Fit back = load_model(saved_path(how.save_to, "a/b *"));
  EXPECT_EQ(back.series->values, odd.values);
  // Without its file the work is done again.
  std::filesystem::remove(saved_path(how.save_to, "a/b *"));
  EXPECT_EQ(run(folder / "r.sqlite", {odd}, Executor(1), how).computed, 1u);
  EXPECT_TRUE(std::filesystem::exists(saved_path(how.save_to, "a/b *")));
}

TEST(ResultStore, HasOneWriterAndRefusesWhatIsNone) {
  const Folder folder;
  const std::string path = folder / "r.sqlite";
  {
    const ResultStore first(path, ResultStore::For::writing);
    expect_error(ErrorCode::cannot_write, "another run is writing to it",
                 [&] { ResultStore(path, ResultStore::For::writing); });
    EXPECT_TRUE(ResultStore(path, ResultStore::For::reading).runs().empty());
  }
  EXPECT_NO_THROW(ResultStore(path, ResultStore::For::writing));
  const std::string csv = folder.file("x.csv", std::string(5000, 'x'));
  expect_error(ErrorCode::bad_option, "is no results file",
               [&] { ResultStore(csv, ResultStore::For::writing); });
  EXPECT_EQ(content_of(csv), std::string(5000, 'x'));
  expect_error(ErrorCode::bad_option, "no file that could hold results",
               [&] { ResultStore("/dev/full", ResultStore::For::writing); });
  expect_error(ErrorCode::cannot_write, "no/such/r.sqlite",
               [&] { ResultStore("/no/such/r.sqlite", ResultStore::For::writing); });
  expect_error(ErrorCode::file_missing, "there is no such file",
               [&] { ResultStore(folder / "none", ResultStore::For::reading); });
  ResultStore store(path, ResultStore::For::writing);
  expect_error(ErrorCode::file_empty, "holds no series",
               [&] { (void)run_batch(*universe_of({}), plan(), store, {.source = "nothing"}); });
}

// What is told of a series is of itself and of the model that stands beside it.
TEST(Summary, WarnsOfTheChosenModelAlone) {
  const Folder folder;
  const std::string path = folder / "r.sqlite";
  std::vector<Series> noise;
  for (std::uint64_t i = 0; i < 6; ++i) {
    maths::RandomStream random(12, i);
    std::vector<double> y(300);
    for (double& v : y) v = random.normal();
    noise.push_back(make_series(std::move(y), "S" + std::to_string(i), Unit::percent));
  }
  BatchPlan how;
  how.models = {parse_model("const / garch"), parse_model("const")};
  run(path, noise, Executor(2), how);
  const ResultStore store(path, ResultStore::For::reading);
  const auto table = summary_table(store, store.last_run());
  const auto column = [&](const char* name) {
    return static_cast<std::size_t>(std::find(table[0].begin(), table[0].end(), name) -
                                    table[0].begin());
  };
  std::map<std::string, std::size_t> times;
  std::size_t of_others = 0;
  for (std::size_t r = 1; r < table.size(); ++r) {
    std::set<std::string> own;
    for (const WarningRow& w : store.result(1, table[r][0]).warnings)
      if (w.model.empty() || w.model == table[r][column("model")])
        own.insert(w.code);
      else
        ++of_others;
    EXPECT_EQ(table[r][column("warnings")], fmt::format("{}", fmt::join(own, " ")));
    for (const std::string& code : own) ++times[code];
  }
  EXPECT_GT(of_others, 0U) << "garch ends on a bound where there is no volatility to model";
  const BatchSummary s = summarise(store, store.last_run());
  EXPECT_EQ(s.warnings.size(), times.size());
  for (const BatchSummary::Doubt& doubt : s.warnings)
    EXPECT_EQ(doubt.names.count, times[doubt.code]) << doubt.code;
}

TEST(Summary, ComparesTwoRuns) {
  const Folder folder;
  const std::string path = folder / "r.sqlite";
  std::vector<Series> now = universe();
  run(path, now, Executor(2));
  now[2] = made(2, 1000, 3);  // a rough end
  now[2].name = "S2";
  now.erase(now.begin());
  now.push_back(made(20));
  run(path, now, Executor(2));
  const ResultStore store(path, ResultStore::For::reading);
  const BatchSummary s = summarise(store, store.run_called("2"), store.run_called("1"));
  ASSERT_TRUE(s.against);
  EXPECT_EQ(s.against->as_before.count, 8u);  // two of them refused in both
  EXPECT_EQ(s.against->estimated_again.examples, std::vector<std::string>{"S2"});
  EXPECT_EQ(s.against->fresh.examples, std::vector<std::string>{"S20"});
  EXPECT_EQ(s.against->gone.examples, std::vector<std::string>{"S0"});
  EXPECT_EQ(s.against->compared, 7u);
  ASSERT_EQ(s.against->largest.size(), 1u);
  EXPECT_EQ(s.against->largest[0].name, "S2");
  EXPECT_EQ(s.against->median_ratio, 1.0);
  std::ostringstream text;
  text << s;
  EXPECT_THAT(text.str(), HasSubstr("8 of 10 series have an estimate"));
  EXPECT_THAT(text.str(), HasSubstr("7 compared, median ratio 1.000; the largest changes"));
  const auto table = summary_table(store, store.run_called("2"));
  EXPECT_EQ(table.size(), 11u);
  for (const auto& row : table) EXPECT_EQ(row.size(), table[0].size());
  expect_error(ErrorCode::bad_option, "its runs are 1 to 2", [&] { (void)store.run_called("9"); });
}

}  // namespace
}  // namespace brace::test
