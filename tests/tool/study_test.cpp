// SPDX-License-Identifier: Apache-2.0
// Studies as a user runs them: the first file, the run, what a second run reuses, where a verdict
// stops it, and what is kept when it is interrupted.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;
using testing::HasSubstr;
using testing::Not;

const std::string kKelpFile = BRACE_SOURCE_DIR "/data/kelp-fibre.csv";

std::string kelp_study(const std::string& more, const std::string& file = kKelpFile) {
  return "[series]\nfile = \"" + file +
         "\"\nvalue = \"settle\"\ndrop-zero = \"volume\"\nreturns = \"log\"\n" + more;
}
constexpr const char* kShort =
    "[inspect]\n[unitroot]\n[fit]\nmodel = \"const / garch / "
    "student\"\n[check]\n[forecast]\nhorizon "
    "= 5\ndraws = 400\n";

TEST(Study, StartWritesAStudyThatRuns) {
  const Folder folder;
  for (const char* series :
       {"data/kelp-fibre.csv --value settle --drop-zero volume",
        "data/kelp-fibre.csv --value settle --drop-zero volume --returns simple --from 2016-01-01",
        "data/lamp-oil.csv --value price", "data/ferry-freight.csv --missing -9,x"}) {
    const Outcome first = brace(std::string("study --start ") + series);
    ASSERT_EQ(first.status, 0) << first.err;
    // The paths are those of where it was typed.
    std::string text = first.out;
    text.replace(text.find("\"data/"), 1, "\"" BRACE_SOURCE_DIR "/");
    const std::string study = folder.file("s.toml", text);
    const Outcome ran = brace("study " + study);
    EXPECT_EQ(ran.status, 0) << series << ran.err << ran.out;
    EXPECT_THAT(ran.out, HasSubstr("Written: " + (folder / "s.html"))) << series;
    EXPECT_THAT(ran.out, Not(HasSubstr("not run"))) << series;
    fs::remove_all(folder / "s-results");
  }
  EXPECT_THAT(brace("study --start data/kelp-fibre.csv --value settle --drop-zero volume").out,
              HasSubstr("drop-zero = \"volume\"\n"));
  EXPECT_EQ(brace("study --start data/none.csv").status, 1);
}

TEST(Study, SaysWhatItsCommandsSay) {
  const Folder folder;
  const std::string study = folder.file("kelp.toml", kelp_study(kShort));
  const Outcome ran = brace("study " + study);
  ASSERT_EQ(ran.status, 0) << ran.err;
  for (const std::string step : {"inspect", "unitroot", "fit", "check", "forecast"}) {
    const Outcome alone = brace(step + " --study " + study + " --json");
    EXPECT_EQ(content_of(folder / ("kelp-results/" + step + ".json")), alone.out) << step;
  }
  const Json record = Json::parse(content_of(folder / "kelp-results/study.json"));
  ASSERT_EQ(record["chapters"].size(), 5U);
  EXPECT_TRUE(record["changes"].is_null()) << "there was no run before";
  const std::string tidy = content_of(folder / "kelp-results/tidy.csv");
  EXPECT_TRUE(tidy.starts_with("series,model,date,step,quantity,value\n"));
  EXPECT_THAT(tidy, HasSubstr("log return of settle,const / garch e1 h1 / student,2024-02-19,1,"
                              "volatility,"));
  EXPECT_EQ(brace("check " + (folder / "kelp-results/model.json")).status, 0);
}

// Only what changed is run, and the digits are the same either way.
TEST(Study, RunsAgainOnlyWhatChanged) {
  const Folder folder;
  const std::string study = folder.file("kelp.toml", kelp_study(kShort));
  ASSERT_EQ(brace("study " + study).status, 0);
  const std::string page = content_of(folder / "kelp.html"),
                    record = content_of(folder / "kelp-results/study.json");
  const Outcome again = brace("study " + study);
  EXPECT_THAT(again.out, HasSubstr("Nothing has changed since "));
  EXPECT_EQ(content_of(folder / "kelp.html"), page);
  EXPECT_EQ(content_of(folder / "kelp-results/study.json"), record);

  std::string longer = kShort;
  longer.replace(longer.find("horizon = 5"), 11, "horizon = 7");
  (void)folder.file("kelp.toml", kelp_study(longer));
  const Outcome changed = brace("study " + study);
  const auto times = [](const std::string& text, const std::string& what) {
    int n = 0;
    for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; ++at) ++n;
    return n;
  };
  EXPECT_EQ(times(changed.out, "(reused)"), 4) << changed.out;
  EXPECT_EQ(
      Json::parse(content_of(folder / "kelp-results/forecast.json"))["result"]["steps"].size(), 7U);
  const std::string reused = content_of(folder / "kelp-results/forecast.json");
  const Outcome all = brace("study " + study + " --again");
  EXPECT_EQ(times(all.out, "(reused)"), 0);
  EXPECT_EQ(content_of(folder / "kelp-results/forecast.json"), reused) << "the same digits";

  // A result that was taken away is made again.
  fs::remove(folder / "kelp-results/model.json");
  EXPECT_EQ(brace("study " + study).status, 0);
  EXPECT_TRUE(fs::exists(folder / "kelp-results/model.json"));
}

