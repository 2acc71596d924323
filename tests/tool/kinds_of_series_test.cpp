// SPDX-License-Identifier: Apache-2.0
// Series of kinds that the demo data has not: what one command says of them the next one holds to.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "brace/base/date.hpp"
#include "brace/maths/random.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;
using testing::Not;

// Prices with a split that was not taken out: whatever is asked, the row that outweighs all others
// is named, once; and with a pulse for it the model is what it was before.
TEST(KindsOfSeries, ARowThatOutweighsAllOthersIsNamedByEveryCommand) {
  const Folder folder;
  std::istringstream in(content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv"));
  std::string rows = "date,price\n", line, when;
  std::getline(in, line);
  for (int row = 0; std::getline(in, line) && row < 900; ++row) {
    std::istringstream cells(line);
    std::string date, price, volume;
    std::getline(cells, date, ',');
    for (int skipped = 0; skipped < 4; ++skipped) std::getline(cells, price, ',');
    std::getline(cells, volume, ',');
    if (row == 600) when = date;
    if (volume != "0" && !price.empty())
      rows += fmt::format("{},{}\n", date, std::stod(price) / (row < 600 ? 1 : 3));
  }
  const std::string file = folder.file("split.csv", rows) + " --returns log";
  const std::string model = " --model 'const / garch / student' --json";
  for (const std::string& words :
       {"inspect " + file + " --json", "lags " + file + " --json", "season " + file + " --json",
        "unitroot " + folder / "split.csv" + " --json", "breaks " + file + " --json",
        "search " + file + " --most-ar 1 --most-ma 1 --json",
        "search " + file + " --variance garch --json", "fit " + file + model,
        "check " + file + model, "compare " + file + model,
        "forecast " + file + model + " --horizon 2 --method plug-in",
        "backtest " + file + model + " --window 300 --origins 20"}) {
    const Outcome out = brace(words);
    ASSERT_LE(out.status, 1) << words << out.err;
    const Json told = Json::parse(out.out);
    EXPECT_THAT(out.out, HasSubstr(when)) << words;
    int times = 0;
    for (std::size_t at = 0;
         (at = out.out.find("\"code\": \"few-rows-decide\"", at)) != std::string::npos; ++at)
      ++times;
    EXPECT_EQ(times, 1) << words << out.out;
  }
  const Outcome with =
      brace("fit " + file + " --model 'const with pulse:" + when + " / garch / student' --json");
  ASSERT_EQ(with.status, 0) << with.err;
  EXPECT_THAT(with.out, Not(HasSubstr("few-rows-decide")));
}

// What is suggested, what is advised and the next command are one answer, and that command runs.
TEST(KindsOfSeries, UnitrootGoesOnWithWhatItSuggests) {
  const Folder folder;
  maths::RandomStream random(8, 1);
  std::map<std::string, std::string> files;
  double fast = 0, walk = 0;
  for (int t = 0; t < 400; ++t) {
    const std::string date =
        format_date(Timestamp(std::chrono::sys_days(std::chrono::year(2020) / 1 / 1) +
                              std::chrono::days(t))) +
        ",";
    fast = .6 * fast + .4 * random.normal();
    walk += .1 * random.normal();
    files["volume"] += date + fmt::format("{:.4f}\n", std::exp(6 + fast));
    files["spread"] += date + fmt::format("{:.4f}\n", walk);
    files["price"] += date + fmt::format("{:.4f}\n", 50 * std::exp(walk / 5));
    files["trend"] += date + fmt::format("{:.4f}\n", std::exp(2 + .004 * t + .1 * fast));
    files["noise"] += date + fmt::format("{:.4f}\n", random.normal());
  }
  std::map<std::string, std::string> next;
  for (const auto& [name, rows] : files) {
    const std::string file = folder.file(name + ".csv", "date,x\n" + rows);
    const Outcome out = brace("unitroot " + file);
    ASSERT_EQ(out.status, 0) << out.err;
    const std::size_t at = out.out.find("Next: brace ");
    ASSERT_NE(at, std::string::npos);
    next[name] = out.out.substr(at + 12, out.out.find('\n', at) - at - 12);
    const bool change = next[name].find("--returns log") != std::string::npos ||
                        next[name].find("diff1") != std::string::npos;
    EXPECT_EQ(change, out.out.find("no difference is needed") == std::string::npos) << out.out;
    const Outcome after = brace(next[name]);
    EXPECT_EQ(after.status, 0) << next[name] << after.err;
    EXPECT_THAT(after.out, Not(HasSubstr("Next: brace unitroot"))) << next[name];
    EXPECT_EQ(brace("study --start " + file).out.find("returns = \"log\"") != std::string::npos,
              next[name].find("--returns log") != std::string::npos);
  }
  EXPECT_THAT(next["volume"], testing::EndsWith("--transform log"));
  EXPECT_THAT(next["spread"], testing::EndsWith("--transform diff1"));
  EXPECT_THAT(next["price"], testing::EndsWith("--returns log"));
  EXPECT_THAT(next["trend"], testing::EndsWith("--transform log --terms trend"));
  EXPECT_THAT(next["noise"], testing::EndsWith("noise.csv"));
}

// Of returns it is the size that has a season within the day and the week, of all else the height.
TEST(KindsOfSeries, SeasonsAreOfMovesForReturnsAndOfHeightForTheRest) {
  const Folder folder;
  maths::RandomStream random(9, 1);
  std::string bars = "time,price\n", hours = "time,load\n", days = "date,count\n";
  double price = 100;
  const std::chrono::sys_days monday = std::chrono::year(2024) / 1 / 1;
  for (int day = 0; day < 40; ++day)
    for (int bar = 0; bar < 12; ++bar) {
      price *= std::exp((bar == 0 ? .01 : .001) * random.normal());
      const auto when = Timestamp(monday + std::chrono::days(day / 5 * 7 + day % 5));
      bars += fmt::format("{} {:02}:{:02},{:.3f}\n", format_date(when), 9 + bar / 6, bar % 6 * 10,
                          price);
    }
  for (int t = 0; t < 960; ++t)
    hours += fmt::format("{} {:02}:00,{:.3f}\n",
                         format_date(Timestamp(monday + std::chrono::days(t / 24))), t % 24,
                         100 + (t % 24 == 18 ? 20 : 0) + random.normal());
  // One holiday in ten, after which the rows of a week are no longer five.
  for (int t = 0; t < 700; ++t) {
    const auto day = monday + std::chrono::days(t);
    if (t % 7 > 4 || t % 50 == 14) continue;
    days += fmt::format("{},{:.3f}\n", format_date(Timestamp(day)),
                        100 + (t % 7 == 2 ? 5 : 0) + random.normal());
  }
  EXPECT_THAT(brace("season " + folder.file("bars.csv", bars) + " --returns log").out,
              testing::AllOf(HasSubstr("volatility depends on the time of day"), HasSubstr("09:00"),
                             HasSubstr("--transform hours")));
  EXPECT_THAT(brace("season " + folder.file("hours.csv", hours)).out, HasSubstr("a strong season"));
  const Json weekly = Json::parse(brace("season " + folder.file("days.csv", days) + " --json").out);
  const Json& typical = weekly["result"]["typical_season"];
  ASSERT_EQ(typical.size(), 5u);
  EXPECT_EQ(typical[2]["place"], "Wednesday");
  EXPECT_GT(typical[2]["season"].get<double>(), 1.03) << "five in a hundred above the others";
  // Without a season there is nothing to take out.
  std::string noise = "date,x\n";
  for (int t = 0; t < 120; ++t)
    noise += fmt::format("{}-{:02},{:.3f}\n", 2010 + t / 12, t % 12 + 1, random.normal());
  EXPECT_THAT(brace("season " + folder.file("noise.csv", noise)).out,
              testing::AllOf(HasSubstr("Next: brace lags"), Not(HasSubstr("adjusted.csv"))));
}

// What is a level is not looked at further: the next command is that of its unit root.
TEST(KindsOfSeries, LagsOfALevelSaySo) {
  for (const std::string of : {"values", "squares", "leverage"}) {
    const Outcome out = brace("lags " + kKelp + " --of " + of);
    EXPECT_EQ(out.status, 0) << out.err;
    EXPECT_THAT(out.out, HasSubstr("level-modelled"));
    EXPECT_THAT(out.out, HasSubstr("Next: brace unitroot data/kelp-fibre.csv --value settle"));
  }
}

}  // namespace
}  // namespace brace::test
