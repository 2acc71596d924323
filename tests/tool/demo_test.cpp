// SPDX-License-Identifier: Apache-2.0
// The demo, its data and the examples as a user runs them.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;

TEST(Tool, DemoRunsTheJobAndWritesItsFiles) {
  const Folder folder;
  const Outcome demo = brace("demo --out " + (folder / "out"));
  ASSERT_EQ(demo.status, 0) << demo.err;
  for (const char* question :
       {"1. What is in this file", "2. Does the level return to a mean",
        "3. Does today's value say", "4. Did the process itself change",
        "5. What are the parameters", "6. Is anything left", "7. Which of these models is ahead",
        "8. How volatile will", "9. Would these forecasts"})
    EXPECT_NE(demo.out.find(question), std::string::npos) << question;
  EXPECT_NE(demo.out.find("found    const / garch e1 h1 / student is ahead by bic"),
            std::string::npos);
  for (const char* name : {"inspect.svg", "lags.svg", "compare.csv", "model.json", "breaks.svg",
                           "forecast.csv", "forecast.svg", "backtest.csv", "backtest.svg",
                           "rows.csv", "tidy.csv", "study.json", "report.html"})
    EXPECT_GT(content_of(folder / ("out/" + std::string(name))).size(), 100u) << name;
  const Json ahead =
      Json::parse(brace("forecast " + (folder / "out/model.json") + " --horizon 20 --json").out);
  for (const Json& warning : ahead["warnings"])
    EXPECT_THAT(demo.out, HasSubstr(warning["code"].get<std::string>()))
        << "a warning is not lost in the demo";
  EXPECT_EQ(ahead["result"], Json::parse(content_of(folder / "out/forecast.json"))["result"])
      << "what it saves forecasts the same";
  EXPECT_EQ(brace("check " + (folder / "out/model.json")).status, 0)
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
  EXPECT_EQ(run("'" BRACE_GENERATOR "' universe").out,
            content_of(BRACE_SOURCE_DIR "/data/exchange.csv"));
  // A larger universe begins with the smaller one.
  const std::string few = run("'" BRACE_GENERATOR "' universe --series 3 --rows 300").out,
                    more = run("'" BRACE_GENERATOR "' universe --series 5 --rows 300").out;
  EXPECT_EQ(more.substr(0, few.size()), few);
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

}  // namespace
}  // namespace brace::test
