// SPDX-License-Identifier: Apache-2.0
// The tool and the example as a user runs them.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sqlite3.h>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;

TEST(Tool, EachCommandHasHelpWithAnExample) {
  for (const char* command : {"inspect", "unitroot", "lags", "breaks", "fit", "check", "forecast",
                              "update", "backtest", "demo"}) {
    const Outcome help = brace(std::string(command) + " --help");
    EXPECT_EQ(help.status, 0) << command;
    EXPECT_NE(help.out.find(std::string("Example:\n  brace ") + command), std::string::npos)
        << command;
  }
  EXPECT_NE(brace("season --help").out.find("brace season data/lamp-oil.csv"), std::string::npos);
  EXPECT_EQ(brace("--version").out, "brace 0.1.0\n");
}

TEST(Tool, TheJobFromFileToForecast) {
  const Folder folder;
  const std::string model = folder / "kelp.json";
  EXPECT_NE(brace("unitroot " + kKelp)
                .out.find("Log settle has a unit root; its return does not. Model the latter."),
            std::string::npos);
  const Outcome fit =
      brace("fit " + kKelp + " --returns log --model 'const / garch / student' --save " + model);
  EXPECT_EQ(fit.status, 0) << fit.err;
  EXPECT_TRUE(fit.out.starts_with("const / garch e1 h1 / student converged.")) << fit.out;
  EXPECT_EQ(fit.err, "brace: wrote " + model + "\n");
  EXPECT_NE(fit.out.find("Next: brace check " + model), std::string::npos);
  EXPECT_NE(brace("check " + model)
                .out.find("leaves no memory in its residuals or their squares; its law and"),
            std::string::npos);
  const Outcome ahead = brace("forecast " + model + " --horizon 5 --out " + (folder / "f.csv") +
                              " --chart " + (folder / "f.png"));
  EXPECT_EQ(ahead.status, 0) << ahead.err;
  EXPECT_TRUE(ahead.out.starts_with("Volatility ")) << ahead.out;
  const std::string csv = content_of(folder / "f.csv");
  EXPECT_TRUE(csv.starts_with("step,date,mean,sd,volatility,variance,return_50_low,")) << csv;
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 6);
  EXPECT_TRUE(content_of(folder / "f.png").starts_with("\x89PNG"));
}

TEST(Tool, SavedModelAndModelLineGiveTheSameForecast) {
  const Folder folder;
  const std::string model = folder / "kelp.json",
                    line = kKelp + " --returns log --model 'const / garch'";
  ASSERT_EQ(brace("fit " + line + " --quiet --save " + model).status, 0);
  const Json saved = Json::parse(brace("forecast " + model + " --json").out);
  Json fresh = Json::parse(brace("forecast " + line + " --json").out);
  // A saved model holds the returns, not the prices that they came from.
  EXPECT_TRUE(saved["result"]["original"].is_null());
  EXPECT_EQ(fresh["result"]["original"].size(), 10u);
  fresh["result"]["original"] = nullptr;
  EXPECT_EQ(saved["result"], fresh["result"]);
}

TEST(Tool, JsonIsOneObjectForEachCommand) {
  const std::string returns = kKelp + " --returns log";
  for (const auto& [command, arguments] :
       {std::pair{std::string("inspect"), returns}, std::pair{std::string("unitroot"), kKelp},
        std::pair{std::string("lags"), returns + " --of squares"},
        std::pair{std::string("breaks"), returns},
        std::pair{std::string("fit"), returns + " --model 'const / garch'"},
        std::pair{std::string("check"), returns + " --model 'const / garch'"},
        std::pair{std::string("forecast"), returns + " --model 'const / garch'"}}) {
    const Outcome out = brace(command + " " + arguments + " --json");
    ASSERT_EQ(out.status, 0) << out.err;
    const Json doc = Json::parse(out.out);
    EXPECT_EQ(doc["command"], command);
    EXPECT_EQ(doc["series"]["file"], "data/kelp-fibre.csv");
    EXPECT_TRUE(doc.contains("result") && doc.contains("warnings"));
  }
  EXPECT_EQ(Json::parse(brace("lags " + returns + " --of squares --json").out)["result"]["of"],
            "squares");
}

