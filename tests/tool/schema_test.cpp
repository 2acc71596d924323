// SPDX-License-Identifier: Apache-2.0
// What --json writes is what docs/schema says, on series and models other than those from which the
// schemas were made (tools/schema/refresh.py).
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support/run.hpp"

namespace brace::test {
namespace {

TEST(Schema, HoldsForEveryCommand) {
  const Folder folder;
  // Thirty rows, ties, a gap, no dates.
  std::string rows = "x\n";
  for (int i = 0; i < 30; ++i) rows += i == 11 ? "\n" : std::to_string((i * i) % 7) + "\n";
  const std::string few = folder.file("few.csv", rows);
  const std::string freight = "data/ferry-freight.csv --returns log --overnight mark";
  int written = 0;
  std::string files;
  const std::string study =
      folder.file("few.toml", "[series]\nfile = 'few.csv'\n[lags]\nlags = 3\n[fit]\nmodel = 'const'\n");
  for (const std::string& line : std::vector<std::string>{
           "study " + study, "study " + study, "report " + (folder / "few-results/study.json") + " --out " + (folder / "few.html"),
           "simulate --model 'zero' --fix sigma2=2 --length 5", "help fit",
           "inspect " + few, "unitroot " + few, "lags " + few + " --lags 5",
           "fit " + few + " --model 'const ar1'", "check " + few + " --model 'const ar1'",
           "forecast " + few + " --model 'const ar1' --horizon 2",
           "compare " + few + " --model const --model 'const ar1'", "inspect " + freight,
           "unitroot data/lamp-oil.csv", "season data/lamp-oil.csv --form multiplicative",
           "breaks " + freight + " --test cusum,sup-f",
           "search data/lamp-oil.csv --returns log "
           "--most-ar 1 --most-ma 0 --season 12",
           "fit " + freight + " --model 'const / gjr / ged'",
           "check " + freight + " --model 'const / egarch / student'",
           "forecast " + freight + " --model 'const / aparch / student' --method plug-in",
           "forecast data/lamp-oil.csv --transform 'log diff1' --model 'const ma1' --horizon 5",
           "batch data/exchange.csv --each symbol --value price --returns log --from 2016-01-01 "
           "--model "
           "'const / ewma' --horizon 2 --store " +
               (folder / "r.sqlite"),
           "compare " + freight + " --model 'const' --model 'const / garch' --hold-out 100",
           "backtest " + freight +
               " --model 'const / garch' --origins 25 --refit-every 25 --horizon 2 "
               "--method full --draws 200"}) {
    const std::string file = folder / (std::to_string(++written) + ".json");
    const Outcome out = brace(line + " --json > " + file);
    ASSERT_TRUE(out.status == 0 || out.status == 3) << line << out.err;
    files += " " + file;
  }
  const Outcome checked = run("/usr/bin/python3 tests/tool/validate.py" + files);
  EXPECT_EQ(checked.status, 0) << checked.err;
  EXPECT_EQ(checked.out, "");
  // And is no empty promise: a document that lost its result is refused.
  (void)folder.file("bad.json", R"({"brace": "0.1.0", "command": "fit", "warnings": []})");
  EXPECT_THAT(run("/usr/bin/python3 tests/tool/validate.py " + (folder / "bad.json")).out,
              testing::HasSubstr("is a required property"));
}

}  // namespace
}  // namespace brace::test
