// SPDX-License-Identifier: Apache-2.0
// backtest, update, and what fit and forecast say on request, as a user runs them.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "brace/base/date.hpp"
#include "brace/io/files.hpp"

#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;
using testing::Not;

TEST(EvaluationTool, BacktestJudgesModelsAndBaselines) {
  const Folder folder;
  const std::string command =
      "backtest " + kKelpReturns +
      " --model 'const / garch / student' --model 'const / steady / normal' "
      "--baseline mean --origins 200 --refit-every 10 --horizon 3";
  const Outcome text =
      brace(command + " --out " + (folder / "b.csv") + " --chart " + (folder / "b.png"));
  ASSERT_EQ(text.status, 0) << text.err;
  EXPECT_THAT(text.out, HasSubstr("forecasts the variance of the next row best"));
  EXPECT_THAT(text.out, HasSubstr("200 origins"));
  EXPECT_THAT(text.out, HasSubstr("step 3"));
  EXPECT_THAT(text.out, Not(HasSubstr("nan")));
  std::istringstream lines(text.out);
  for (std::string line; std::getline(lines, line);)
    if (!line.starts_with("  Next:")) {
      EXPECT_LE(line.size(), 100U) << line;
    }
  const std::string csv = content_of(folder / "b.csv");
  EXPECT_TRUE(csv.starts_with("entrant,origin,step,date,mean,volatility,")) << csv.substr(0, 80);
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 1 + 5 * 200 * 3);
  EXPECT_TRUE(content_of(folder / "b.png").starts_with("\x89PNG"));
  const Json document = Json::parse(brace(command + " --json").out);
  const Json& result = document["result"];
  EXPECT_EQ(document["command"], "backtest");
  EXPECT_EQ(result["origins"], 200);
  EXPECT_EQ(result["models"].size(), 5U);
  EXPECT_EQ(result["models"][2]["kind"], "baseline");
  const Json& first = result["models"][0]["steps"][0];
  for (const char* key : {"accuracy", "volatility", "coverage", "tails", "directions", "density"})
    EXPECT_TRUE(first.contains(key)) << key;
  EXPECT_GT(first["coverage"]["95"]["covered"], .85);
  EXPECT_EQ(result["comparisons"].size(), 2U);  // the first step and the last
}

TEST(EvaluationTool, BacktestTakesARangeAsProxyAndKeepsAJournal) {
  const Folder folder;
  const std::string journal = folder / "run.jsonl",
                    command =
                        "backtest data/ferry-freight.csv --regroup day:last --returns log --model "
                        "'const / garch / normal' --window 150 --origins 30 --journal " +
                        journal;
  const Outcome once = brace(command);
  const Outcome again = brace(command);
  ASSERT_EQ(once.status, 0) << once.err;
  EXPECT_EQ(once.out, again.out);
  EXPECT_THAT(again.err, HasSubstr("30 records are there already"));
  const Outcome other = brace(command + " --seed 9");
  EXPECT_EQ(other.status, 2);
  EXPECT_THAT(other.err, HasSubstr("is the journal of another backtest"));
  const Outcome none = brace(
      "backtest data/lamp-oil.csv --returns log --model 'const / steady / normal' --window 100 "
      "--proxy parkinson");
  EXPECT_EQ(none.status, 2);
  EXPECT_THAT(none.err, HasSubstr("--proxy parkinson"));
}

TEST(EvaluationTool, BacktestNamesWhatIsWrong) {
  const Outcome shorter =
      brace("backtest " + kKelpReturns + " --model 'const / garch' --window 2595");
  EXPECT_EQ(shorter.status, 1);
  EXPECT_THAT(shorter.err, HasSubstr("leave no room for windows of 2595"));
  const Outcome nobody = brace("backtest " + kKelpReturns);
  EXPECT_EQ(nobody.status, 2);
  EXPECT_THAT(nobody.err, HasSubstr("give a model or a baseline"));
}

