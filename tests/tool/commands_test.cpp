// SPDX-License-Identifier: Apache-2.0
// Commands one by one, as a user runs them, on data whose answer is known.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;

TEST(Tool, HoldsOutRegroupsAndTransforms) {
  const auto series = [](const std::string& arguments) {
    const Outcome out = brace("lags " + arguments + " --json");
    EXPECT_EQ(out.status, 0) << arguments << out.err;
    return Json::parse(out.out)["series"];
  };
  EXPECT_EQ(series("data/lamp-oil.csv --hold-out 24")["last"], "2021-12-31");
  EXPECT_EQ(series("data/lamp-oil.csv --hold-out 10%")["n"], 216);
  EXPECT_EQ(series("data/lamp-oil.csv --hold-out 2023-01-01")["last"], "2022-12-31");
  EXPECT_EQ(series("data/lamp-oil.csv --rows 1..60")["n"], 60);
  EXPECT_EQ(series("data/lamp-oil.csv --transform 'log diff1 diff12'")["n"], 240 - 13);
  EXPECT_EQ(series("data/ferry-freight.csv --regroup day:last --returns log")["every"],
            "business-day");
  EXPECT_EQ(series("data/ferry-freight.csv --returns log --overnight drop")["n"], 4015 - 501);
  EXPECT_EQ(
      series(
          "data/ferry-freight.csv --returns log --overnight mark --transform hours --hold-out 20%")
          ["n"],
      4015 - 803);
  const Outcome power = brace("lags data/lamp-oil.csv --transform boxcox --hold-out 24");
  EXPECT_NE(power.out.find("Box-Cox power"), std::string::npos) << power.out;
}

TEST(Tool, ComingDatesKeepTheSession) {
  const Json ahead = Json::parse(
      brace("forecast data/ferry-freight.csv --returns log --model 'const' --horizon 9 --json")
          .out);
  EXPECT_EQ(ahead["result"]["steps"][0]["date"], "2024-02-09 09:00") << "after Thursday's 16:00";
  EXPECT_EQ(ahead["result"]["steps"][8]["date"], "2024-02-12 09:00") << "after Friday's";
}

TEST(Tool, SeasonFindsWhatWasPlanted) {
  const Json oil = Json::parse(brace("season data/lamp-oil.csv --json").out)["result"];
  EXPECT_EQ(oil["form"], "multiplicative");
  EXPECT_GT(oil["season_share"], 0.8);
  // December is dearest and June cheapest in what was planted.
  double december = oil["typical_season"][11]["season"], june = oil["typical_season"][5]["season"];
  EXPECT_NEAR(december, std::exp(.11), .03);
  EXPECT_NEAR(june, std::exp(-.12), .03);
  const Json ferry = Json::parse(
      brace("season data/ferry-freight.csv --returns log --overnight mark --json").out)["result"];
  EXPECT_TRUE(ferry["tests"][0]["reject_5pct"]);
  EXPECT_FALSE(ferry["tests"][1]["reject_5pct"]) << "nothing was planted by the weekday";
  // The planted profile from 10:00 on, over the root of its mean square.
  const double hours[] = {1.15, .90, .70, .65, .80, 1.00, 1.20};
  double mean_square = 0;
  for (const double h : hours) mean_square += h * h / 7;
  for (std::size_t i = 0; i < 7; ++i) {
    const Json& slot = ferry["profiles"][0]["slots"][i];
    EXPECT_NEAR(slot["factor"], hours[i] / std::sqrt(mean_square), 4 * slot["error"].get<double>());
  }
}

