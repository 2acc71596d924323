// SPDX-License-Identifier: Apache-2.0
// Figures are made, in each format, and nothing in a name can reach gnuplot as anything but text.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <map>
#include <regex>

#include "brace/brace.hpp"
#include "brace/figures/figure.hpp"
#include "figures/gnuplot.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Folder;

Series prices(const std::string& name = "settle") {
  Series p =
      simulate(parse_model("const / garch / student"), {.03, .03, .08, .89, 6}, 600, {.seed = 3});
  double level = 4;
  for (double& v : p.values) v = std::exp(level += v / 100);
  p.values[100] = std::numeric_limits<double>::quiet_NaN();
  p.name = name;
  p.times = dates_after(*parse_date("2020-01-01"), Clock::business_day, p.size());
  p.clock = Clock::business_day;
  return p;
}

// The text drawn in an SVG, tags removed.
std::string text_in(const std::string& svg_path) {
  std::string text;
  bool tag = false;
  for (const char c : test::content_of(svg_path)) {
    if (c == '<') tag = true;
    if (!tag) text += c;
    if (c == '>') tag = false;
  }
  return text;
}

TEST(Figure, IsWrittenInEachFormat) {
  const Folder folder;
  const Series level = prices();
  const Fit fit = estimate("const / garch / student", log_returns(level));
  const Forecast ahead = forecast(fit, {.horizon = 10, .draws = 100, .paths = 2});
  for (const auto& [ending, magic] :
       {std::pair{"png", "\x89PNG"}, std::pair{"svg", "<?xml"}, std::pair{"pdf", "%PDF"}}) {
    const std::string look = folder / ("look." + std::string(ending)),
                      fan = folder / ("fan." + std::string(ending));
    draw_first_look(log_returns(level), look, level);
    draw_forecast(fit, ahead, fan);
    EXPECT_TRUE(test::content_of(look).starts_with(magic)) << look;
    EXPECT_TRUE(test::content_of(fan).starts_with(magic)) << fan;
  }
}

TEST(Figure, IsTitledFromTheModelAndTheSeries) {
  const Folder folder;
  const Fit fit = estimate("const ar1 / garch / student", log_returns(prices()));
  draw_forecast(fit, forecast(fit, {.horizon = 5, .intervals = {80, 95}, .draws = 100, .paths = 2}),
                folder / "fan.svg");
  const std::string text = text_in(folder / "fan.svg");
  EXPECT_NE(text.find("const ar1 / garch e1 h1 / student"), std::string::npos);
  EXPECT_NE(text.find("log return of settle, percent a day"), std::string::npos);
  EXPECT_NE(text.find("80, 95 %"), std::string::npos);
}

// Panels over one another have one time, also where a weekend follows the last value.
TEST(Figure, PanelsShareTheirTime) {
  const Folder folder;
  Series y = simulate(parse_model("const / garch"), std::vector{1., .1, .1, .8}, 300, {.seed = 4});
  using namespace std::chrono;
  y.times.clear();
  for (sys_days day{year{2023} / 1 / 2}; y.times.size() < y.size(); day += days{1})
    if (weekday{day} != Saturday && weekday{day} != Sunday) y.times.push_back(day);
  ASSERT_EQ(weekday{floor<days>(y.times.back())}, Friday);
  y.clock = Clock::business_day;
  const Fit fit = estimate("const / garch", y);
  draw_forecast(fit, forecast(fit, {.horizon = 10, .draws = 100, .paths = 10}), folder / "fan.svg");
  const std::string svg = test::content_of(folder / "fan.svg");
  static const std::regex label(
      R"(translate\(([0-9.]+),[0-9.]+\)[^>]*>\s*<text>([^<]* [^<]*)</text>)");
  std::map<std::string, std::vector<std::string>> places;
  for (std::sregex_iterator at(svg.begin(), svg.end(), label), end; at != end; ++at)
    places[(*at)[2]].push_back((*at)[1]);
  int twice = 0;
  for (const auto& [text, x] : places)
    if (x.size() == 2) {
      ++twice;
      EXPECT_EQ(x[0], x[1]) << text;
    }
  EXPECT_GE(twice, 3) << "dates under both panels";
}

TEST(Figure, DrawsWithoutDatesAndWithoutALevel) {
  const Folder folder;
  const Series y = simulate(parse_model("const"), {0, 1}, 60, {.seed = 2});
  draw_first_look(y, folder / "look.png");
  const Fit fit = estimate("const", y);
  draw_forecast(fit, forecast(fit, {.horizon = 1, .method = ForecastMethod::plug_in, .draws = 100}),
                folder / "fan.png");
  EXPECT_EQ(folder.entries(), 2u);
}

