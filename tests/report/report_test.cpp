// SPDX-License-Identifier: Apache-2.0
// The report as a library: records that read back, verdicts, changes, tables, drawings within a
// page, and text that stays text.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <regex>
#include <sstream>

#include "brace/brace.hpp"
#include "brace/report/report.hpp"
#include "report/inline_svg.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;
using testing::Not;

Series simulated(std::uint64_t seed, std::size_t rows = 400) {
  Series y =
      simulate(parse_model("const / garch / normal"), {.03, .02, .08, .9}, rows, {.seed = seed});
  y.name = "tar & rope";
  return y;
}

template <class... Results>
ReportChapter chapter(const std::string& step, const Fit& fit, const Results&... results) {
  std::ostringstream text;
  if constexpr (sizeof...(results) == 0)
    text << fit;
  else
    (text << ... << results);
  return {.step = step,
          .command = "brace " + step + " tar.csv",
          .document = json_document(step, fit, results...),
          .text = text.str(),
          .stopped = {}};
}

StudyRecord record_of(const std::string& title, std::uint64_t seed) {
  const Fit fit = estimate("const / garch / normal", simulated(seed));
  const Forecast ahead = forecast(fit, {.horizon = 4, .draws = 200});
  StudyRecord record{.title = title,
                     .version = "0.1.0",
                     .written = "2026-11-30 12:00 UTC",
                     .digest = "abc",
                     .file = "[fit]\nmodel = \"const / garch\" # a < b\n",
                     .chapters = {chapter("fit", fit), chapter("check", fit, check(fit)),
                                  chapter("forecast", fit, ahead)}};
  record.chapters[0].panels.push_back(
      {.title = "Volatility",
       .unit = "percent",
       .dates = {},
       .lines = {{.name = "sd", .values = {1.25, std::numeric_limits<double>::quiet_NaN(), 3.5}}}});
  record.chapters[0].figures.push_back({.title = "A figure",
                                        .alternative = "two \"words\" & more",
                                        .svg = "<svg width=\"9\"></svg>"});
  return record;
}

TEST(Report, RecordsReadBackToTheSamePage) {
  const test::Folder folder;
  const StudyRecord record = record_of("Tar", 1);
  const std::string path = folder.file("study.json", to_json(record));
  const StudyRecord back = read_record(path);
  EXPECT_EQ(to_json(back), to_json(record));
  EXPECT_EQ(html_report({back}), html_report({record}));
  EXPECT_EQ(back.chapters[2].document.empty(), false);
  EXPECT_TRUE(std::isnan(back.chapters[0].panels[0].lines[0].values[1]));
  for (const char* bad : {"", "{}", "{\"kind\": \"saved model\"}", "[1]"})
    test::expect_error(ErrorCode::bad_saved_model, "is not the record of a study",
                       [&] { (void)read_record(folder.file("bad.json", bad)); });
  test::expect_error(ErrorCode::file_missing, "none.json",
                     [&] { (void)read_record(folder / "none.json"); });
}

TEST(Report, VerdictsAreTheFirstParagraph) {
  ReportChapter c{.step = "fit",
                  .command = {},
                  .document = {},
                  .text = "It converged. Half of a shock is\ngone after 9 rows.\n\n  mean  mu\n",
                  .stopped = {}};
  EXPECT_EQ(verdict_of(c), "It converged. Half of a shock is gone after 9 rows.");
  c.stopped = "Not run: no model.";
  EXPECT_EQ(verdict_of(c), "Not run: no model.");
}

TEST(Report, ChangesNameWhatMovedAndByHowManyErrors) {
  const StudyRecord before = record_of("Tar", 1), now = record_of("Tar", 2);
  EXPECT_TRUE(changes_between(before, before).empty());
  const std::vector<std::string> changes = changes_between(before, now);
  EXPECT_THAT(changes[0], HasSubstr("The volatility forecast one step ahead went from "));
  const auto beta = std::find_if(changes.begin(), changes.end(),
                                 [](const std::string& c) { return c.starts_with("beta1 "); });
  ASSERT_NE(beta, changes.end());
  const auto estimate_in = [](const StudyRecord& r) {
    return nlohmann::json::parse(r.chapters[0].document)["result"]["parameters"][3];
  };
  const auto a = estimate_in(before), b = estimate_in(now);
  const double moved =
      (b["estimate"].get<double>() - a["estimate"].get<double>()) / a["se"].get<double>();
  std::ostringstream errors;
  errors.setf(std::ios::fixed);
  errors.precision(1);
  errors << moved << " errors.";
  EXPECT_THAT(*beta, testing::EndsWith(errors.str()));
  // A verdict whose words are the same is none, whatever its figures.
  StudyRecord other = before;
  other.chapters[1].text = std::regex_replace(before.chapters[1].text, std::regex("[0-9]"), "7");
  EXPECT_TRUE(changes_between(before, other).empty());
  other.chapters[1].text = "The residuals have memory.\n\n";
  EXPECT_THAT(changes_between(before, other),
              ElementsAre(HasSubstr("Of check: The residuals have memory. It was: ")));
}