// The shipped series has one lasting rise of volatility, from 2019-05-02 on: 15 trading days are
// three weeks.
TEST(Tool, BreaksFindsThePlantedOne) {
  const Folder folder;
  const Json doc = Json::parse(
      brace("breaks " + kKelp + " --returns log --json --chart " + (folder / "b.png")).out);
  const Json& result = doc["result"];
  ASSERT_EQ(result["breaks"].size(), 1u);
  const Json& found = result["breaks"][0];
  EXPECT_EQ(found["kind"], "variance");
  const std::string date = found["date"];
  EXPECT_GE(date, "2019-04-10");
  EXPECT_LE(date, "2019-05-23");
  EXPECT_LE(found["interval_95_dates"][0].get<std::string>(), "2019-05-01");
  EXPECT_GE(found["interval_95_dates"][1].get<std::string>(), "2019-05-01");
  ASSERT_EQ(result["segments"].size(), 2u);
  EXPECT_GT(result["persistence"], result["segments"][0]["persistence"]);
  EXPECT_EQ(result["terms"][0], "step:" + result["from"].get<std::string>());
  EXPECT_TRUE(content_of(folder / "b.png").starts_with("\x89PNG"));
  // The term's date starts the later sample, and that has no break.
  const Json later = Json::parse(
      brace("breaks " + kKelp + " --returns log --json --from " + result["from"].get<std::string>())
          .out);
  EXPECT_TRUE(later["result"]["breaks"].empty()) << later["result"]["reading"];
}

TEST(Tool, BreaksOfWhatIsAwkward) {
  const Folder folder;
  std::string walk = "v\n", line = "v\n";
  double level = 0;
  std::uint64_t state = 7;
  for (int i = 0; i < 600; ++i) {
    state = state * 6364136223846793005ULL + 1442695040888963407ULL;
    level += static_cast<double>(state >> 40) / (1 << 24) - .5;
    walk += std::to_string(level) + "\n";
    line += std::to_string(i) + "\n";
  }
  const std::string walk_file = folder.file("walk.csv", walk),
                    line_file = folder.file("l.csv", line);
  const Outcome of_level = brace("breaks " + walk_file);
  EXPECT_EQ(of_level.status, 0) << of_level.err;
  EXPECT_NE(of_level.out.find("level-modelled: a unit root in v is not rejected"),
            std::string::npos)
      << of_level.out;
  const Outcome undated = brace("breaks " + walk_file + " --at 2019-05-02");
  EXPECT_EQ(undated.status, 2);
  EXPECT_EQ(undated.err, "brace: --at 2019-05-02: v has no dates; name their column with --date\n");
  EXPECT_EQ(brace("breaks " + walk_file + " --at x").status, 2);
  const Outcome of_line = brace("breaks " + line_file);
  EXPECT_EQ(of_line.status, 0) << of_line.err;
  EXPECT_EQ(of_line.out.find("nan"), std::string::npos) << of_line.out;
}

TEST(Tool, UnitrootRunsTheTestsNamed) {
  const Json named =
      Json::parse(brace("unitroot " + kKelp + " --test kpss,variance-ratio --json").out)["result"];
  std::vector<std::string> ids;
  for (const Json& t : named["tests"]) ids.push_back(t["test"]);
  EXPECT_EQ(ids, (std::vector<std::string>{"kpss", "kpss", "kpss", "variance-ratio",
                                           "variance-ratio", "variance-ratio", "variance-ratio"}));
  const Json oil = Json::parse(brace("unitroot data/lamp-oil.csv --json").out)["result"];
  EXPECT_EQ(oil["differences"]["regular"].get<int>() + oil["differences"]["seasonal"].get<int>(), 1)
      << oil["differences"]["reading"];
  const Outcome wrong = brace("unitroot " + kKelp + " --test kps");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.err.find("did you mean 'kpss'?"), std::string::npos) << wrong.err;
  EXPECT_EQ(brace("unitroot " + kKelp + " --bandwidth x").status, 2);
  EXPECT_EQ(brace("unitroot " + kKelp + " --lags maic --bandwidth auto").status, 0);
}

