// SPDX-License-Identifier: Apache-2.0
// Options that change what a command looks at: each does what it says, and says so where it would
// do nothing.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "brace/base/date.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;
using testing::Not;

Json json_of(const std::string& arguments) {
  const Outcome run = brace(arguments + " --json --quiet");
  EXPECT_EQ(run.status, 0) << arguments << "\n" << run.err;
  return run.status == 0 ? Json::parse(run.out) : Json();
}
double estimate_of(const Json& document, const std::string& name) {
  for (const Json& p : document["result"]["parameters"])
    if (p["name"] == name) return p["estimate"];
  ADD_FAILURE() << name << " is not among the parameters";
  return 0;
}
// Status 2: the command is wrong; 1: the data are.
void expect_refused(const std::string& arguments, const std::string& because, int status = 2) {
  const Outcome run = brace(arguments);
  EXPECT_EQ(run.status, status) << arguments << "\n" << run.out;
  EXPECT_TRUE(run.out.empty()) << run.out;
  EXPECT_THAT(run.err, HasSubstr(because)) << arguments;
}

// ---- Reading ----

// A bar that only repeats the last close in all four prices is no trading.
TEST(ReadingOptions, FlatBarsAreDroppedAndCounted) {
  const Folder folder;
  std::string csv = "day,open,high,low,close\n";
  for (int d = 1; d <= 28; ++d) {
    const double close = 50 + d % 5;
    csv += d % 7 == 0 ? fmt::format("2022-02-{:02},{},{},{},{}\n", d, 50 + (d - 1) % 5,
                                    50 + (d - 1) % 5, 50 + (d - 1) % 5, 50 + (d - 1) % 5)
                      : fmt::format("2022-02-{:02},{},{},{},{}\n", d, close - .5, close + 1,
                                    close - 1, close);
  }
  const std::string file = "inspect '" + folder.file("bars.csv", csv) + "' --value close";
  const Json all = json_of(file), traded = json_of(file + " --drop-flat");
  EXPECT_EQ(all["result"]["file"]["rows_kept"], 28);
  EXPECT_EQ(traded["result"]["file"]["rows_kept"], 24);
  EXPECT_EQ(traded["result"]["file"]["dropped"].size(), 1U);
  EXPECT_THAT(brace(file + " --drop-flat").out, HasSubstr("4 rows dropped"));
}

// The time of day in a column of its own makes the clock of the two together.
TEST(ReadingOptions, TimeStandsApart) {
  const Folder folder;
  std::string csv = "day;hour;index\n";
  for (int d = 1; d <= 20; ++d)
    for (int h = 9; h < 15; ++h)
      csv += fmt::format("2022-03-{:02};{:02}:00;{}\n", d, h, 100 + (d * 7 + h * 3) % 11);
  const std::string file = "inspect '" + folder.file("hours.csv", csv) + "' --value index";
  const Json document = json_of(file + " --time hour");
  EXPECT_EQ(document["series"]["first"], "2022-03-01 09:00");
  EXPECT_EQ(document["series"]["last"], "2022-03-20 14:00");
  EXPECT_EQ(document["series"]["every"], "hour");
  // Without it a day has six rows.
  expect_refused(file, "2022-03-01", 1);
}

// The clock that is named is taken instead of the one that the dates suggest.
TEST(ReadingOptions, ClockMayBeNamed) {
  const Folder folder;
  std::string csv = "week,index\n";
  for (int w = 0; w < 60; ++w)
    csv += fmt::format("{},{}\n", format_date(*parse_date("2022-01-07") + std::chrono::days(7 * w)),
                       100 + (w * 13) % 17);
  const std::string file = "inspect '" + folder.file("weeks.csv", csv) + "'";
  EXPECT_EQ(json_of(file)["series"]["every"], "week");
  const Json daily = json_of(file + " --every day");
  EXPECT_EQ(daily["series"]["every"], "day");
  EXPECT_EQ(daily["warnings"][0]["code"], "clock-irregular");
  expect_refused(file + " --every fortnight", "--every");
}