TEST(Report, TidyHoldsEveryNumberOfTheForecastAndTheFit) {
  const StudyRecord record = record_of("Tar", 1);
  const std::string csv = tidy_csv(record);
  const auto fit = nlohmann::json::parse(record.chapters[0].document)["result"];
  const auto ahead = nlohmann::json::parse(record.chapters[2].document)["result"];
  for (const auto& p : fit["parameters"])
    EXPECT_THAT(csv, HasSubstr(",," + p["name"].get<std::string>() + ","));
  for (const auto& s : ahead["steps"]) {
    std::ostringstream line;
    line << "," << s["step"] << ",volatility,";
    EXPECT_THAT(csv, HasSubstr(line.str()));
  }
  std::istringstream lines(csv);
  for (std::string line; std::getline(lines, line);)
    EXPECT_EQ(std::count(line.begin(), line.end(), ','), 5) << line;
}

TEST(Report, APageIsWholeAndFetchesNothing) {
  const std::string page = html_report({record_of("<b>Tar</b>", 1)});
  EXPECT_TRUE(page.starts_with("<!doctype html>"));
  EXPECT_THAT(page, HasSubstr("<title>&lt;b&gt;Tar&lt;/b&gt;</title>"));
  EXPECT_THAT(page, Not(HasSubstr("<b>Tar")));
  EXPECT_THAT(page, HasSubstr("# a &lt; b"));
  EXPECT_THAT(page, HasSubstr("aria-label=\"two &quot;words&quot; &amp; more\""));
  const std::string without_library = std::regex_replace(page.substr(0, page.find("</main>")),
                                                         std::regex("http://www.w3.org[^\"]*"), "");
  for (const char* fetched : {"http:", "https:", "src=", "@import", "url(h"})
    EXPECT_THAT(without_library, Not(HasSubstr(fetched)));
  // What is left out has no chapter, but its sentence stays.
  StudyRecord short_of = record_of("Tar", 1);
  short_of.leave_out = {"check"};
  const std::string less = html_report({short_of});
  EXPECT_THAT(less, Not(HasSubstr("id=\"s1-check\"")));
  EXPECT_THAT(less, HasSubstr("href=\"#s1-appendix\">Residuals"));
  // Where nothing can be zoomed no script is there.
  short_of.chapters[0].panels.clear();
  EXPECT_THAT(html_report({short_of}), Not(HasSubstr("<script")));
}

TEST(Report, SeveralStudiesHaveATableOfAllFirst) {
  const std::string page = html_report({record_of("Tar", 1), record_of("Rope", 2)});
  const std::size_t table = page.find("The studies in a row each");
  ASSERT_NE(table, std::string::npos);
  EXPECT_LT(table, page.find("What was found"));
  EXPECT_THAT(page, HasSubstr("id=\"s2-forecast\""));
}

TEST(InlineSvg, HasNamesOfItsOwnAndThePagesColours) {
  const std::string drawn =
      "<?xml version=\"1.0\"?>\n<svg viewBox=\"0 0 9 9\">\n<title>Gnuplot</title>\n<defs><g "
      "id='a'/></defs>\n"
      "<use xlink:href='#a'/>\n<path stroke='rgb( 47, 111, 143)' d='M10.04,20.00 L10.55,20.00 "
      "L10.55,19.70 Z'/>\n<path d='M1,1 C2,2 3,3 4,4'/>\n"
      "\t<use xlink:href='#gpPt6' transform='translate(91.23,239.42) scale(1.50)' color='red'/>\n"
      "\t<use xlink:href='#gpPt6' transform='translate(92.19,259.30) scale(1.50)' "
      "color='red'/>\n</svg>\n";
  const std::string shown = inline_svg(drawn, "f1", "words");
  EXPECT_TRUE(shown.starts_with("<svg viewBox=\"0 0 9 9\" role=\"img\" aria-label=\"words\">"));
  EXPECT_THAT(shown, Not(HasSubstr("Gnuplot")));
  EXPECT_THAT(shown, HasSubstr("id='f1-a'"));
  EXPECT_THAT(shown, HasSubstr("href='#f1-a'"));
  // Tenths of a pixel, by their steps from rounded places, so that no error adds up.
  EXPECT_THAT(shown, HasSubstr("d='M10 20l.6 0l0-.3z'"));
  EXPECT_THAT(shown, HasSubstr("d='M1,1 C2,2 3,3 4,4'")) << "curves stay as they are";
  EXPECT_THAT(shown, HasSubstr("<path d=\"M91.2,239.4h0M92.2,259.3h0\" stroke=\"red\" "
                               "stroke-width=\"3.00\""));
  EXPECT_THAT(shown, Not(HasSubstr("rgb(")));
}

}  // namespace
}  // namespace brace
