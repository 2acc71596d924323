// SPDX-License-Identifier: Apache-2.0
// What each command says first follows from its rows (support/verdict_rules.hpp), over series in
// which each verdict is met; tests/relations asks the same of the tool.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "brace/brace.hpp"
#include "brace/hypothesis/unit_root_battery.hpp"
#include "support/verdict_rules.hpp"

namespace brace::test {
namespace {

using Told = nlohmann::json;
using testing::HasSubstr;

// Noise, memory, one far lag, clusters, steps of the mean and of the variance, in turn.
Series series_of_kind(std::uint64_t s, std::size_t rows = 600) {
  static const std::vector<std::pair<const char*, std::vector<double>>> kinds{
      {"zero", {1}},           {"zero ar1", {.3, 1}},
      {"zero ar16", {.15, 1}}, {"const / garch", {0, .05, .1, .85}},
      {"zero", {1}},           {"zero", {1}}};
  const auto& [line, theta] = kinds[s % kinds.size()];
  Series y = simulate(parse_model(line), theta, rows, {.seed = 131, .stream = s});
  if (s % kinds.size() == 4)
    for (std::size_t t = rows / 2; t < rows; ++t) y.values[t] += .8;
  if (s % kinds.size() == 5)
    for (std::size_t t = rows / 3; t < rows; ++t) y.values[t] *= 1.8;
  return y;
}

TEST(Verdicts, OfLagsFollowTheirRows) {
  std::map<std::string, int> seen;
  for (std::uint64_t s = 0; s < 60; ++s) {
    const Series y = series_of_kind(s);
    const LagTable table = lag_table(y, 20);
    const Told told = Told::parse(json_document("lags", y, table, "values", .05))["result"];
    const std::string verdict = verdict_of_lags(told);
    ++seen[verdict];
    std::ostringstream text;
    text << table;
    EXPECT_EQ(text.str().find("no clear memory") == std::string::npos,
              table.verdict == LagVerdict::memory);
  }
  EXPECT_EQ(seen.size(), 3u) << "each verdict was met";
}

// Rows that are named: in their order, and under the verdict of the whole table.
TEST(Verdicts, OfLagsStayWhereRowsAreNamed) {
  const Series y = series_of_kind(1);
  const LagTable whole = lag_table(y, 12);
  LagTable some = whole;
  keep_lags(some, {12, 1, 5, 1});
  ASSERT_EQ(some.rows.size(), 3u);
  for (const std::size_t i : {0u, 1u, 2u}) {
    const LagRow& row = some.rows[i];
    EXPECT_EQ(row.lag, (std::array{1, 5, 12}[i]));
    EXPECT_EQ(row.q, whole.rows[static_cast<std::size_t>(row.lag) - 1].q);
  }
  EXPECT_EQ(some.verdict, whole.verdict);
  EXPECT_THROW(keep_lags(some, {13}), Error);
  std::ostringstream text;
  text << some;
  EXPECT_THAT(text.str(), HasSubstr("memory over 12 lags, of which 3 are shown"));
}

TEST(Verdicts, OfBreaksFollowTheirRows) {
  std::map<std::string, int> seen;
  for (std::uint64_t s = 0; s < 30; ++s) {
    const Series y = series_of_kind(s);
    const BreakReport report = find_breaks(y, {}, Executor(2));
    const Told told = Told::parse(json_document("breaks", y, report))["result"];
    SCOPED_TRACE(s);
    for (const std::string& kind : verdict_of_breaks(told)) ++seen[kind];
  }
  EXPECT_GE(seen["mean"], 4);
  EXPECT_GE(seen["variance"], 4);
}

// On fewer than 300 rows no scan dates a change of the parameters: it is told all the same.
TEST(Verdicts, OfBreaksTellChangesThatHaveNoDate) {
  int undated = 0;
  for (std::uint64_t s = 0; s < 40; ++s) {
    // The variance stays 1 and clusters from the middle on.
    Series y =
        simulate(parse_model("const / garch"), {0, .6, .05, .35}, 130, {.seed = 132, .stream = s});
    const Series later =
        simulate(parse_model("const / garch"), {0, .25, .7, .05}, 130, {.seed = 133, .stream = s});
    y.values.insert(y.values.end(), later.values.begin(), later.values.end());
    const BreakReport report = find_breaks(y, {}, Executor(1));
    const Told told = Told::parse(json_document("breaks", y, report))["result"];
    SCOPED_TRACE(s);
    const auto kinds = verdict_of_breaks(told);
    if (!kinds.empty() || !(told["holm"]["parameters"] < .05)) continue;
    ++undated;
    EXPECT_THAT(report.reading, HasSubstr("change within the sample"));
    EXPECT_THAT(report.advice, testing::Not(testing::Contains("Model the whole sample.")));
  }
  EXPECT_GE(undated, 2);
}

TEST(Verdicts, OfASearchFollowTheirRows) {
  for (std::uint64_t s = 0; s < 24; ++s) {
    const Series y = series_of_kind(s, 300);
    const Search found = search(y, {.most_ar = 2, .most_ma = 2, .differences = 0}, Executor(2));
    const Told told = Told::parse(json_document("search", found))["result"];
    SCOPED_TRACE(s);
    const Told want = verdict_of_means(told);
    if (want.is_null()) continue;
    std::ostringstream text;
    text << found;
    for (const Told& c : told["candidates"])
      if (c["model"] == want) {
        EXPECT_EQ(text.str().find("residuals are white") != std::string::npos, c["white_p"] > .05);
      }
  }
}

TEST(Verdicts, OfUnitRootsFollowTheirRows) {
  std::map<std::string, int> seen;
  for (std::uint64_t s = 0; s < 30; ++s) {
    Series y = series_of_kind(s, 250);
    if (s % 2 == 0)
      y.values = [&] {  // its sum has a unit root
        std::vector<double> sum{100};
        for (const double v : y.values) sum.push_back(sum.back() + v);
        return sum;
      }();
    SCOPED_TRACE(s);
    const Series change = transform(y, parse_chain("diff1")).series;
    const Told told =
        Told::parse(json_document("unitroot", y, compare_unit_roots({y}, change)))["result"];
    for (const Told& of : told["verdicts"]) ++seen[verdict_of_unit_roots(told, of)];
  }
  EXPECT_GE(seen.size(), 3u);
}

TEST(Verdicts, OfAChecksFollowTheirRows) {
  std::map<std::string, int> seen;
  for (std::uint64_t s = 0; s < 48; ++s) {
    SCOPED_TRACE(s);
    const Fit fit = estimate("const", series_of_kind(s, 400));
    const Told told = Told::parse(json_document("check", fit, check(fit)))["result"];
    verdict_of_check(told);
    ++seen[told["verdict"]];
  }
  EXPECT_GE(seen.size(), 3u);
}

}  // namespace
}  // namespace brace::test