// Whatever is made of a series on a clock that does not hold says so, saved models too.
TEST(ReadingOptions, AClockThatDoesNotHoldIsSaidByEveryCommand) {
  const Folder folder;
  const std::string hours = " data/ferry-freight.csv --every day --returns log --quiet",
                    model = " --model 'const / garch'";
  const auto says_so = [](const Json& document) {
    const Json& warnings = document["warnings"];
    return std::any_of(warnings.begin(), warnings.end(),
                       [](const Json& w) { return w["code"] == "clock-irregular"; });
  };
  for (const std::string& call :
       {"fit" + hours + model, "check" + hours + model, "forecast" + hours + model,
        "compare" + hours + model, "backtest" + hours + model + " --origins 20 --refit-every 20",
        "search" + hours + " --variance garch", "search" + hours + " --most-ar 1 --most-ma 0",
        "breaks" + hours})
    EXPECT_TRUE(says_so(json_of(call))) << call;
  const std::string saved = folder / "hours.json";
  EXPECT_EQ(brace("fit" + hours + model + " --save '" + saved + "'").status, 0);
  EXPECT_TRUE(says_so(json_of("forecast '" + saved + "'")));
  EXPECT_FALSE(
      says_so(json_of("fit data/ferry-freight.csv --returns log --overnight mark" + model)));
}

// ---- Unit roots and breaks ----

TEST(UnitRootOptions, BreakModelsAndStepsOfTheVarianceRatio) {
  const auto statistic = [](const Json& document, const std::string& test,
                            const std::string& variant) -> double {
    for (const Json& t : document["result"]["tests"])
      if (t["test"] == test && t["variant"].get<std::string>().find(variant) != std::string::npos)
        return t["statistic"];
    ADD_FAILURE() << test << " " << variant;
    return 0;
  };
  const std::string recent = "unitroot " + kKelp + " --from 2021-01-01";
  std::set<double> found;
  for (const char* model : {"intercept", "trend", "both"}) {
    const Json document =
        json_of(recent + " --test zivot-andrews,two-breaks --model-of-break " + model);
    found.insert(statistic(document, "zivot-andrews", ""));
    // Two breaks leave less to a unit root than one.
    EXPECT_LT(statistic(document, "two-breaks", ""), 0) << model;
  }
  EXPECT_EQ(found.size(), 3U);
  const Json ratios = json_of(recent + " --test variance-ratio --periods 3,7");
  EXPECT_NO_FATAL_FAILURE((void)statistic(ratios, "variance-ratio", "3 steps"));
  EXPECT_NO_FATAL_FAILURE((void)statistic(ratios, "variance-ratio", "7 steps"));
  expect_refused(recent + " --periods 3", "--test variance-ratio");
  expect_refused(recent + " --period 12", "--test seasonal-roots");
  expect_refused(recent + " --model-of-break slope", "--model-of-break");
}

TEST(BreakOptions, SoManyBreaksInTheMeanAsAreAskedFor) {
  const auto in_mean = [](const Json& document) {
    std::size_t count = 0;
    for (const Json& b : document["result"]["breaks"]) count += b["kind"] == "mean";
    return count;
  };
  for (const std::size_t asked : {0U, 1U, 3U}) {
    const Json document = json_of(fmt::format("breaks {} --breaks {}", kKelpReturns, asked));
    EXPECT_EQ(in_mean(document), asked);
    // Every break ends a segment.
    EXPECT_EQ(document["result"]["segments"].size(), document["result"]["breaks"].size() + 1);
  }
  expect_refused("breaks " + kKelpReturns + " --breaks 9", "--breaks");
}

// One test needs 300 rows; the others do without it.
TEST(BreakOptions, ShortSeriesGoWithoutTheScan) {
  const std::string short_one = "breaks " + kKelpReturns + " --to 2015-01-15";
  const Json document = json_of(short_one);
  EXPECT_LT(document["series"]["n"], 300);
  EXPECT_EQ(document["warnings"][0]["code"], "few-observations");
  for (const Json& t : document["result"]["tests"]) EXPECT_NE(t["test"], "variance-break");
  expect_refused("breaks " + kKelpReturns + " --to 2014-06-30", "needs at least 250", 1);
}