TEST(Tool, SimulatesWhatIsTypedOrWasFitted) {
  const Folder folder;
  const std::string typed =
      "simulate --model 'const mu=.03 / garch omega=.02 alpha1=.08 / student' --fix beta1=.9,nu=6 ";
  const std::string rows = brace(typed + "--length 400 --seed 5").out;
  EXPECT_TRUE(rows.starts_with("row,value,shock,variance\n1,")) << rows.substr(0, 80);
  EXPECT_EQ(std::count(rows.begin(), rows.end(), '\n'), 401);
  EXPECT_EQ(rows, brace(typed + "--length 400 --seed 5").out) << "the same seed, the same series";
  // Until the break nothing changes; after it the variance is another.
  const std::string broken = brace(typed + "--length 400 --seed 5 --change '201 omega=2,mu=1'").out;
  const std::size_t row_201 = rows.find("\n201,");
  EXPECT_EQ(broken.substr(0, row_201), rows.substr(0, row_201));
  EXPECT_NE(broken, rows);
  // What was made can be fitted, saved, and made again.
  const std::string csv = folder / "made.csv", saved = folder / "made.json";
  ASSERT_EQ(brace(typed + "--length 3000 --quiet --out " + csv).status, 0);
  ASSERT_EQ(brace("fit " + csv +
                  " --value value --model 'const / garch / student' --quiet --save " + saved)
                .status,
            0);
  const auto again = brace("simulate " + saved + " --length 50");
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_EQ(std::count(again.out.begin(), again.out.end(), '\n'), 51);
  for (const auto& [call, words] :
       {std::pair{std::string("simulate --model 'const / garch omega=.1'"),
                  "has no value for mu, alpha1, beta1"},
        std::pair{typed + "--change '5'", "write the first row of it and what is new"},
        std::pair{typed + "--change '5 gamma1=.1'", "has no gamma1"},
        std::pair{"simulate " + saved + " --model const", "leave --model and --fix out"},
        std::pair{std::string("simulate --model 'zero / garch omega=1 alpha1=.6 beta1=.6'"),
                  "the rule is alpha1 + beta1 < 1"}}) {
    const auto wrong = brace(call);
    EXPECT_EQ(wrong.status, 2) << call;
    EXPECT_NE(wrong.err.find(words), std::string::npos) << wrong.err;
  }
}

TEST(Tool, SearchesVarianceEquations) {
  const Folder folder;
  const std::string csv = folder / "all.csv";
  const std::string call = "search " + kKelp +
                           " --returns log --variance garch --variance 'gjr e1,2' --law student "
                           "--law normal --mean const --mean zero";
  const auto found = brace(call + " --out " + csv);
  ASSERT_EQ(found.status, 0) << found.err;
  EXPECT_NE(found.out.find("of 8 candidates by bic"), std::string::npos) << found.out;
  EXPECT_NE(found.out.find("Next: brace check "), std::string::npos);
  EXPECT_EQ(std::count_if(found.out.begin(), found.out.end(), [](char c) { return c == '>'; }), 1);
  const std::string table = content_of(csv);
  EXPECT_EQ(std::count(table.begin(), table.end(), '\n'), 9);
  const auto told = Json::parse(brace(call + " --json --criterion aic").out);
  EXPECT_EQ(told["result"]["criterion"], "aic");
  EXPECT_EQ(told["result"]["candidates"].size(), 8u);
  for (const char* key : {"model", "bic", "persistence", "white_p", "arch_p", "sign_p", "law_p"})
    EXPECT_TRUE(told["result"]["candidates"][0].contains(key)) << key;
  EXPECT_NE(brace("search " + kKelp + " --returns log --law student").err.find("give --variance"),
            std::string::npos);
}

TEST(Tool, TablesGoToCsvWhole) {
  const Folder folder;
  const std::string returns = kKelp + " --returns log", csv = folder / "t.csv";
  for (const auto& [call, header, rows] :
       {std::tuple{"inspect " + returns, "test,statistic,p_value,lags,null", 8},
        std::tuple{"lags " + returns + " --lags 12",
                   "lag,acf,pacf,q,dof,p_value,q_robust,p_robust,band_robust,band_widening,"
                   "q_critical",
                   12},
        std::tuple{std::string("season data/lamp-oil.csv"),
                   "date,value,trend,season,remainder,adjusted", 240},
        std::tuple{"lags " + returns + " --of leverage --lags 4", "lag,correlation,band_robust", 4},
        std::tuple{
            "unitroot " + kKelp,
            "of,test,variant,deterministic,lags,bandwidth,statistic,p_value,critical_5,break,null",
            21},
        std::tuple{"breaks " + returns, "kind,index,date,low,high,low_date,high_date,p_value", 1},
        std::tuple{"fit " + returns + " --model 'const / garch'",
                   "name,estimate,se_hessian,se_opg,se_robust,t,p_value,held,at_bound", 4},
        std::tuple{"check " + returns + " --model 'const / garch'",
                   "question,answer,test,variant,statistic,p_value,lags,null", 24}}) {
    ASSERT_EQ(brace(call + " --quiet --out " + csv).status, 0) << call;
    const std::string content = content_of(csv);
    EXPECT_EQ(content.substr(0, content.find('\n')), header);
    EXPECT_EQ(std::count(content.begin(), content.end(), '\n'), rows + 1) << call;
  }
  EXPECT_EQ(folder.entries(), 1u);
}

