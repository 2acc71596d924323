// SPDX-License-Identifier: Apache-2.0
// What holds for every command: help, output, errors, where data come from.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sqlite3.h>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "brace/maths/random.hpp"
#include "brace/series/calendar.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::AllOf;
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
  EXPECT_NE(brace("check " + model).out.find("leaves no memory in its residuals or their squares"),
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
  const Json fresh = Json::parse(brace("forecast " + line + " --json").out);
  // A saved model knows the last price and the way back to it.
  EXPECT_EQ(fresh["result"]["original"].size(), 10u);
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
  EXPECT_NE(flat.find("Cells are separated by semicolons; dates read as %d.%m.%Y; newest row "
                      "first in the file: order reversed."),
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

// The command that the output of this one ends with, which must run; both run in `folder`, where
// what they write goes. Empty where none follows.
std::string next_of(const std::string& command, const Folder& folder) {
  std::string line = command;
  for (std::size_t at = 0; (at = line.find(" data/", at)) != std::string::npos;)
    line.replace(at, 6, " " BRACE_SOURCE_DIR "/data/");
  const Outcome out = run("cd '" + (folder / "") + "' && '" BRACE_TOOL "' " + line);
  // 3: an answer that says that it did not converge.
  EXPECT_TRUE(out.status == 0 || out.status == 3) << line << '\n' << out.err;
  const auto at = out.out.find("Next: brace ");
  if (out.status != 0 || at == std::string::npos) return "";
  return out.out.substr(at + 12, out.out.find('\n', at) - at - 12);
}

// Every output ends with the command that goes on, and that command must run.
TEST(Tool, TheNextCommandRuns) {
  const Folder folder;
  for (std::string command :
       {std::string("inspect data/kelp-fibre.csv"),
        std::string("inspect data/ferry-freight.csv --returns log --overnight mark"),
        std::string("season data/lamp-oil.csv --out ") + (folder / "adjusted.csv"),
        std::string("season data/ferry-freight.csv --returns log --overnight mark"),
        std::string("lags data/lamp-oil.csv --transform 'log diff1 diff12' --of leverage")})
    for (int step = 0; step < 3 && !command.empty(); ++step) command = next_of(command, folder);
}

// And so whatever the series is: a price, a level that crosses zero, returns, rows within a day
// (whose dates have a blank in them), a column and a file that must be quoted.
TEST(Tool, TheNextCommandRunsWhateverTheSeriesIs) {
  const Folder folder;
  maths::RandomStream random(5, 0);
  const auto made = [&](const std::string& name, const std::string& header, Clock clock,
                        const auto& value) {
    std::string csv = header + "\n";
    const int rows = 300;
    const std::vector<Timestamp> times =
        dates_after(*parse_date("2021-01-04 09:00"), clock, static_cast<std::size_t>(rows));
    for (int i = 0; i < rows; ++i)
      csv += fmt::format("{},{:.6f}\n", format_date(times[static_cast<std::size_t>(i)]), value(i));
    (void)folder.file(name, csv);
  };
  double walk = 0;
  const auto step = [&](int) { return walk += random.normal(); };
  made("price.csv", "date,price", Clock::business_day,
       [&](int i) { return 100 * std::exp(step(i) / 100); });
  made("over zero.csv", "date,spread", Clock::business_day, [&](int i) { return step(i) / 10; });
  made("quote.csv", "date,it's", Clock::business_day, step);
  made("returns.csv", "date,r", Clock::business_day, [&](int) { return random.normal(); });
  made("hours.csv", "time,steps", Clock::hour,
       [&](int i) { return random.normal() + (i < 150 ? 0 : 3); });
  for (const std::string file :
       {"price.csv", "'over zero.csv'", "quote.csv --value \"it's\"", "returns.csv", "hours.csv"})
    for (std::string command :
         {"inspect " + file, "unitroot " + file, "breaks " + file, "season " + file,
          "fit " + file + " --model 'const ar1 / garch' --fix beta1=0.5 --starts 2",
          "compare " + file + " --model const --model 'const ar1'",
          "backtest " + file + " --model 'const ar1' --window 200 --refit-every 10 --origins 30"})
      for (int i = 0; i < 3 && !command.empty(); ++i) command = next_of(command, folder);
}

// A series is divided by a profile where there is one.
TEST(Tool, SeasonAdvisesNoProfileThatIsNone) {
  const Folder folder;
  maths::RandomStream random(5, 0);
  for (const bool profile : {false, true}) {
    std::string csv = "date,r\n";
    for (const Timestamp day : dates_after(*parse_date("2021-01-04"), Clock::business_day, 600)) {
      const std::chrono::weekday weekday(std::chrono::floor<std::chrono::days>(day));
      csv += fmt::format("{},{:.5f}\n", format_date(day),
                         random.normal() * (profile && weekday == std::chrono::Monday ? 3 : 1));
    }
    (void)folder.file("r.csv", csv);
    EXPECT_EQ(next_of("season r.csv --transform centre", folder),
              profile ? "lags r.csv --transform 'centre weekdays' --of squares"
                      : "lags r.csv --transform centre");
  }
}

TEST(Tool, TheNextCommandFitsAsTheOneBefore) {
  const Folder folder;
  const std::string fit = "fit " + kKelpReturns +
                          " --model 'const / garch / student' --fix nu=6 --errors hessian "
                          "--starts 2";
  const std::string check = next_of(fit, folder);
  EXPECT_THAT(check, HasSubstr("--fix nu=6 --errors hessian --starts 2"));
  const std::string forecast = next_of(check, folder);
  EXPECT_THAT(forecast, HasSubstr("--fix nu=6 --errors hessian --starts 2"));
  const std::string chart = next_of(forecast + " --tails 2 --tails 4 --horizon 3", folder);
  EXPECT_THAT(chart, AllOf(HasSubstr("--fix nu=6"), HasSubstr("--tails 2 --tails 4"),
                           HasSubstr("--horizon 3 --chart")));
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
        Wrong{"compare_none", "compare data/lamp-oil.csv", 2, "--model is missing"},
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

TEST(Tool, ReadsStandardInput) {
  const Outcome out = run(
      "'" BRACE_TOOL
      "' lags - --value settle --drop-zero volume --returns log --lags 3 < data/kelp-fibre.csv");
  EXPECT_EQ(out.status, 0) << out.err;
  EXPECT_NE(out.out.find("Log return of settle"), std::string::npos);
}

// At a terminal a long fit says what it does, and Ctrl-C ends it with the best so far; the exit
// status is that of the fit which comes of it.
TEST(Tool, ALongFitIsInterruptedWithTheBestSoFar) {
  const Folder folder;
  const std::string csv = folder / "long.csv";
  ASSERT_EQ(brace("simulate --model 'const mu=0 / aparch omega=.02 alpha1=.05 gamma1=.5 beta1=.9 "
                  "delta=1.2 / student nu=6' --length 4000 --quiet --out " +
                  csv)
                .status,
            0);
  const std::string fit = "timeout --foreground -s INT 3 '" BRACE_TOOL "' fit " + csv +
                          " --value value" + " --model 'const / aparch e1..10 h1,2 / skew-student'";
  const Outcome seen =
      run("script -qec \"" + fit + " > " + (folder / "out") + "; echo status \\$?\" /dev/null");
  EXPECT_THAT(seen.out, testing::HasSubstr("fitting: ")) << "progress";
  EXPECT_THAT(seen.out, testing::HasSubstr("Ctrl-C keeps the best so far"));
  const std::string out = content_of(folder / "out");
  EXPECT_THAT(out, testing::HasSubstr("stopped as asked after ")) << seen.out;
  EXPECT_THAT(out, testing::HasSubstr("alpha10")) << "the best point so far";
}

}  // namespace
}  // namespace brace::test
