// SPDX-License-Identifier: Apache-2.0
// The report in a real browser: headless Chromium, driven by tests/browser/look.py.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <sstream>

#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;
using testing::Not;

Json look(const std::string& page, const std::string& how) {
  const Outcome out = run("/usr/bin/python3 tests/browser/look.py " + page + " " + how);
  EXPECT_EQ(out.status, 0) << out.err;
  return out.status == 0 ? Json::parse(out.out) : Json::object();
}

// What holds of every page: nothing is fetched, nothing goes wrong, everything has a name.
void expect_sound(const Json& seen) {
  EXPECT_TRUE(seen["console"].empty()) << seen["console"];
  EXPECT_TRUE(seen["requests"].empty()) << seen["requests"];
  EXPECT_EQ(seen["unnamed"], 0);
  EXPECT_EQ(seen["repeated_ids"], 0);
  EXPECT_EQ(seen["dead_links"], 0);
  EXPECT_EQ(seen["tables_without_heads"], 0);
  EXPECT_EQ(seen["lang"], "en");
  EXPECT_GT(seen["pdf_bytes"], 20000);
  int before = 0, firsts = 0;
  for (const int level : seen["levels"]) {
    EXPECT_LE(level, before + 1) << "no heading skips a level";
    firsts += level == 1 ? 1 : 0;
    before = level;
  }
  EXPECT_EQ(firsts, 1);
}

TEST(ReportPage, OfTheDemoIsReadOnScreenPhoneAndPaperWithAndWithoutScripts) {
  const Folder folder;
  ASSERT_EQ(brace("demo --quiet --out " + (folder / "out")).status, 0);
  const std::string page = folder / "out/report.html";
  EXPECT_LT(content_of(page).size(), 1500000U) << "it goes by mail";
  EXPECT_THAT(content_of(page),
              HasSubstr("2,609 rows read; 11 rows dropped (volume is 0); 4 values missing."));
  const Json wide = look(page, "1280 800");
  expect_sound(wide);
  EXPECT_EQ(wide["width"], 1280) << "nothing sticks out";
  EXPECT_EQ(wide["chapters"], 10);
  EXPECT_EQ(wide["panels"], 5) << "price, return, volatility, and the forecast twice";
  EXPECT_EQ(wide["stills"], wide["still_figures"].get<int>() - 1) << "the panel stands for one";
  EXPECT_GT(wide["svg_words"], 100) << "text in figures is text";
  EXPECT_EQ(wide["cut_tables"], 0);
  // What the pointer reads is what the CSV holds.
  const std::string reads = wide["reads"];
  const std::string date = reads.substr(0, 10);
  std::istringstream rows(content_of(BRACE_SOURCE_DIR "/data/kelp-fibre.csv"));
  std::string settle;
  for (std::string line; std::getline(rows, line);)
    if (line.starts_with(date)) {
      std::istringstream cells(line);
      for (int i = 0; i < 5; ++i) std::getline(cells, settle, ',');
    }
  EXPECT_THAT(reads, HasSubstr("settle " + std::to_string(std::stod(settle)).substr(0, 5)))
      << settle;
  EXPECT_LT(wide["zoom"], .5);
  EXPECT_GT(wide["zoom"], .01);

  const Json phone = look(page, "390 844");
  expect_sound(phone);
  EXPECT_EQ(phone["width"], 390);

  const Json still = look(page, "1280 800 noscript");
  EXPECT_EQ(still["panels"], 0);
  EXPECT_EQ(still["stills"], still["still_figures"]) << "every figure is there without scripts";
  EXPECT_TRUE(still["requests"].empty());
}

// Names may hold markup, quotes and scripts: they stay text.
TEST(ReportPage, HostileNamesStayText) {
  const Folder folder;
  std::string rows = "date,\"<script>window.harmed=true</script>\"\"&'</title>\"\n";
  for (int i = 0; i < 400; ++i) {
    const int day = 1 + i % 28, month = 1 + (i / 28) % 12, year = 2010 + i / 336;
    char date[16];
    std::snprintf(date, sizeof date, "%04d-%02d-%02d", year, month, day);
    rows += std::string(date) + "," + std::to_string(50 + (i * i * 7) % 23) + "\n";
  }
  (void)folder.file("<img src=x onerror=alert(1)>.csv", rows);
  const std::string study = folder.file(
      "s.toml",
      "[study]\ntitle = \"</title><script>window.harmed=true</script>\"\n[series]\nfile = "
      "'<img src=x onerror=alert(1)>.csv'\n[inspect]\n[lags]\n[fit]\nmodel = \"const "
      "/ garch\"\n[forecast]\ndraws = 200\n");
  const Outcome ran = brace("study " + study);
  ASSERT_TRUE(ran.status == 0 || ran.status == 3) << ran.err;
  const std::string html = content_of(folder / "s.html");
  EXPECT_THAT(html, Not(HasSubstr("<script>window.harmed")));
  EXPECT_THAT(html, Not(HasSubstr("<img")));
  const Json seen = look(folder / "s.html", "1280 800");
  expect_sound(seen);
  EXPECT_FALSE(seen["scripts_from_text"]);
  EXPECT_EQ(seen["title"], "</title><script>window.harmed=true</script>");
}

}  // namespace
}  // namespace brace::test