// Every second value missing: no row has the one before it, and a slower clock is the mend.
TEST(UnitRootOptions, GapsThatLeaveNoRowAreToldOf) {
  const Folder folder;
  std::string csv = "day,price\n";
  for (int d = 0; d < 200; ++d)
    csv += fmt::format("{},{}\n", format_date(*parse_date("2021-01-04") + std::chrono::days(d)),
                       d % 2 == 0 ? std::string() : fmt::format("{}", 50 + d * 29 % 23));
  const std::string file = "unitroot '" + folder.file("gaps.csv", csv) + "'";
  expect_refused(file, "--regroup week:last", 1);
  EXPECT_EQ(brace(file + " --regroup week:last").status, 0);
}

// ---- Search ----

TEST(SearchOptions, SetIsTheOneThatWasStated) {
  const Json document = json_of(
      "search data/lamp-oil.csv --transform log --season 12 --most-ar 1 --most-ma 0 --most-sar 0 "
      "--most-sma 2 --differences 1 --season-differences 1 --constant never --walk full");
  std::set<std::string> models;
  for (const Json& c : document["result"]["candidates"]) models.insert(c["model"]);
  EXPECT_EQ(document["result"]["walk"], "full");
  EXPECT_EQ(models.size(), 6U);  // ar 0, 1; sma 0, 1, 2
  for (const std::string& model : models) {
    EXPECT_THAT(model, testing::StartsWith("diff1 diff12")) << model;
    EXPECT_THAT(model, Not(HasSubstr("sar"))) << model;
    EXPECT_THAT(model, Not(HasSubstr("const"))) << model;
  }
  EXPECT_TRUE(models.contains("diff1 diff12 ar1 sma12,24 / steady / normal"));
}

TEST(SearchOptions, WalksAgreeAndSparseGoesFurther) {
  const Folder folder;
  // A memory of lag 7 alone.
  const Outcome made =
      brace("simulate --model 'zero ar7 ar7=.5 / steady sigma2=1 / normal' --length 700 --seed 3");
  ASSERT_EQ(made.status, 0) << made.err;
  const std::string file =
      "search '" + folder.file("made.csv", made.out) + "' --value value --most-ar 3 --most-ma 3";
  const Json full = json_of(file + " --walk full"), steps = json_of(file + " --walk stepwise"),
             sparse = json_of(file + " --sparse");
  EXPECT_EQ(full["result"]["walk"], "full");
  EXPECT_EQ(steps["result"]["walk"], "stepwise");
  EXPECT_LT(steps["result"]["candidates"].size(), full["result"]["candidates"].size());
  // What it walks over is a part of the whole, with the same numbers, so that its best is no
  // better.
  for (const Json& one : steps["result"]["candidates"])
    for (const Json& all : full["result"]["candidates"])
      if (one["model"] == all["model"]) {
        EXPECT_EQ(one["log_likelihood"], all["log_likelihood"]) << one["model"];
      }
  EXPECT_LE(full["result"]["candidates"][0]["aicc"].get<double>(),
            steps["result"]["candidates"][0]["aicc"].get<double>());
  // No order up to 3 has lag 7; a single lag has, and is far ahead.
  bool seventh = false;
  for (const Json& c : sparse["result"]["candidates"])
    seventh = seventh || c["model"].get<std::string>().find("7") != std::string::npos;
  EXPECT_TRUE(seventh);
  EXPECT_LT(sparse["result"]["candidates"][0]["aicc"].get<double>(),
            full["result"]["candidates"][0]["aicc"].get<double>() - 50);
}

TEST(SearchOptions, ThoseThatWouldDoNothingAreRefused) {
  for (const char* option : {"--most-sar 1", "--most-sma 1", "--season-differences 1"})
    expect_refused("search " + kKelpReturns + " " + option, "requires --season");
  for (const char* option : {"--law student", "--mean const"})
    expect_refused("search " + kKelpReturns + " " + option, "give --variance");
  expect_refused("forecast " + kKelpReturns + " --model 'const / garch' --shortest-window 400",
                 "requires --windows");
  expect_refused("forecast " + kKelpReturns + " --model 'const / garch' --refits 50",
                 "--method refit");
}

// ---- Fit ----