TEST(Tool, SearchRanksSavesAndSpeaksJson) {
  const Folder folder;
  const std::string lamp =
      "data/lamp-oil.csv --transform log --differences 1 --most-ar 1 --most-ma "
      "1 --terms 'harmonics 12:3' --constant always";
  const Outcome text = brace("search " + lamp + " --save " + (folder / "best.json") + " --out " +
                             (folder / "all.csv"));
  EXPECT_EQ(text.status, 0) << text.err;
  EXPECT_THAT(text.out,
              HasSubstr("const diff1 ar1 ma1 harmonics 12:3 is the best of 4 candidates"));
  EXPECT_THAT(text.out, HasSubstr("every candidate has: harmonics 12:3"));
  EXPECT_THAT(text.out, HasSubstr("Next: brace check data/lamp-oil.csv --transform log --model"));
  EXPECT_THAT(content_of(folder / "all.csv"), HasSubstr("rank,model,aic"));
  const Json found = Json::parse(brace("search " + lamp + " --json").out);
  EXPECT_EQ(found["result"]["candidates"].size(), 4u);
  EXPECT_EQ(found["result"]["chosen"], "const diff1 ar1 ma1 harmonics 12:3 / steady / normal");
  // The saved model goes on where the search ended.
  const Outcome next = brace("forecast " + (folder / "best.json") + " --horizon 2");
  EXPECT_EQ(next.status, 0) << next.err;
  EXPECT_THAT(next.out, HasSubstr("log price is forecast at"));
}

TEST(Tool, CompareForecastsAHoldOutAndRefusesOtherDifferences) {
  const Folder folder;
  const std::string lamp = "data/lamp-oil.csv --transform log --hold-out 12 ";
  const Outcome both =
      brace("compare " + lamp +
            "--model 'const diff1 ar1 harmonics 12:2' --model 'const diff1 ar1 ma1 "
            "harmonics 12:2' --baseline drift --chart " +
            (folder / "pair.png"));
  EXPECT_EQ(both.status, 0) << both.err;
  EXPECT_THAT(both.out, HasSubstr("1 in 2: likelihood ratio"));
  EXPECT_THAT(both.out, HasSubstr("Hold-out of 12 rows"));
  EXPECT_THAT(both.out, HasSubstr("drift"));
  EXPECT_TRUE(content_of(folder / "pair.png").starts_with("\x89PNG"));
  const Outcome refused = brace("compare " + lamp + "--model 'const ar1' --model 'diff1 ar1'");
  EXPECT_EQ(refused.status, 2);
  EXPECT_THAT(refused.err, HasSubstr("are differenced differently"));
}

TEST(Tool, ForecastsTheLevelOnItsOwnScaleAndJudgesAHoldOut) {
  const std::string model = " --model 'const diff1 ar1 ma1 harmonics 12:2' ";
  const Outcome median = brace("forecast data/lamp-oil.csv --transform log --horizon 3" + model);
  EXPECT_THAT(median.out, HasSubstr("on the scale of the file"));
  EXPECT_THAT(median.out, HasSubstr("median"));
  EXPECT_THAT(
      brace("forecast data/lamp-oil.csv --transform log --horizon 3 --back mean" + model).out,
      HasSubstr("mean            95 % of values"));
  // The mean of a lognormal lies above its median.
  const Json j = Json::parse(
      brace("forecast data/lamp-oil.csv --transform log --horizon 24 --json" + model).out);
  for (const Json& step : j["result"]["original"]) EXPECT_GT(step["mean"], step["median"]);
  const Outcome judged = brace("forecast data/lamp-oil.csv --transform log --hold-out 24" + model);
  EXPECT_THAT(judged.out, HasSubstr("24 rows held out"));
  EXPECT_THAT(judged.out, HasSubstr("one step"));
}