TEST(Tool, OutputIsAtMostAHundredWideAndNamesItsNulls) {
  const std::string returns = kKelp + " --returns log";
  for (const std::string& call :
       {"inspect " + returns, std::string("inspect data/kelp-fibre.csv"), "unitroot " + kKelp,
        "unitroot " + kKelp + " --test two-breaks,variance-ratio",
        "breaks " + returns + " --at 2019-05-02",
        std::string("unitroot data/lamp-oil.csv --test seasonal-roots"), "lags " + returns,
        "lags " + returns + " --of leverage", std::string("season data/lamp-oil.csv"),
        std::string("season data/ferry-freight.csv --returns log"),
        "check " + returns + " --model const",
        "forecast " + returns + " --model 'const / garch / student' --horizon 3"}) {
    const Outcome out = brace(call + " --quiet");
    EXPECT_EQ(out.status, 0) << out.err;
    std::istringstream lines(out.out);
    for (std::string line; std::getline(lines, line);) EXPECT_LE(line.size(), 100u) << line;
    EXPECT_EQ(out.out.find("nan"), std::string::npos) << out.out;
  }
  EXPECT_NE(
      brace("inspect " + returns).out.find("null: no autocorrelation in the squares up to lag 10"),
      std::string::npos);
}

// A page on a file that nobody would call clean, read without a word of help but the column.
TEST(Tool, InspectTellsWhatAMessyFileIs) {
  const Folder folder;
  std::string text =
      "\xEF\xBB\xBF"
      "Tag;Kurs;Umsatz\r\n";
  std::istringstream lines(content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv"));
  std::vector<std::string> rows;
  std::string line;
  std::getline(lines, line);
  while (std::getline(lines, line)) {
    std::vector<std::string> cells;
    std::istringstream split(line);
    for (std::string cell; std::getline(split, cell, ',');) cells.push_back(cell);
    std::string price = cells[4];
    std::replace(price.begin(), price.end(), '.', ',');
    rows.push_back(cells[0].substr(8, 2) + "." + cells[0].substr(5, 2) + "." +
                   cells[0].substr(0, 4) + ";" + (price.empty() ? "n/a" : price) + ";" + cells[5] +
                   "\r\n");
  }
  std::reverse(rows.begin(), rows.end());
  for (const std::string& row : rows) text += row;
  const std::string path = folder.file("messy.csv", text);
  const Outcome messy =
      brace("inspect " + path + " --value kurs --drop-zero UMSATZ --decimal-comma --returns log");
  EXPECT_EQ(messy.status, 0) << messy.err;
  const std::string flat = [&] {
    std::string one = messy.out;
    for (auto at = one.find("\n  "); at != std::string::npos; at = one.find("\n  "))
      one.replace(at, 3, " ");
    return one;
  }();
  EXPECT_NE(
      flat.find(
          "2,598 days, 2014-01-06 to 2024-02-16; 11 rows dropped (Umsatz is 0), 4 values missing."),
      std::string::npos)
      << flat;
  EXPECT_NE(flat.find("Cells stand between semicolons; dates read as %d.%m.%Y; newest row came "
                      "first: turned round."),
            std::string::npos)
      << flat;
  const Json clean = Json::parse(brace("inspect " + kKelp + " --returns log --json").out),
             same = Json::parse(
                 brace("inspect " + path +
                       " --value kurs --drop-zero UMSATZ --decimal-comma --returns log --json")
                     .out);
  EXPECT_EQ(clean["result"]["moments"], same["result"]["moments"]);
  EXPECT_EQ(clean["result"]["file"]["irregular"], same["result"]["file"]["irregular"]);
  EXPECT_EQ(same["result"]["file"]["rows_read"], 2609);
}

TEST(Tool, InspectWithoutAColumnListsThem) {
  const Outcome list = brace("inspect data/kelp-fibre.csv");
  EXPECT_EQ(list.status, 0) << list.err;
  EXPECT_TRUE(list.out.starts_with("data/kelp-fibre.csv: 5 columns hold numbers; choose one."))
      << list.out;
  EXPECT_NE(list.out.find("Next: brace inspect data/kelp-fibre.csv --value settle --drop-zero "
                          "volume --returns log"),
            std::string::npos);
  EXPECT_EQ(
      Json::parse(brace("inspect data/kelp-fibre.csv --json").out)["result"]["columns"].size(), 5u);
}

// Every output ends with the command that goes on, and that command must run.
TEST(Tool, TheNextCommandRuns) {
  const Folder folder;
  for (std::string command :
       {std::string("inspect data/kelp-fibre.csv"),
        std::string("inspect data/ferry-freight.csv --returns log --overnight mark"),
        std::string("season data/lamp-oil.csv --out ") + (folder / "adjusted.csv"),
        std::string("season data/ferry-freight.csv --returns log --overnight mark"),
        std::string("lags data/lamp-oil.csv --transform 'log diff1 diff12' --of leverage")}) {
    for (int step = 0; step < 3; ++step) {
      const Outcome out = brace(command);
      ASSERT_EQ(out.status, 0) << command << '\n' << out.err;
      const auto at = out.out.find("Next: brace ");
      if (at == std::string::npos) break;
      command = out.out.substr(at + 12, out.out.find('\n', at) - at - 12);
    }
  }
}

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
  EXPECT_NE(power.out.find("Box-Cox lambda"), std::string::npos) << power.out;
}