TEST(Figure, ShapeLagsAndSeasonsSayWhatTheyShow) {
  const Folder folder;
  const Series r = log_returns(prices());
  draw_shape(r, folder / "shape.svg");
  const std::string shape = text_in(folder / "shape.svg");
  EXPECT_NE(shape.find("degrees of freedom"), std::string::npos);
  EXPECT_NE(shape.find("sizes of moves, against those that the Student law expects"),
            std::string::npos);
  draw_lags(r, 20, {.season = 5}, folder / "lags.svg");
  EXPECT_NE(text_in(folder / "lags.svg").find("marks: multiples of 5"), std::string::npos);
  EXPECT_NE(text_in(folder / "lags.svg").find("return with the square that comes later"),
            std::string::npos);
  draw_profile(r, {volatility_profile(r, ProfileBy::weekday)}, folder / "profile.svg");
  EXPECT_NE(text_in(folder / "profile.svg").find("the same after division by the weekday profile"),
            std::string::npos);

  Series monthly = prices("lamp oil");
  monthly.times = dates_after(*parse_date("1980-01-01"), Clock::month, monthly.size());
  monthly.clock = Clock::month;
  draw_decomposition(decompose(monthly), folder / "parts.svg");
  const std::string parts = text_in(folder / "parts.svg");
  EXPECT_NE(parts.find("lamp oil: thin; seasonally adjusted: dashed; trend: bold"),
            std::string::npos);
  EXPECT_NE(parts.find("share of the season"), std::string::npos);
}

// Short, gappy, light-tailed, on a level: drawn all the same.
TEST(Figure, BreaksAreTitledByTheirVerdict) {
  const Folder folder;
  Series y = log_returns(prices());
  for (std::size_t t = 300; t < y.size(); ++t) y.values[t] *= 3;
  const BreakReport report = find_breaks(y);
  ASSERT_FALSE(report.breaks.empty());
  draw_breaks(y, report, folder / "b.svg");
  const std::string text = text_in(folder / "b.svg");
  EXPECT_NE(text.find(text::sentence(report.reading)), std::string::npos) << text;
  EXPECT_NE(text.find("cumulated squares less their straight line"), std::string::npos);
  EXPECT_NE(text.find("vertical line: break"), std::string::npos);
}

TEST(Figure, DrawsWhatIsAwkward) {
  const Folder folder;
  Series y = simulate(parse_model("const"), {0, 1}, 24, {.seed = 5});
  y.values[3] = std::numeric_limits<double>::quiet_NaN();
  draw_first_look(y, folder / "a.png");
  draw_shape(y, folder / "b.png");
  draw_lags(y, 5, {}, folder / "c.png");
  Series coin = y;
  for (std::size_t i = 0; i < coin.size(); ++i) coin.values[i] = i % 2 == 0 ? 1 : -1;
  draw_shape(coin, folder / "d.png");
  EXPECT_EQ(folder.entries(), 4u);
}

// Quotes, backticks, enhanced-text marks, line breaks, commands: drawn as they are, nothing is run.
TEST(Figure, HostileNamesAreDrawnLiterally) {
  const Folder folder;
  const std::string mark = folder / "owned";
  for (const std::string& name :
       {"`touch " + mark + "`", "'; system('touch " + mark + "'); '",
        "\"\nsystem \"touch " + mark + "\"", std::string("a_{b}^c @x {/Symbol d}"),
        "$(touch " + mark + ")", std::string("100 % \\n \\\\"), "'`touch " + mark + "`'"}) {
    const Series level = prices(name);
    const std::string path = folder / "look.svg";
    draw_first_look(log_returns(level), path, level);
    EXPECT_FALSE(std::filesystem::exists(mark)) << name;
  }
  const Series level = prices("a_{b}^c `d` 'e' \"f\" @x");
  draw_first_look(log_returns(level), folder / "literal.svg", level);
  std::string text = text_in(folder / "literal.svg");
  for (const auto& [entity, sign] :
       {std::pair{"&quot;", "\""}, std::pair{"&#39;", "'"}, std::pair{"&apos;", "'"}})
    for (auto at = text.find(entity); at != std::string::npos; at = text.find(entity))
      text.replace(at, std::string(entity).size(), sign);
  EXPECT_NE(text.find("a_{b}^c `d` 'e' \"f\" @x, as in the file"), std::string::npos);
}