TEST(Tool, RegressorsComeFromTheFileAndTheirFutureFromAnother) {
  const Folder folder;
  std::string rows = "number,price,tide\n", future = "tide\n";
  for (int t = 0; t < 80; ++t)
    rows += fmt::format("{},{},{}\n", 1 + t, 50 + 7 * (t % 5 == 0) + 0.1 * ((t * 37) % 11),
                        t % 5 == 0 ? 1 : 0);
  for (int t = 80; t < 84; ++t) future += fmt::format("{}\n", t % 5 == 0 ? 1 : 0);
  const std::string file = folder.file("tides.csv", rows), ahead = folder.file("ahead.csv", future);
  const std::string call =
      "forecast " + file + " --value price --model 'const with tide' --horizon 4";
  EXPECT_THAT(brace(call).err, HasSubstr("--future FILE"));
  const Json j = Json::parse(brace(call + " --json --future " + ahead).out);
  // Noise of 0 to 1 in steps of .1, whose mean is .5.
  EXPECT_NEAR(j["result"]["steps"][0]["mean"].get<double>(), 57.5, .2);
  EXPECT_NEAR(j["result"]["steps"][1]["mean"].get<double>(), 50.5, .2);
  EXPECT_THAT(brace("fit " + file + " --model 'const with tide'").err,
              HasSubstr("--value is missing: with regressors the file has several columns"));
  // A saved model keeps its regressors.
  ASSERT_EQ(brace("fit " + file + " --value price --model 'const with tide' --quiet --save " +
                  (folder / "m.json"))
                .status,
            0);
  EXPECT_EQ(
      Json::parse(brace("forecast " + (folder / "m.json") + " --horizon 4 --json --future " + ahead)
                      .out)["result"]["steps"],
      j["result"]["steps"]);
}

TEST(Tool, FitWritesTheEquationAndTheFigure) {
  const Folder folder;
  const Outcome out = brace(
      "fit data/lamp-oil.csv --transform log --model 'diff1 diff12 ma1 sma12' "
      "--equation --chart " +
      (folder / "fit.svg") + " --out " + (folder / "p.csv"));
  EXPECT_EQ(out.status, 0) << out.err;
  EXPECT_THAT(out.out, HasSubstr("(1 - B) (1 - B^12) y[t] = u[t]"));
  EXPECT_THAT(out.out, HasSubstr("log-likelihood"));
  EXPECT_THAT(out.out, HasSubstr("(exact), 226 observations"));
  EXPECT_THAT(content_of(folder / "fit.svg"), HasSubstr("fitted one step ahead"));
  EXPECT_THAT(content_of(folder / "p.csv"), HasSubstr("sma12,"));
  // The same data by the conditional likelihood count the rows that a gap does not touch.
  const Json conditional = Json::parse(
      brace("fit data/lamp-oil.csv --transform log --model 'diff1 diff12 ma1 sma12' --likelihood "
            "conditional --json")
          .out);
  EXPECT_EQ(conditional["result"]["likelihood"], "conditional");
  EXPECT_LT(conditional["result"]["n"].get<int>(), 226);
}