TEST(Tool, ReadsStandardInputAndADatabase) {
  const Outcome piped =
      run("cat '" BRACE_SOURCE_DIR "/data/lamp-oil.csv' | '" BRACE_TOOL "' lags - --json");
  EXPECT_EQ(piped.status, 0) << piped.err;
  EXPECT_EQ(Json::parse(piped.out)["series"]["n"], 240);
  const Folder folder;
  const std::string path = folder / "oil.db";
  sqlite3* db = nullptr;
  ASSERT_EQ(sqlite3_open(path.c_str(), &db), SQLITE_OK);
  sqlite3_exec(db, "create table oil (month text, price real)", nullptr, nullptr, nullptr);
  std::istringstream lines(content_of(BRACE_SOURCE_DIR "/data/lamp-oil.csv"));
  std::string line;
  std::getline(lines, line);
  while (std::getline(lines, line)) {
    const std::string price = line.substr(11);
    const std::string row = "insert into oil values ('" + line.substr(0, 10) + "', " +
                            (price.empty() ? "null" : price) + ")";
    ASSERT_EQ(sqlite3_exec(db, row.c_str(), nullptr, nullptr, nullptr), SQLITE_OK) << row;
  }
  sqlite3_close(db);
  const Outcome queried = brace("lags " + path + " --query 'select month, price from oil' --json");
  EXPECT_EQ(queried.status, 0) << queried.err;
  EXPECT_EQ(Json::parse(queried.out)["result"], Json::parse(piped.out)["result"]);
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
  EXPECT_GT(oil["season_strength"], 0.8);
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

struct Wrong {
  const char* name;
  std::string arguments;
  int status;
  const char* message;
};
void PrintTo(const Wrong& w, std::ostream* out) {
  *out << w.name;
}

class WrongCall : public testing::TestWithParam<Wrong> {};

TEST_P(WrongCall, SaysSoInALineAndByItsStatus) {
  const Outcome out = brace(GetParam().arguments);
  EXPECT_EQ(out.status, GetParam().status) << out.err;
  EXPECT_EQ(out.out, "") << "errors go to stderr";
  EXPECT_TRUE(out.err.starts_with("brace: ")) << out.err;
  EXPECT_NE(out.err.find(GetParam().message), std::string::npos) << out.err;
}

INSTANTIATE_TEST_SUITE_P(
    Calls, WrongCall,
    testing::Values(
        Wrong{"no_command", "", 2, "A subcommand is required"},
        Wrong{"no_such_command", "inspct data/kelp-fibre.csv", 2,
              "'inspct' is not a command (did you mean 'inspect'?)"},
        Wrong{"no_such_option", "inspect data/kelp-fibre.csv --colour", 2, "--colour"},
        Wrong{"missing_file", "inspect none.csv", 1,
              "none.csv: there is no such file; check the name"},
        Wrong{"no_such_column", "inspect data/kelp-fibre.csv --value setle", 1,
              "there is no column 'setle' (did you mean 'settle'?); its columns are date, open"},
        Wrong{"several_columns", "lags data/kelp-fibre.csv", 1, "choose one with --value settle"},
        Wrong{"search_bounds", "search data/lamp-oil.csv --most-ar 30", 2, "--most-ar"},
        Wrong{
            "search_terms", "search data/lamp-oil.csv --terms 'ar1 trend'", 2,
            "--terms 'ar1 trend': lags and differences are what is searched; give trend, harmonics "
            "or with"},
        Wrong{"compare_none", "compare data/lamp-oil.csv", 2, "--model is required"},
        Wrong{"compare_chart_without_hold_out",
              "compare data/lamp-oil.csv --model 'diff1 ar1' --quiet --json --chart x.png "
              ">/dev/null",
              2, "keep one back with --hold-out"},
        Wrong{"bad_baseline",
              "compare data/lamp-oil.csv --hold-out 12 --model 'diff1 ar1' --baseline naive", 2,
              "baseline 'naive': 'naive' is none; these are: mean, walk, drift, season 12, smooth"},
        Wrong{"exact_with_variance",
              "fit data/lamp-oil.csv --returns log --likelihood exact --model 'const / garch'", 2,
              "the exact likelihood is that of '/ steady / normal'"},
        Wrong{"trend_and_difference", "fit data/lamp-oil.csv --model 'const trend diff1'", 2,
              "drop 'trend'"},
        Wrong{"bad_dummy", "fit data/lamp-oil.csv --model 'const with month:smarch'", 2,
              "after 'month:' come three letters, such as feb"},
        Wrong{
            "no_roots",
            "check data/lamp-oil.csv --transform log --model 'trend' --quiet --json --roots x.png "
            ">/dev/null",
            2, "has no ARMA terms, so it has no roots to draw"},
        Wrong{"no_model", "fit data/kelp-fibre.csv --value settle", 2, "--model is missing"},
        Wrong{"bad_model",
              "fit data/kelp-fibre.csv --value settle --returns log --model 'const / grach'", 2,
              "did you mean 'garch'?"},
        Wrong{"risk_of_a_difference",
              "fit data/kelp-fibre.csv --value settle --model 'diff1 risk sd / garch'", 2,
              "'risk' beside a difference has no meaning"},
        Wrong{"bad_fix",
              "fit data/kelp-fibre.csv --value settle --returns log --model const --fix mu", 2,
              "--fix mu: write name=number"},
        Wrong{"bad_transform", "lags data/lamp-oil.csv --transform lgo", 2,
              "transform 'lgo': is not known (did you mean 'log'?)"},
        Wrong{"bad_hold_out", "lags data/lamp-oil.csv --hold-out some", 2,
              "--hold-out some: write rows (250), a share (20%) or a date (2023-01-02)"},
        Wrong{"bad_regroup", "lags data/lamp-oil.csv --regroup weekly", 2,
              "--regroup weekly: write a clock (day, week, month, quarter) and last, mean or sum"},
        Wrong{"bad_roles", "inspect data/kelp-fibre.csv --value settle --roles top=high", 2,
              "--roles top=high: write open=COLUMN, high=, low=, close= or volume="},
        Wrong{"overnight_without_returns", "lags data/ferry-freight.csv --overnight drop", 2,
              "--overnight: needs --returns"},
        Wrong{"window_with_hold_out",
              "lags data/lamp-oil.csv --hold-out 12 --transform 'rows=1..50'", 2,
              "rows= and dates= do not go with --hold-out"},
        Wrong{"no_season",
              "season data/kelp-fibre.csv --value settle --period 2 --form multiplicative "
              "--season-span 8",
              2, "season_span = 8: must be odd"},
        Wrong{"bad_lags", "lags data/kelp-fibre.csv --value settle --returns log --lags many", 2,
              "--lags many: must be a whole number from 1"},
        Wrong{"bad_horizon",
              "forecast data/kelp-fibre.csv --value settle --returns log --model const --horizon 0",
              2, "horizon = 0"},
        Wrong{"bad_chart",
              "inspect data/kelp-fibre.csv --value settle --returns log --quiet --json --chart "
              "look.gif > /dev/null",
              2, "must end in .png, .svg or .pdf"},
        Wrong{"bad_returns", "inspect data/kelp-fibre.csv --returns daily", 2, "--returns"}),
    [](const auto& i) { return i.param.name; });

TEST(Tool, PointsAtTheTermUnderTheRepeatedLine) {
  std::istringstream err(brace("fit data/kelp-fibre.csv --value settle --returns log --model "
                               "'const ar1 / grach / student'")
                             .err);
  std::string first, second;
  std::getline(err, first);
  std::getline(err, second);
  const std::size_t at = first.rfind("grach");
  EXPECT_EQ(second, std::string(at, ' ') + "^^^^^") << first << '\n' << second;
}

TEST(Tool, BadDataEndWithStatusOne) {
  const Folder folder;
  std::string flat = "date,x\n", few = "x\n1\n2\n1\n";
  for (int i = 10; i < 99; ++i) flat += "20" + std::to_string(i) + "-01-01,5\n";
  EXPECT_EQ(brace("inspect " + folder.file("flat.csv", flat)).status, 1);
  EXPECT_EQ(brace("fit " + folder.file("few.csv", few) + " --model 'const / garch'").status, 1);
  EXPECT_EQ(brace("check " + folder.file("m.json", "{\"format\": \"brace-model\"}")).status, 1);
  EXPECT_EQ(
      brace("inspect " + folder.file("neg.csv", "x\n1\n-2\n3\n4\n5\n") + " --returns log").status,
      1);
}

double parameter(const std::string& arguments, std::size_t index, const char* field) {
  const Outcome out = brace("fit " + kKelp + " --returns log " + arguments + " --json");
  EXPECT_EQ(out.status, 0) << out.err;
  const Json p = Json::parse(out.out)["result"]["parameters"][index];
  return p[field].is_null() ? -1 : p[field].get<double>();
}

TEST(Tool, OptionsMeanWhatTheySay) {
  const std::string garch = "--model 'const / garch'";
  EXPECT_EQ(parameter(garch + " --fix beta1=0.9", 3, "estimate"), .9);
  EXPECT_EQ(parameter("--model 'const / garch beta1=0.9'", 2, "estimate"),
            parameter(garch + " --fix beta1=0.9", 2, "estimate"));
  EXPECT_EQ(parameter(garch + " --errors opg", 2, "se"), parameter(garch, 2, "se_opg"));
  // The unit of the returns moves mu and omega, nothing else.
  EXPECT_NEAR(parameter(garch + " --unit decimal", 0, "estimate") * 100,
              parameter(garch, 0, "estimate"), 1e-8);
  EXPECT_NEAR(parameter(garch + " --unit decimal", 2, "estimate"), parameter(garch, 2, "estimate"),
              1e-7);
  EXPECT_NE(parameter(garch + " --from 2019-05-02", 3, "estimate"),
            parameter(garch, 3, "estimate"));

  const std::string call =
      "forecast " + kKelp + " --returns log " + garch + " --json --horizon 2 --draws 200 ";
  const Json base = Json::parse(brace(call).out)["result"],
             same = Json::parse(brace(call + "--threads 1").out)["result"],
             seeded = Json::parse(brace(call + "--seed 5").out)["result"],
             plug = Json::parse(brace(call + "--method plug-in").out)["result"],
             year = Json::parse(brace(call + "--per-year 365 --intervals 80").out)["result"];
  EXPECT_EQ(base, same) << "threads do not matter";
  EXPECT_NE(base["steps"][0]["return_interval"], seeded["steps"][0]["return_interval"]);
  EXPECT_EQ(base["steps"][0]["variance"], seeded["steps"][0]["variance"]);
  EXPECT_TRUE(plug["steps"][0]["volatility_interval"].is_null());
  EXPECT_EQ(year["annualised"]["periods_per_year"], 365);
  EXPECT_TRUE(year["steps"][0]["return_interval"].contains("80"));

  const Json adf = Json::parse(
      brace("unitroot " + kKelp + " --lags 3 --deterministic trend --bandwidth 20 --json")
          .out)["result"]["tests"];
  EXPECT_EQ(adf[0]["lags"], 3);
  EXPECT_EQ(adf[0]["deterministic"], "trend");
  EXPECT_EQ(adf[1]["test"], "pp");
  EXPECT_EQ(adf[1]["bandwidth"], 20);
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
  EXPECT_LE(of_line.status, 3) << "no crash";
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
  const auto json = Json::parse(brace(call + " --json --criterion aic").out);
  EXPECT_EQ(json["result"]["criterion"], "aic");
  EXPECT_EQ(json["result"]["candidates"].size(), 8u);
  for (const char* key : {"model", "bic", "persistence", "white_p", "arch_p", "sign_p", "law_p"})
    EXPECT_TRUE(json["result"]["candidates"][0].contains(key)) << key;
  EXPECT_NE(brace("search " + kKelp + " --returns log --law student").err.find("give --variance"),
            std::string::npos);
}

TEST(Tool, TablesGoToCsvWhole) {
  const Folder folder;
  const std::string returns = kKelp + " --returns log", csv = folder / "t.csv";
  for (const auto& [call, header, rows] :
       {std::tuple{"inspect " + returns, "test,statistic,p_value,lags,null", 8},
        std::tuple{"lags " + returns + " --lags 12",
                   "lag,acf,pacf,q,dof,p_value,q_robust,p_robust,band_robust,band_widening", 12},
        std::tuple{std::string("season data/lamp-oil.csv"),
                   "date,value,trend,season,remainder,adjusted", 240},
        std::tuple{"lags " + returns + " --of leverage --lags 4", "lag,correlation,band_robust", 4},
        std::tuple{
            "unitroot " + kKelp,
            "of,test,variant,deterministic,lags,bandwidth,statistic,p_value,critical_5,break,null",
            21},
        std::tuple{"breaks " + returns, "kind,index,date,low,high,low_date,high_date", 1},
        std::tuple{"fit " + returns + " --model 'const / garch'",
                   "name,estimate,se_hessian,se_opg,se_robust,t,p_value,held,at_bound", 4},
        std::tuple{"check " + returns + " --model 'const / garch'",
                   "test,variant,statistic,p_value,lags,null", 17}}) {
    ASSERT_EQ(brace(call + " --quiet --out " + csv).status, 0) << call;
    const std::string content = content_of(csv);
    EXPECT_EQ(content.substr(0, content.find('\n')), header);
    EXPECT_EQ(std::count(content.begin(), content.end(), '\n'), rows + 1) << call;
  }
  EXPECT_EQ(folder.entries(), 1u);
}

TEST(Tool, ReadsStandardInput) {
  const Outcome out = run(
      "'" BRACE_TOOL
      "' lags - --value settle --drop-zero volume --returns log --lags 3 < data/kelp-fibre.csv");
  EXPECT_EQ(out.status, 0) << out.err;
  EXPECT_NE(out.out.find("Log return of settle"), std::string::npos);
}

TEST(Tool, DemoRunsTheJobAndWritesItsFiles) {
  const Folder folder;
  const Outcome demo = brace("demo --out " + (folder / "out"));
  ASSERT_EQ(demo.status, 0) << demo.err;
  for (const char* question : {"1. What is in this file?", "2. Is the level stationary?",
                               "3. Is there memory in the returns", "4. Which variance equation",
                               "5. Are the residuals white?", "6. Did the process itself change?",
                               "7. What will volatility be", "8. Would this have worked?"})
    EXPECT_NE(demo.out.find(question), std::string::npos) << question;
  EXPECT_NE(demo.out.find("decided  const / garch e1 h1 / student, which has the lowest bic"),
            std::string::npos);
  for (const char* name : {"first-look.png", "candidates.csv", "kelp.json", "breaks.png",
                           "forecast.csv", "forecast.png", "backtest.csv", "backtest.png"})
    EXPECT_GT(content_of(folder / ("out/" + std::string(name))).size(), 100u) << name;
  const Json ahead =
      Json::parse(brace("forecast " + (folder / "out/kelp.json") + " --horizon 20 --json").out);
  for (const Json& warning : ahead["warnings"])
    EXPECT_THAT(demo.out, HasSubstr(warning["code"].get<std::string>()))
        << "a warning is not lost in the demo";
  EXPECT_EQ(brace("check " + (folder / "out/kelp.json")).status, 0)
      << "the model it saves can be used";
}

TEST(Example, FitsAndForecastsFromCode) {
  const Outcome out = run("'" BRACE_EXAMPLE "' data/kelp-fibre.csv");
  EXPECT_EQ(out.status, 0) << out.err;
  EXPECT_TRUE(out.out.starts_with("const / garch e1 h1 / student converged."));
  // The library and the tool say the same.
  const Outcome tool =
      brace("fit " + kKelp + " --returns log --model 'const / garch / student' --json");
  const double variance = Json::parse(
      brace("forecast " + kKelp + " --returns log --model 'const / garch / student' --json")
          .out)["result"]["steps"][0]["variance"];
  std::ostringstream want;
  want.setf(std::ios::fixed);
  want.precision(2);
  want << "next day's volatility: " << std::sqrt(variance) << " percent\n";
  EXPECT_TRUE(out.out.ends_with(want.str())) << out.out.substr(out.out.size() - 60) << want.str();
  EXPECT_EQ(run("'" BRACE_EXAMPLE "' none.csv").status, 1);
}

TEST(Example, GoesFromPricesToChangesAndBack) {
  const Outcome out = run("'" BRACE_SEASON_EXAMPLE "' data/lamp-oil.csv");
  EXPECT_EQ(out.status, 0) << out.err;
  EXPECT_TRUE(out.out.starts_with("Price: a strong trend")) << out.out;
  EXPECT_NE(out.out.find("239 of 239 prices back"), std::string::npos) << out.out;
  EXPECT_NE(out.out.find("\n2024-01-31  "), std::string::npos) << out.out;
  EXPECT_EQ(run("'" BRACE_SEASON_EXAMPLE "' none.csv").status, 1);
}

TEST(DemoData, AreTheSameBytesOnEveryRun) {
  for (const std::string name : {"kelp-fibre", "ferry-freight", "lamp-oil"}) {
    const std::string command = "'" BRACE_GENERATOR "' " + name;
    const Outcome once = run(command);
    EXPECT_EQ(once.out, run(command).out);
    EXPECT_EQ(once.out, content_of(BRACE_SOURCE_DIR "/data/" + name + ".csv"))
        << "the file that ships is the generator's";
  }
  EXPECT_EQ(run("'" BRACE_GENERATOR "' none").status, 2);
}

TEST(DemoData, HoldWhatWasPlanted) {
  std::istringstream lines(content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv"));
  std::string line;
  std::getline(lines, line);
  EXPECT_EQ(line, "date,open,high,low,settle,volume");
  int days = 0, idle = 0, missing = 0;
  while (std::getline(lines, line)) {
    ++days;
    std::istringstream cells(line);
    std::string date, open, high, low, settle, volume;
    for (std::string* cell : {&date, &open, &high, &low, &settle, &volume})
      std::getline(cells, *cell, ',');
    idle += volume == "0";
    missing += settle.empty();
    EXPECT_GE(std::stod(high), std::stod(open)) << line;
    EXPECT_LE(std::stod(low), std::stod(open)) << line;
    if (!settle.empty()) {
      EXPECT_GE(std::stod(high), std::stod(settle)) << line;
      EXPECT_LE(std::stod(low), std::stod(settle)) << line;
    }
  }
  EXPECT_EQ(days, 2609);
  EXPECT_GE(idle, 5);
  EXPECT_GE(missing, 2);
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
  EXPECT_THAT(out.out, HasSubstr("(1 - B) (1 - B^12) y_t = u_t"));
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

}  // namespace
}  // namespace brace::test