TEST(EvaluationTool, UpdateTakesWhatCame) {
  const Folder folder;
  const std::string model = folder / "kelp.json";
  ASSERT_EQ(brace("fit " + kKelpReturns +
                  " --to 2023-12-29 --model 'const / garch / student' --save " + model)
                .status,
            0);
  const Outcome updated = brace("update " + model +
                                " --new data/kelp-fibre.csv --value settle --drop-zero volume "
                                "--returns log --save " +
                                (folder / "new.json"));
  ASSERT_EQ(updated.status, 0) << updated.err;
  EXPECT_THAT(updated.out, HasSubstr("34 days added, to 2024-02-16."));
  // The parameters of then, the state of now: as one pass over all rows from the old presample.
  const Json then = Json::parse(content_of(model)),
             now = Json::parse(content_of(folder / "new.json"));
  EXPECT_EQ(then["parameters"], now["parameters"]);
  EXPECT_EQ(then["presample"], now["presample"]);
  const Json ahead = Json::parse(brace("forecast " + (folder / "new.json") + " --json").out);
  EXPECT_EQ(ahead["result"]["origin"], "2024-02-16");
  const Outcome twice = brace("update " + (folder / "new.json") +
                              " --new data/kelp-fibre.csv --value settle --drop-zero volume "
                              "--returns log");
  EXPECT_EQ(twice.status, 1);
  EXPECT_THAT(twice.err, HasSubstr("no row comes after 2024-02-16, where the model ends"));
}

TEST(EvaluationTool, FitSaysMoreOnRequest) {
  const std::string command = "fit " + kKelpReturns +
                              " --model 'const ar1 / garch / student' --profile persistence,nu "
                              "--wald ar1=0,mu=0 --mean-beside";
  const Outcome text = brace(command);
  ASSERT_EQ(text.status, 0) << text.err;
  EXPECT_THAT(text.out, HasSubstr("95 % by likelihood:"));
  EXPECT_THAT(text.out, HasSubstr("null: ar1 = 0 and mu = 0"));
  EXPECT_THAT(text.out, HasSubstr("beside those of 'const ar1 / steady / normal' alone"));
  const Json result = Json::parse(brace(command + " --json").out)["result"];
  EXPECT_EQ(result["profile_intervals"].size(), 2U);
  EXPECT_EQ(result["profile_intervals"][0]["quantity"], "persistence");
  EXPECT_LT(result["profile_intervals"][1]["low"], result["profile_intervals"][1]["estimate"]);
  EXPECT_EQ(result["tests"][0]["test"], "wald");
  EXPECT_EQ(result["mean_beside"]["terms"].size(), 2U);
  const Outcome wrong = brace("fit " + kKelpReturns + " --model 'const / garch' --profile gamma1");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("no profile of 'gamma1'"));
}

TEST(EvaluationTool, ForecastScenariosAndMethods) {
  const Folder folder;
  const std::string model = folder / "kelp.json";
  ASSERT_EQ(
      brace("fit " + kKelpReturns + " --model 'const / garch / student' --save " + model).status,
      0);
  const auto steps = [&](const std::string& options) {
    const Outcome out = brace("forecast " + model + " --horizon 3 --json " + options);
    EXPECT_EQ(out.status, 0) << out.err;
    return Json::parse(out.out)["result"]["steps"];
  };
  const Json plain = steps(""), fall = steps("--suppose=-6"), high = steps("--start-volatility 4");
  EXPECT_GT(fall[0]["variance"], plain[0]["variance"]);
  EXPECT_NEAR(high[0]["variance"], 16, 1e-9);
  EXPECT_EQ(plain[0]["tails"].size(), 2U);
  EXPECT_LT(plain[0]["tails"][0]["shortfall"], plain[0]["tails"][0]["value_at_risk"]);
  for (const char* method : {"resampled", "refit --refits 40"})
    EXPECT_NEAR(steps(std::string("--method ") + method)[0]["variance"].get<double>(),
                plain[0]["variance"].get<double>(), 1e-9);
  EXPECT_THAT(brace("forecast " + model + " --method resampled").out,
              HasSubstr("Intervals (resampled) cover"));
}

TEST(EvaluationTool, ForecastAveragesOverWindowsAndSamplesShortSeries) {
  const std::string line = kKelpReturns + " --model 'const / garch / student' --horizon 2";
  const Outcome text = brace("forecast " + line + " --windows 3 --shortest-window 1000");
  EXPECT_EQ(text.status, 0) << text.err;
  std::string flat = text.out;
  for (auto at = flat.find("\n  "); at != std::string::npos; at = flat.find("\n  ", at))
    flat.replace(at, 3, " ");
  EXPECT_THAT(flat, HasSubstr("Averaged over fits to the last 2597, 1799, 1000 rows."));
  const Json told = Json::parse(brace("forecast " + line + " --windows 2 --json").out)["result"];
  EXPECT_EQ(told["windows"], (std::vector<int>{2597, 649}));
  // Persistence is next to one on the whole, and well below before the break: there the normal law
  // of the estimates serves.
  EXPECT_GT(told["effective_draws"], 50);
  const Json before =
      Json::parse(brace("forecast " + line + " --to 2019-05-07 --json").out)["result"];
  EXPECT_TRUE(before["effective_draws"].is_null());
  const Json shorter =
      Json::parse(brace("forecast " + line + " --from 2023-01-01 --json").out)["result"];
  EXPECT_GT(shorter["effective_draws"], 50);
  EXPECT_TRUE(shorter["windows"].empty());
  EXPECT_EQ(brace("forecast " + line + " --windows 3 --shortest-window 5000").status, 2);
}