TEST(Study, TellsWhatIsOtherwiseThanInTheRunBefore) {
  const Folder folder;
  const std::string data = content_of(kKelpFile);
  // Yesterday's file has the last rows not yet.
  std::size_t cut = data.size() - 1;
  for (int row = 0; row < 15; ++row) cut = data.rfind('\n', cut - 1);
  const std::string file = folder.file("kelp.csv", data.substr(0, cut + 1));
  const std::string study = folder.file("kelp.toml", kelp_study(kShort, "kelp.csv"));
  ASSERT_EQ(brace("study " + study).status, 0);
  (void)folder.file("kelp.csv", data);
  // A forecast beside the study tells it too, before the study is run.
  const std::string ahead = brace("forecast --study " + study).out;
  EXPECT_THAT(ahead, HasSubstr("Since the last run of the study:\n"));
  EXPECT_THAT(ahead, HasSubstr("The volatility forecast one step ahead went from "));
  const Outcome today = brace("study " + study);
  EXPECT_THAT(today.out, HasSubstr("Since the last run:"));
  EXPECT_THAT(today.out, HasSubstr("The volatility forecast one step ahead went from "));
  EXPECT_THAT(today.out, HasSubstr("observations are fitted; it was "));
  EXPECT_THAT(today.out, HasSubstr("beta1 went from "));
  EXPECT_THAT(content_of(folder / "kelp.html"), HasSubstr("Since the last run"));
  EXPECT_THAT(brace("forecast --study " + study).out, Not(HasSubstr("Since the last run")));
  EXPECT_EQ(Json::parse(content_of(folder / "kelp-results/study.json"))["chapters"].size(), 5U);
}

TEST(Study, StopsWhereAVerdictForbidsToGoOn) {
  const Folder folder;
  std::string level = kelp_study("[unitroot]\n[fit]\nmodel = \"const ar1\"\n[check]\n[forecast]\n");
  level.erase(level.find("returns = \"log\"\n"), 16);
  const std::string study = folder.file("level.toml", level);
  const Outcome stopped = brace("study " + study);
  EXPECT_THAT(stopped.out, HasSubstr("Not run: the level has a unit root"));
  EXPECT_THAT(stopped.out, HasSubstr("insist = true in"));
  EXPECT_FALSE(fs::exists(folder / "level-results/fit.json"));
  // The page tells it too, and lets no model in.
  EXPECT_THAT(content_of(folder / "level.html"), HasSubstr("Not run: the level has a unit root"));

  (void)folder.file("level.toml", "[study]\ninsist = true\n" + level);
  const std::string insisted = brace("study " + study).out;
  EXPECT_THAT(insisted, Not(HasSubstr("(not run)")));
  EXPECT_THAT(insisted, HasSubstr("It was: Not run: the level has a unit root"));
  EXPECT_TRUE(fs::exists(folder / "level-results/fit.json"));
  // A model that differences the level is not one of the level.
  std::string differenced = level;
  differenced.replace(differenced.find("const ar1"), 9, "const diff1 ar1");
  (void)folder.file("level.toml", differenced);
  EXPECT_THAT(brace("study " + study).out, Not(HasSubstr("(not run)")));
}

TEST(Study, AModelMayComeFromTheSearch) {
  const Folder folder;
  const std::string study = folder.file(
      "oil.toml",
      "[series]\nfile = \"" BRACE_SOURCE_DIR
      "/data/lamp-oil.csv\"\nreturns = \"log\"\n[search]\nmost-ar = 1\nmost-ma = 1\n[fit]\n"
      "[check]\n[forecast]\nhorizon = 2\n");
  const Outcome ran = brace("study " + study);
  ASSERT_EQ(ran.status, 0) << ran.err << ran.out;
  const auto of = [&](const std::string& step) {
    return Json::parse(content_of(folder / ("oil-results/" + step + ".json")))["result"];
  };
  EXPECT_EQ(of("fit")["model"], of("search")["chosen"]);
  EXPECT_EQ(of("forecast")["model"], of("search")["chosen"]);
}