TEST(Tool, CheckListsOutliersAndDrawsRoots) {
  const Folder folder;
  std::string rows = "month,price\n";
  double level = 50;
  for (int t = 0; t < 120; ++t) {
    level += ((t * 7919) % 101 - 50) / 50.0;
    rows +=
        fmt::format("{}-{:02}-01,{:.3f}\n", 2010 + t / 12, t % 12 + 1, level + (t == 60 ? 15 : 0));
  }
  const std::string file = folder.file("oil.csv", rows);
  const Outcome out =
      brace("check " + file + " --model 'diff1 ma1' --outliers --season 12 --roots " +
            (folder / "roots.png") + " --chart " + (folder / "check.png"));
  EXPECT_EQ(out.status, 0) << out.err;
  EXPECT_THAT(out.out, HasSubstr("additive          2015-01-01"));
  EXPECT_THAT(out.out, HasSubstr("As regressors: diff1 ma1 with pulse:2015-01-01"));
  EXPECT_THAT(out.out, HasSubstr("Inverse roots by modulus"));
  EXPECT_TRUE(content_of(folder / "roots.png").starts_with("\x89PNG"));
  EXPECT_TRUE(content_of(folder / "check.png").starts_with("\x89PNG"));
  // The line offered is one that fit takes.
  const Outcome again = brace("fit " + file + " --model 'diff1 ma1 with pulse:2015-01-01'");
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_THAT(again.out, HasSubstr("with:pulse:2015-01-01"));
}

TEST(Tool, ForecastTablesHoldBothScales) {
  const Folder folder;
  const Outcome out = brace(
      "forecast data/lamp-oil.csv --transform log --model 'const diff1 ar1 ma1 "
      "harmonics 12:2' --horizon 3 --quiet --out " +
      (folder / "ahead.csv"));
  EXPECT_EQ(out.status, 0) << out.err;
  const std::string table = content_of(folder / "ahead.csv");
  EXPECT_THAT(table, HasSubstr("original_median,original_mean,original_50_low,original_50_high"));
  EXPECT_EQ(std::count(table.begin(), table.end(), '\n'), 4) << "a header and three steps";
  const Outcome pair = brace(
      "compare data/lamp-oil.csv --transform log --hold-out 6 --model 'diff1 "
      "ar1' --quiet --out " +
      (folder / "pair.csv"));
  EXPECT_EQ(pair.status, 0) << pair.err;
  EXPECT_THAT(content_of(folder / "pair.csv"), HasSubstr("\nwalk,"));
}

TEST(Residuals, AreTheSameRowsInCsvAndJsonAndAddUp) {
  const Folder folder;
  const std::string series = "data/kelp-fibre.csv --value settle --drop-zero volume --returns log";
  for (const char* line : {"const ar1 / garch / student", "const ar1"}) {
    const Outcome csv = brace(fmt::format("fit {} --model '{}' --residuals {}", series, line,
                                          (folder / "r.csv"))),
                  whole = brace(fmt::format("check {} --model '{}' --residuals {}", series, line,
                                            (folder / "r.json")));
    ASSERT_EQ(csv.status, 0) << csv.err;
    ASSERT_EQ(whole.status, 0) << whole.err;
    const Json rows = Json::parse(content_of((folder / "r.json")))["result"]["rows"];
    std::istringstream in(content_of((folder / "r.csv")));
    std::string text;
    std::getline(in, text);
    EXPECT_EQ(text, "date,actual,fitted,residual,volatility,standardised");
    std::size_t n = 0, present = 0;
    for (; std::getline(in, text); ++n) {
      const Json& row = rows[n];
      EXPECT_EQ(text.substr(0, 10), row["date"]);
      if (row["residual"].is_null()) continue;
      ++present;
      EXPECT_NEAR(row["fitted"].get<double>() + row["residual"].get<double>(),
                  row["actual"].get<double>(), 1e-12);
      EXPECT_NEAR(row["standardised"].get<double>() * row["volatility"].get<double>(),
                  row["residual"].get<double>(), 1e-12);
    }
    EXPECT_EQ(n, rows.size());
    EXPECT_EQ(present, 2589u) << "every return that is there";
  }
}

TEST(HoldOut, IsToldRowByRowOnBothScalesInTextCsvAndJson) {
  const Folder folder;
  const std::string call =
      "forecast data/lamp-oil.csv --transform log --model 'diff1 ar1 harmonics 12:3' --hold-out 6 "
      "--intervals 50,80,95";
  const Outcome text = brace(call + " --out " + (folder / "f.csv"));
  ASSERT_EQ(text.status, 0) << text.err;
  for (const char* part : {"95 % of values", "80 % of values", "50 % of values",
                           "6 rows held out, on the scale of the model", "on the scale of the file",
                           "share inside:", "2023-12-31"})
    EXPECT_THAT(text.out, HasSubstr(part));
  const Json result = Json::parse(brace(call + " --json").out)["result"];
  EXPECT_EQ(result["hold_out"]["original"]["actual"].size(), 6u);
  EXPECT_GT(
      result["hold_out"]["original"]["models"][0]["hold_out"]["accuracy"]["rmse"].get<double>(), 1);
  const std::string head = content_of((folder / "f.csv"));
  EXPECT_THAT(head.substr(0, head.find('\n')), HasSubstr("original_actual,original_error"));
}

