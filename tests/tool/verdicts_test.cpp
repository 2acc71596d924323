// SPDX-License-Identifier: Apache-2.0
// What each command says first follows from its rows by the decision tables of docs/job.md (lags),
// docs/means.md (search), docs/breaks.md and docs/unit-roots.md, read here from the JSON alone.
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
    const Told& rows = told["lags"];
    double most = 0;
    int at = 0;
    for (const Told& row : rows)
      if (const double share =
              std::abs(row["acf"].get<double>()) / row["band_robust"].get<double>();
          share > most) {
        most = share;
        at = row["lag"];
      }
    EXPECT_EQ(told["largest"], at);
    // Of 20 normal values the largest exceeds 3.02 in 5 % of cases; the band is 1.96 of them.
    const char* want = rows.back()["p_robust"] < .05 ? "memory"
                       : most * 1.959964 > 3.0233    ? "one-lag"
                                                     : "none";
    EXPECT_EQ(told["verdict"], want) << s;
    ++seen[want];
    std::ostringstream text;
    text << table;
    EXPECT_EQ(text.str().find("no clear memory") == std::string::npos,
              table.verdict == LagVerdict::memory);
    // Q exceeds its critical value where p is below the level, and only there.
    for (const Told& row : rows)
      EXPECT_EQ(row["q"] > row["q_critical"], row["p_value"] < .05) << row;
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
    const Told& holm = told["holm"];
    std::set<std::string> kinds;
    for (const Told& found : told["breaks"]) kinds.insert(found["kind"]);
    const bool mean = holm["mean"] < .05, variance = holm["variance"] < .05;
    EXPECT_EQ(kinds.contains("mean"), mean) << s;
    EXPECT_EQ(kinds.contains("variance"), variance) << s;
    EXPECT_EQ(kinds.contains("parameters"),
              !mean && !variance && holm["parameters"].is_number() && holm["parameters"] < .05)
        << s;
    const std::string reading = told["reading"];
    EXPECT_EQ(kinds.empty(), reading.find("No lasting break") != std::string::npos) << reading;
    EXPECT_EQ(told["segments"].size(), told["breaks"].size() + 1);
    for (const std::string& kind : kinds) {
      EXPECT_THAT(reading, HasSubstr(kind));
      ++seen[kind];
    }
  }
  EXPECT_GE(seen["mean"], 4);
  EXPECT_GE(seen["variance"], 4);
}

TEST(Verdicts, OfASearchFollowTheirRows) {
  for (std::uint64_t s = 0; s < 24; ++s) {
    const Series y = series_of_kind(s, 300);
    const Search found = search(y, {.most_ar = 2, .most_ma = 2, .differences = 0}, Executor(2));
    const Told told = Told::parse(json_document("search", found))["result"];
    const std::string criterion = told["criterion"];
    int place = 0;
    double before = -1e300;
    Told first;
    for (const Told& c : told["candidates"]) {
      const bool apart = c["on_circle"] || (c["cancelling"].is_number() && c["cancelling"] < .1);
      const std::string want = c["status"] == "failed" ? "failed" : apart ? "apart" : "ranked";
      EXPECT_EQ(c["place"], want);
      const int here = want == "ranked" ? 0 : want == "apart" ? 1 : 2;
      EXPECT_GE(here, place) << "those apart stand behind";
      if (here == 0) {
        EXPECT_GE(c[criterion].get<double>(), before);
        before = c[criterion];
      }
      place = here;
    }
    const Told& candidates = told["candidates"];
    if (candidates[0]["place"] != "ranked") {
      EXPECT_TRUE(told["chosen"].is_null());
      continue;
    }
    Told want = candidates[0]["model"];
    for (const Told& c : candidates) {
      if (c["place"] != "ranked" ||
          c[criterion].get<double>() > candidates[0][criterion].get<double>() + 4)
        break;
      if (c["nearest_root"].is_number() && c["nearest_root"] <= 1.02) continue;
      want = c["model"];
      break;
    }
    EXPECT_EQ(told["chosen"], want) << s;
    std::ostringstream text;
    text << found;
    for (const Told& c : candidates)
      if (c["model"] == want) {
        EXPECT_EQ(text.str().find("residuals are white") != std::string::npos, c["white_p"] > .05);
        EXPECT_EQ(c["white"], c["white_p"] > .05);
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
    const UnitRootBattery battery = unit_root_battery(y);
    std::map<std::string, bool> rejects;
    double zivot = 1;
    for (const TestResult& t : battery.tests) {
      rejects[t.test] = t.p_value.value_or(1) < .05;
      if (t.test == "zivot-andrews") zivot = t.p_value.value_or(1);
    }
    const int of_three = rejects["adf"] + rejects["pp"] + rejects["df-gls"];
    const bool kpss = rejects["kpss"];
    std::vector<std::string> want;
    if (of_three >= 2 && !kpss) want = {"stationary", "trend-stationary"};
    if (of_three < 2 && kpss)
      want = zivot < .01   ? std::vector<std::string>{"break-stationary"}
             : zivot < .05 ? std::vector<std::string>{"break-suspected", "unit-root"}
                           : std::vector<std::string>{"unit-root"};
    if (of_three >= 2 && kpss) want = {zivot < .05 ? "break-stationary" : "conflict"};
    if (of_three < 2 && !kpss) want = {"conflict"};
    const std::string verdict(to_string(battery.verdict));
    EXPECT_THAT(want, testing::Contains(verdict)) << s << ": " << of_three << ", kpss " << kpss;
    ++seen[verdict];
  }
  EXPECT_GE(seen.size(), 3u);
}

}  // namespace
}  // namespace brace::test