TEST(Study, OfABadFileWritesNothing) {
  const Folder folder;
  const std::string bad = folder.file("bad.csv", "date,close\n2024-01-01,5\n2024-01-02,x\n");
  const std::string study =
      folder.file("s.toml",
                  "[series]\nfile = \"bad.csv\"\nvalue = \"close\"\n[inspect]\n[fit]\nmodel = "
                  "\"const\"\n");
  const Outcome out = brace("study " + study);
  EXPECT_EQ(out.status, 1);
  EXPECT_THAT(out.err, HasSubstr("bad.csv"));
  EXPECT_EQ(folder.entries(), 2U);
  EXPECT_EQ(brace("study " + (folder / "none.toml")).status, 1);
  EXPECT_THAT(brace("study " + folder.file("in.toml", "[series]\nfile = \"-\"\n[inspect]\n")).err,
              HasSubstr("name a file"));
  fs::remove(folder / "in.toml");
  const Outcome typed = brace("study " + study + " --value close");
  EXPECT_EQ(typed.status, 2);
  EXPECT_THAT(typed.err, HasSubstr("write value = \"close\" into [series]"));
  // One step's trouble is not the others': too few rows to forecast from.
  std::string rows = "date,close\n";
  for (int i = 1; i <= 28; ++i)
    rows += "2024-02-" + std::string(i < 10 ? "0" : "") + std::to_string(i) + "," +
            std::to_string(10 + (i * 7) % 5) + "\n";
  (void)folder.file("bad.csv", rows);
  (void)folder.file(
      "s.toml",
      "[series]\nfile = \"bad.csv\"\n[inspect]\n[lags]\nlags = 5\n[backtest]\nmodel = "
      "\"const\"\nwindow = 1000\n");
  const Outcome part = brace("study " + study);
  EXPECT_NE(part.status, 0);
  EXPECT_THAT(part.out, HasSubstr("(not run)"));
  EXPECT_TRUE(fs::exists(folder / "s-results/lags.json"));
}

// What is killed goes on from the step at which it was.
TEST(Study, GoesOnAfterBeingKilled) {
  const Folder folder;
  const std::string study = folder.file(
      "kelp.toml",
      kelp_study(
          "[inspect]\n[lags]\n[fit]\nmodel = \"const / garch / student\"\n[backtest]\nmodel = "
          "[\"const / aparch / student\", \"const / longmem / student\"]\nrefit-every = 1\n"));
  const Outcome killed = run("timeout -s KILL 4 '" BRACE_TOOL "' study " + study);
  EXPECT_EQ(killed.status, 137);
  const Json record = Json::parse(content_of(folder / "kelp-results/study.json"));
  EXPECT_EQ(record["chapters"].size(), 3U);
  (void)folder.file("kelp.toml", kelp_study("[inspect]\n[lags]\n[fit]\nmodel = \"const / garch / "
                                            "student\"\n[check]\n"));
  const Outcome on = brace("study " + study);
  EXPECT_EQ(on.status, 0);
  EXPECT_THAT(on.out, HasSubstr("55 days. The shocks are heavy-tailed. (reused)"));
}

TEST(Study, SeveralStandInOneReport) {
  const Folder folder;
  for (const std::string name : {"one", "two"})
    ASSERT_EQ(brace("study " + folder.file(name + ".toml", "[study]\ntitle = \"Study " + name +
                                                               "\"\n" + kelp_study(kShort)))
                  .status,
              0);
  const std::string page = folder / "both.html";
  const Outcome out = brace("report " + (folder / "one-results/study.json") + " " +
                            (folder / "two-results/study.json") + " --out " + page);
  ASSERT_EQ(out.status, 0) << out.err;
  const std::string html = content_of(page);
  EXPECT_THAT(html, HasSubstr("Studies side by side"));
  EXPECT_THAT(html, HasSubstr("Study one"));
  EXPECT_THAT(html, HasSubstr("Study two"));
  EXPECT_EQ(brace("report " + kKelpFile).status, 1);
  EXPECT_THAT(brace("report " + (folder / "one-results/fit.json") + " --out " + page).err,
              HasSubstr("is not the record of a study"));
  EXPECT_EQ(content_of(page), html) << "a refusal leaves the page as it was";
}

TEST(Study, OneStepHasAReportOfItsOwn) {
  const Folder folder;
  for (const std::string& line : std::vector<std::string>{
           "inspect " + kKelpReturns, "unitroot " + kKelp, "lags " + kKelpReturns,
           "fit " + kKelpReturns + " --model 'const / garch / student'",
           "check " + kKelpReturns + " --model 'const / garch / student'",
           "forecast " + kKelpReturns + " --model 'const / garch / student' --draws 200"}) {
    const std::string page = folder / "page.html";
    const Outcome with = brace(line + " --report " + page), without = brace(line + " --quiet");
    EXPECT_EQ(with.status, without.status) << line;
    EXPECT_EQ(with.out, without.out) << line;
    const std::string html = content_of(page);
    EXPECT_THAT(html, HasSubstr("What was found")) << line;
    EXPECT_THAT(html, HasSubstr("The same at a prompt:")) << line;
    EXPECT_LT(html.size(), 900000U) << line;
    fs::remove(page);
  }
}

}  // namespace
}  // namespace brace::test
