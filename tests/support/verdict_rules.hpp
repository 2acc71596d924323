// SPDX-License-Identifier: Apache-2.0
// What each command says first follows from its rows by the decision tables of docs/job.md (lags),
// docs/means.md (search), docs/breaks.md, docs/unit-roots.md and docs/variance.md (check), read
// from the JSON alone.
//
//   expect_verdict_of("lags", document["result"]);
//   const std::string verdict = verdict_of_lags(result);
#pragma once

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <string>
#include <vector>

#include "brace/laws/standard.hpp"

namespace brace::test {

// A test says that it rejects at 5 % where its p-value is below, and only there.
inline void expect_rejections_follow(const nlohmann::json& told) {
  if (told.is_object() && told.contains("reject_5pct") && told["p_value"].is_number()) {
    EXPECT_EQ(told["reject_5pct"], told["p_value"] < .05) << told;
  }
  if (told.is_structured())
    for (const nlohmann::json& part : told) expect_rejections_follow(part);
}

inline std::string verdict_of_lags(const nlohmann::json& told) {
  const nlohmann::json& rows = told["lags"];
  double most = 0;
  int at = 0;
  for (const nlohmann::json& row : rows) {
    if (row["q_critical"].is_number()) {
      EXPECT_EQ(row["q"] > row["q_critical"], row["p_value"] < .05) << row;
    }
    const double share = std::abs(row["acf"].get<double>()) / row["band_robust"].get<double>();
    if (share <= most) continue;
    most = share;
    at = row["lag"];
  }
  EXPECT_EQ(told["largest"], at);
  // The largest of so many normal values exceeds this in 5 % of cases; the band is 1.96 of them.
  const double far =
      laws::normal_quantile(.5 + .5 * std::pow(.95, 1 / static_cast<double>(rows.size())));
  const std::string want = rows.back()["p_robust"] < .05              ? "memory"
                           : most * laws::normal_quantile(.975) > far ? "one-lag"
                                                                      : "none";
  EXPECT_EQ(told["verdict"], want);
  return want;
}

inline std::set<std::string> verdict_of_breaks(const nlohmann::json& told) {
  const nlohmann::json& holm = told["holm"];
  const auto rejects = [&](const char* question) {
    return holm[question].is_number() && holm[question] < .05;
  };
  std::set<std::string> kinds;
  for (const nlohmann::json& found : told["breaks"]) kinds.insert(found["kind"]);
  EXPECT_EQ(kinds.contains("mean"), rejects("mean"));
  EXPECT_EQ(kinds.contains("variance"), rejects("variance"));
  // Dated by the scan, which few rows do not have.
  const bool scanned = std::any_of(told["tests"].begin(), told["tests"].end(),
                                   [](const auto& t) { return t["test"] == "variance-break"; });
  EXPECT_EQ(kinds.contains("parameters"),
            scanned && !rejects("mean") && !rejects("variance") && rejects("parameters"));
  const std::string reading = told["reading"];
  EXPECT_EQ(kinds.empty() && !rejects("parameters"),
            reading.find("No lasting break") != std::string::npos)
      << reading;
  // Breaks of two kinds within 100 rows are one change seen twice.
  std::size_t changes = 0;
  nlohmann::json last;
  for (const nlohmann::json& found : told["breaks"]) {
    const auto row = [](const nlohmann::json& f) { return f["index"].get<std::size_t>(); };
    if (!last.is_null() && last["kind"] != found["kind"] && row(found) < row(last) + 100) continue;
    last = found;
    ++changes;
  }
  EXPECT_EQ(told["segments"].size(), changes + 1);
  for (const std::string& kind : kinds) EXPECT_THAT(reading, testing::HasSubstr(kind));
  return kinds;
}

// Of mean equations; gives the one that is chosen, or nothing.
inline nlohmann::json verdict_of_means(const nlohmann::json& told) {
  const std::string criterion = told["criterion"];
  const nlohmann::json& candidates = told["candidates"];
  int place = 0;
  double before = -1e300;
  for (const nlohmann::json& c : candidates) {
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
    if (c["white_p"].is_number()) {
      EXPECT_EQ(c["white"], c["white_p"] > .05);
    }
  }
  nlohmann::json want;
  if (candidates.empty() || candidates[0]["place"] != "ranked") {
    EXPECT_TRUE(told["chosen"].is_null());
    return want;
  }
  want = candidates[0]["model"];
  for (const nlohmann::json& c : candidates) {
    if (c["place"] != "ranked" ||
        c[criterion].get<double>() > candidates[0][criterion].get<double>() + 4)
      break;
    if (c["nearest_root"].is_number() && c["nearest_root"] <= 1.02) continue;
    want = c["model"];
    break;
  }
  EXPECT_EQ(told["chosen"], want);
  return want;
}

// Of variance equations: the best by the criterion, or the first close behind it that leaves
// nothing behind.
inline void verdict_of_variances(const nlohmann::json& told) {
  const std::string criterion = told["criterion"];
  const nlohmann::json& candidates = told["candidates"];
  const auto usable = [](const nlohmann::json& c) {
    return (c["status"] == "converged" || c["status"] == "boundary") && c["on_circle"] == false;
  };
  const auto holds = [](const nlohmann::json& p) { return !p.is_number() || p >= .05; };
  nlohmann::json want;
  double first = 0, before = -1e300;
  for (const nlohmann::json& c : candidates) {
    if (!usable(c)) break;
    const double value = c[criterion];
    EXPECT_GE(value, before) << c;
    before = value;
    if (want.is_null()) first = value, want = candidates[0]["model"];
    const bool clean =
        c["white"] == true && c["arch_free"] == true && holds(c["sign_p"]) && holds(c["law_p"]);
    if (!clean || value > first + 10) continue;
    want = c["model"];
    break;
  }
  if (!want.is_null()) {
    EXPECT_EQ(told["chosen"], want);
  }
}

// Of one series of the battery; gives the verdict.
inline std::string verdict_of_unit_roots(const nlohmann::json& told, const nlohmann::json& of) {
  std::map<std::string, bool> rejects;
  double zivot = 1;
  for (const nlohmann::json& t : told["tests"]) {
    if (t["of"] != of["of"]) continue;
    const double p = t["p_value"].is_number() ? t["p_value"].get<double>() : 1;
    rejects[t["test"]] = p < .05;
    if (t["test"] == "zivot-andrews") zivot = p;
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
  const std::string verdict = of["verdict"];
  EXPECT_THAT(want, testing::Contains(verdict)) << of << ": " << of_three << ", kpss " << kpss;
  return verdict;
}

inline void verdict_of_check(const nlohmann::json& told) {
  bool any = false;
  for (const nlohmann::json& q : told["questions"]) {
    const std::string answer = q["answer"], reading = q["reading"];
    any = any || answer == "fails";
    if (answer == "holds") {
      for (const std::size_t t : q["tests"])
        EXPECT_FALSE(told["tests"][t]["reject_5pct"] == true) << q << '\n' << told["tests"][t];
    }
    if (answer == "fails") {
      EXPECT_THAT(told["reading"].get<std::string>(), testing::HasSubstr(reading.substr(0, 30)));
    }
  }
  EXPECT_EQ(any, told["verdict"] != "clean") << told["reading"];
}

// The leader has the lowest criterion of those that may be used.
inline void verdict_of_compare(const nlohmann::json& told) {
  const nlohmann::json* first = nullptr;
  for (const nlohmann::json& m : told["models"])
    if (m["status"] != "failed" && m["bic"].is_number() &&
        (first == nullptr || m["bic"] < (*first)["bic"]))
      first = &m;
  const std::string reading = told["reading"];
  if (first != nullptr && reading.find(" is ahead by bic") != std::string::npos) {
    EXPECT_TRUE(reading.starts_with((*first)["model"].get<std::string>())) << reading;
  }
}

inline void expect_verdict_of(const std::string& command, const nlohmann::json& told) {
  expect_rejections_follow(told);
  if (command == "lags") verdict_of_lags(told);
  if (command == "breaks") verdict_of_breaks(told);
  if (command == "search") {
    if (told["candidates"].at(0).contains("place"))
      verdict_of_means(told);
    else
      verdict_of_variances(told);
  }
  if (command == "unitroot")
    for (const nlohmann::json& of : told["verdicts"]) verdict_of_unit_roots(told, of);
  if (command == "check") verdict_of_check(told);
  if (command == "compare") verdict_of_compare(told);
}

}  // namespace brace::test