TEST(EvaluationTool, BacktestFitsAProfileInEachWindow) {
  const std::string line =
      "backtest data/ferry-freight.csv --returns log --overnight mark --transform hours --model "
      "'const / garch / student' --window 2000 --origins 60 --refit-every 30";
  const Outcome text = brace(line);
  EXPECT_EQ(text.status, 0) << text.err;
  EXPECT_THAT(text.out, HasSubstr("'hours' estimated in each window"));
  EXPECT_THAT(text.out, HasSubstr("--transform hours --model"));
  const Json told = Json::parse(brace(line + " --json").out)["result"];
  EXPECT_EQ(told["fitted_transform"], "hours");
}

// A model with regressors in mean and variance: rows from a file, or those that were fitted.
TEST(EvaluationTool, SimulatesRowsWithColumns) {
  const Folder folder;
  const std::string rows = folder / "rows.csv", made = folder / "made.csv",
                    saved = folder / "saved.json";
  std::string text = "date,tide,storm\n";
  for (int t = 0; t < 3000; ++t) {
    const auto day = std::chrono::sys_days{std::chrono::year{2010} / 1 / 1} + std::chrono::days{t};
    text += fmt::format("{},{:.4f},{}\n", format_date(day), std::sin(.7 * t), t % 50 == 0 ? 1 : 0);
  }
  write_whole(rows, text);
  const std::string line =
      "'const with tide / garch vwith storm' --fix mu=0,with:tide=2,omega=.05,alpha1=.1,beta1=.8,"
      "vwith:storm=3";
  ASSERT_EQ(
      brace("simulate --model " + line + " --columns " + rows + " --quiet --out " + made).status,
      0);
  EXPECT_TRUE(read_whole(made).starts_with("date,value,shock,variance,tide,storm\n2010-01-01,"));
  const Outcome fit = brace("fit " + made +
                            " --value value --model 'const with tide / garch vwith storm' --json "
                            "--save " +
                            saved);
  ASSERT_EQ(fit.status, 0) << fit.err;
  std::map<std::string, double> estimates;
  const Json result = Json::parse(fit.out)["result"];
  for (const Json& p : result["parameters"]) estimates[p["name"]] = p["estimate"];
  // The sample's own error; its seed is fixed.
  EXPECT_NEAR(estimates.at("with:tide"), 2, .1);
  EXPECT_NEAR(estimates.at("vwith:storm"), 3, 1.5);
  const Outcome again = brace("simulate " + saved);
  EXPECT_EQ(std::count(again.out.begin(), again.out.end(), '\n'), 3001) << again.err;
  const Outcome wrong = brace("simulate --model " + line);
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("needs the rows that are to be made"));
}

TEST(EvaluationExamples, RunAsTheyStand) {
  const Folder folder;
  const Outcome morning =
      run("'" BRACE_MORNING_EXAMPLE "' data/kelp-fibre.csv '" + (folder / "risk.csv") + "'");
  ASSERT_EQ(morning.status, 0) << morning.err;
  EXPECT_THAT(morning.out, HasSubstr("10 days taken, to 2024-02-16"));
  EXPECT_TRUE(content_of(folder / "risk.csv").starts_with("date,volatility,low_95,high_95"));
  const Outcome contest =
      run("'" BRACE_CONTEST_EXAMPLE "' data/kelp-fibre.csv '" + (folder / "contest.csv") + "'");
  ASSERT_EQ(contest.status, 0) << contest.err;
  EXPECT_THAT(contest.out, HasSubstr("const / gjr e1 h1 / student"));
  EXPECT_EQ(run("'" BRACE_MORNING_EXAMPLE "' none.csv").status, 1);
}

}  // namespace
}  // namespace brace::test