TEST(Figure, QuotesForGnuplot) {
  EXPECT_EQ(Gnuplot::quote("it's 5"), "\"it\\047s \\065\"");
  EXPECT_EQ(Gnuplot::quote("`x`\\"), "\"\\140x\\140\\134\"");
  EXPECT_EQ(Gnuplot::quote("a\nb\tc"), "\"a b c\"") << "no line can be broken";
}

TEST(Figure, SaysWhatItCannotDraw) {
  EXPECT_STREQ(test::error_of([] { draw_first_look(prices(), "look.gif"); }).what(),
               "look.gif: the name of a figure must end in .png, .svg or .pdf");
  EXPECT_EQ(test::error_of([] { draw_first_look(prices(), "/nowhere/look.png"); }).code(),
            ErrorCode::cannot_write);
}

TEST(Figure, OfAVarianceEquationNamesItsParts) {
  const Folder folder;
  Series y = simulate(parse_model("const / gjr / student"), {.05, .05, .02, .12, .86, 6}, 800,
                      {.seed = 3});
  y.times = dates_after(*parse_date("2019-01-04"), Clock::business_day, y.size());
  y.clock = Clock::business_day;
  y.unit = Unit::percent;
  const Fit fit = estimate("const / gjr / student", y);
  draw_volatility(fit, folder / "volatility.svg");
  const std::string text = text_in(folder / "volatility.svg");
  for (const char* part : {"const / gjr e1 h1 / student", "the 95 % range expected the row before",
                           "volatility, percent a day; dotted: its long run",
                           "volatility the day after a shock of each size"})
    EXPECT_THAT(text, testing::HasSubstr(part));
  draw_check(fit, check(fit), folder / "check.svg");
  EXPECT_THAT(text_in(folder / "check.svg"),
              testing::HasSubstr("quantiles of z against the student law's"));
  const Fit typical = estimate("const / egarch / student", y);
  draw_volatility(typical, folder / "typical.svg");
  EXPECT_THAT(text_in(folder / "typical.svg"), testing::HasSubstr("dotted: its typical level"));
  EXPECT_THAT(
      test::error_of([&] { draw_volatility(estimate("const", y), folder / "x.svg"); }).what(),
      testing::HasSubstr("has a steady variance"));
}

TEST(Figure, OfMeanEquationsAreTitledByTheModel) {
  const Folder folder;
  Series y = simulate(parse_model("const ar1 ma1"), {3, .6, .3, 1}, 200, {.seed = 3});
  y.times = dates_after(*parse_date("2005-01-31"), Clock::month, y.size());
  y.clock = Clock::month;
  y.name = "lamp oil";
  const Fit fit = estimate("const ar1 ma1", y);
  const Check checked = check(fit);
  draw_fit(fit, folder / "fit.svg");
  draw_check(fit, checked, folder / "check.svg");
  draw_roots(fit, checked, folder / "roots.svg");
  EXPECT_THAT(text_in(folder / "fit.svg"), testing::HasSubstr("const ar1 ma1 / steady / normal"));
  EXPECT_THAT(text_in(folder / "fit.svg"), testing::HasSubstr("lamp oil; solid: actual"));
  EXPECT_THAT(text_in(folder / "check.svg"),
              testing::HasSubstr("const ar1 ma1: " + std::string(to_string(checked.verdict))));
  EXPECT_THAT(text_in(folder / "check.svg"), testing::HasSubstr("(2 fitted)"));
  EXPECT_THAT(text_in(folder / "roots.svg"), testing::HasSubstr("dot: AR, ring: MA"));
  const Comparison c = compare({"const ar1", "const ar1 ma1"}, y, {.hold_out = 20});
  draw_comparison(c, folder / "pair.svg");
  for (const char* label : {"const ar1", "const ar1 ma1", "mean", "walk", "last 20 rows"})
    EXPECT_THAT(text_in(folder / "pair.svg"), testing::HasSubstr(label));
  // What cannot be drawn says so.
  EXPECT_EQ(
      test::error_of([&] { draw_comparison(compare({"const"}, y), folder / "x.svg"); }).code(),
      ErrorCode::bad_option);
  const Fit plain = estimate("const", y);
  EXPECT_THAT(test::error_of([&] { draw_roots(plain, check(plain), folder / "x.svg"); }).what(),
              testing::HasSubstr("has no roots to draw"));
}

}  // namespace
}  // namespace brace