TEST(FitOptions, TargetedVarianceIsTheSamples) {
  const std::string fit = "fit " + kKelpReturns + " --model 'const / garch / student'";
  const Json free = json_of(fit), targeted = json_of(fit + " --target-variance"),
             moments = json_of("inspect " + kKelpReturns);
  const double sd = moments["result"]["moments"]["sd"];
  // Around the mean that is fitted, which is not the sample's.
  EXPECT_NEAR(targeted["result"]["unconditional_variance"].get<double>(), sd * sd, .002 * sd * sd);
  EXPECT_GT(std::abs(free["result"]["unconditional_variance"].get<double>() - sd * sd),
            .002 * sd * sd);
  EXPECT_LE(targeted["result"]["log_likelihood"], free["result"]["log_likelihood"]);
  EXPECT_THAT(targeted["result"]["convergence"]["why"], HasSubstr("variance of the sample"));
  expect_refused("fit " + kKelpReturns + " --model 'const / egarch' --target-variance", "egarch");
}

TEST(FitOptions, MoreStartsAreLookedAtAndCounted) {
  const std::string fit = "fit " + kKelpReturns + " --model 'const / gjr / student'";
  const Json usual = json_of(fit), more = json_of(fit + " --starts 30");
  EXPECT_EQ(more["result"]["convergence"]["starts"], 30);
  EXPECT_LT(usual["result"]["convergence"]["evaluations"],
            more["result"]["convergence"]["evaluations"]);
  // Two climbs to the same maximum.
  EXPECT_NEAR(estimate_of(usual, "alpha1"), estimate_of(more, "alpha1"), 1e-5);
  EXPECT_GE(more["result"]["log_likelihood"].get<double>(),
            usual["result"]["log_likelihood"].get<double>() - 1e-6);
  expect_refused(fit + " --starts 0", "--starts");
}

// ---- Backtest ----

TEST(BacktestOptions, TailsThresholdAndGrowingWindows) {
  const std::string command = "backtest " + kKelpReturns +
                              " --model 'const / garch / student' --origins 60 --refit-every 30";
  const Json moving = json_of(command + " --tails 2.5,10"),
             growing = json_of(command + " --tails 2.5,10 --expanding --threshold .5");
  const auto first = [](const Json& document) {
    return document["result"]["models"][0]["steps"][0];
  };
  EXPECT_EQ(first(moving)["tails"].size(), 2U);
  EXPECT_TRUE(first(moving)["tails"].contains("2.5")) << first(moving)["tails"].dump();
  EXPECT_LE(first(moving)["tails"]["2.5"]["hits"], first(moving)["tails"]["10"]["hits"]);
  EXPECT_FALSE(moving["result"]["expanding"]);
  EXPECT_TRUE(growing["result"]["expanding"]);
  // Other rows, other estimates.
  EXPECT_NE(first(moving)["volatility"]["qlike"], first(growing)["volatility"]["qlike"]);
  // No forecast of a mean near 0 is beyond half a percent: all calls are flat.
  EXPECT_NE(first(moving)["directions"].dump(), first(growing)["directions"].dump());
  const Outcome text = brace(command + " --tails 2.5,10 --expanding");
  EXPECT_THAT(text.out, HasSubstr("p  below 2.5 %     p  below 10 %     p\n"));
  EXPECT_THAT(text.out, HasSubstr("windows that grow from 1,000 rows"));
  expect_refused(command + " --threshold -1", "--threshold");
  expect_refused(command + " --tails 0", "0");
}

// ---- Pictures ----

TEST(InspectOptions, ShapeIsDrawn) {
  const Folder folder;
  const Outcome run =
      brace("inspect " + kKelpReturns + " --shape '" + (folder / "shape.svg") + "'");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.err, HasSubstr("wrote"));
  const std::string svg = content_of(folder / "shape.svg");
  EXPECT_THAT(svg, HasSubstr("<svg"));
  EXPECT_EQ(folder.entries(), 1U);
  // A folder that is not there: an error, and nothing is left behind.
  const Outcome nowhere =
      brace("inspect " + kKelpReturns + " --shape '" + (folder / "none/shape.svg") + "'");
  EXPECT_NE(nowhere.status, 0);
  EXPECT_THAT(nowhere.err, HasSubstr("none/shape.svg"));
  EXPECT_EQ(folder.entries(), 1U);
}

}  // namespace
}  // namespace brace::test