TEST(SavedModel, ForecastsOnTheScaleOfItsFile) {
  const Folder folder;
  const std::string made = "data/lamp-oil.csv --transform 'log' --model 'diff1 ar1 harmonics 12:3'";
  ASSERT_EQ(brace(fmt::format("fit {} --save {}", made, (folder / "l.json"))).status, 0);
  const Json saved = Json::parse(brace(fmt::format("forecast {} --json", (folder / "l.json"))).out),
             typed = Json::parse(brace(fmt::format("forecast {} --json", made)).out);
  EXPECT_EQ(saved["result"]["original"], typed["result"]["original"]);
  ASSERT_FALSE(saved["result"]["original"].is_null());
}

TEST(Beginners, GetTheMend) {
  const std::string fit = "fit data/kelp-fibre.csv --value settle --returns log --model ";
  for (const auto& [words, mend] :
       {std::pair<std::string, std::string>{fit + "'arma(1,1)'", "write ar1 ma1"},
        {fit + "AR1", "write it in small letters: ar1"},
        {fit + "const/garch/student", "put blanks around each /: 'const / garch / student'"},
        {fit + "const / garch / student", "put the model line in quotes"},
        {"fit data/kelp-fibre.csv --return log --model ar1", "did you mean '--returns'?"},
        {"forecast data/kelp-fibre.csv --model ar1 --steps 3", "did you mean '--horizon'?"},
        {"--json " + fit + "ar1", "options follow the command"},
        {"search data/kelp-fibre.csv --criterion BIC", "did you mean 'bic'?"},
        {"season data/lamp-oil.csv --season 12", "did you mean '--period'?"}}) {
    const Outcome outcome = brace(words);
    EXPECT_THAT(outcome.status, testing::AnyOf(1, 2)) << words;
    EXPECT_THAT(outcome.err, HasSubstr(mend)) << words;
  }
  const Outcome alone = brace(fit + "'const ar2'");
  EXPECT_THAT(alone.out, HasSubstr("ar2 is that lag alone: lag 1 is left out"));
  const Outcome level = brace("fit data/kelp-fibre.csv --value settle --model 'const / garch'");
  EXPECT_THAT(level.out.substr(0, 40), HasSubstr("has a unit root")) << "the warning leads";
}

TEST(SingleTests, AreAskedForFromTheCommandLine) {
  const std::string series = " data/kelp-fibre.csv --value settle --drop-zero volume --returns log";
  const Outcome breaks = brace("breaks" + series + " --test cusum,sup-f --trim .2 --json");
  ASSERT_EQ(breaks.status, 0) << breaks.err;
  const Json tests = Json::parse(breaks.out)["result"]["tests"];
  ASSERT_EQ(tests.size(), 4u);
  EXPECT_EQ(tests[0]["test"], "cusum");
  const Outcome look = brace("inspect" + series + " --test ljung-box --lags 1,5,12 --json");
  ASSERT_EQ(look.status, 0) << look.err;
  std::vector<int> lags;
  const Json told = Json::parse(look.out)["result"]["tests"];
  for (const Json& t : told) lags.push_back(t["lags"]);
  EXPECT_THAT(lags, testing::IsSupersetOf({1, 5, 12}));
  EXPECT_THAT(brace("breaks" + series + " --test foo").err, HasSubstr("is no test of breaks"));
  const Outcome agree = brace("unitroot" + series + " --test adf,kpss");
  EXPECT_THAT(agree.out.substr(0, 200), HasSubstr("has a unit root; its return does not"));
}

}  // namespace
}  // namespace brace::test
