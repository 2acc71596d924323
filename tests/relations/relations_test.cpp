// SPDX-License-Identifier: Apache-2.0
// Relations between runs that must hold whatever the series: the same question in another dress
// gets the same answer. Every command on 200 random series a run, each relation on each series;
// 20,000 in a long run (BRACE_SERIES=2500, a part of eight; docs/reliability.md).
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <map>
#include <nlohmann/json.hpp>

#include "brace/brace.hpp"
#include "relations/parts.hpp"
#include "support/dressed.hpp"
#include "support/in_process.hpp"
#include "support/same_answer.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using Words = std::vector<std::string>;
struct Call {
  std::string command;
  Words options;
  bool of_returns = true;  // the answer does not depend on the unit of the prices
};

// Every command that reads a series, small enough for hundreds of runs.
std::vector<Call> calls(std::size_t rows, bool monthly) {
  const std::string window = std::to_string(rows > 100 ? rows - 40 : 50),
                    few = rows > 100 ? "12" : "4";
  const Words fit{"--returns", "log", "--model",
                  rows > 100 ? "const ar1 / garch / student" : "const ar1"};
  const auto with = [](Words a, const Words& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
  };
  return {
      {"inspect", {"--returns", "log"}},
      {"unitroot", {"--returns", "log"}, false},
      {"lags", {"--returns", "log", "--lags", "8"}},
      {"season", {"--returns", "log", "--period", monthly ? "12" : "5"}},
      {"breaks", {"--returns", "log"}},
      {"search", {"--returns", "log", "--most-ar", "1", "--most-ma", "1", "--differences", "0"}},
      {"search",
       {"--returns", "log", "--variance", "garch", "--law", "normal", "--law", "student"}},
      {"fit", fit},
      {"check", with(fit, {"--outliers"})},
      {"compare", {"--returns", "log", "--model", "const", "--model", "const ar1"}},
      {"forecast", with(fit, {"--horizon", "3", "--draws", "300"})},
      {"backtest",
       {"--returns", "log", "--model", "const ar1", "--model", "const", "--window", window,
        "--origins", few, "--horizon", "2"}},
  };
}

// One series as a file, and what each command says of it.
class Answers {
 public:
  Answers(const MadeRows& made, std::uint64_t number)
      : rows(made), all(calls(rows.size(), number % kKindsOfRows == 4)) {}

  Json ask(const Call& call, const Dress& dress = {}, const Words& more = {}) const {
    Words words{call.command, folder.file("prices.csv", dressed(rows, dress)), "--value", "price"};
    for (const Words& some : {call.options, dress.words(), more})
      words.insert(words.end(), some.begin(), some.end());
    words.emplace_back("--json");
    const Outcome outcome = in_process(words);
    // A fit that must not be used is an answer too.
    if (outcome.status != 0 && outcome.status != 3) return Json(outcome.err);
    const Json all_of_it = Json::parse(outcome.out);
    return {{"series", all_of_it["series"]},
            {"result", all_of_it["result"]},
            {"warnings", all_of_it["warnings"]}};
  }
  const Json& plain(std::size_t call) {
    const auto [at, is_new] = plain_.try_emplace(call);
    if (is_new) at->second = ask(all[call]);
    return at->second;
  }

  MadeRows rows;
  std::vector<Call> all;
  Folder folder;

 private:
  std::map<std::size_t, Json> plain_;
};

// What a file says of itself beside its series.
const Words kOfTheFile{"file", "notes"};

class EveryCommand : public OnEachSeries {
 protected:
  static void each(const std::function<void(Answers&, std::uint64_t)>& test) {
    OnEachSeries::each([&](const MadeRows& rows, std::uint64_t s) {
      Answers answers(rows, s);
      test(answers, s);
    });
  }
  static void same(const Json& a, const Json& b, const Alike& how, const Call& call,
                   const std::string& dress) {
    EXPECT_EQ(difference(a, b, how), "") << call.command << ", " << dress;
  }
};

TEST_P(EveryCommand, SaysTheSameOfAFileInAnotherDress) {
  static const std::vector<std::pair<std::string, Dress>> dresses{
      {"decimal comma", {.mark = ';', .decimal_comma = true}},
      {"tabs, dates with points", {.mark = '\t', .dates = "{:%d.%m.%Y}"}},
      {"quotes, carriage returns", {.quoted = true, .carriage_returns = true}},
      {"a mark of UTF-8, slashes", {.dates = "{:%Y/%m/%d}", .encoding = Encoding::utf8_with_mark}},
      {"a western encoding", {.encoding = Encoding::western}},
      {"columns turned", {.columns_turned = true}},
      {"a column that is not used", {.unused_column = true}},
      {"newest first", {.newest_first = true}},
  };
  each([&](Answers& answers, std::uint64_t s) {
    for (std::size_t d = 0; d < dresses.size(); ++d) {
      if (!has_turn(s + d, 4)) continue;
      const std::size_t at = (s / 4 + d) % answers.all.size();
      const Json other = answers.ask(answers.all[at], dresses[d].second);
      same(answers.plain(at), other, {.but = kOfTheFile}, answers.all[at], dresses[d].first);
    }
  });
}

TEST_P(EveryCommand, SaysTheSameOfPricesInAnotherUnitUnderLogReturns) {
  each([&](Answers& answers, std::uint64_t s) {
    if (!has_turn(s, 2)) return;
    const std::size_t at = (s + s / kKindsOfRows) % answers.all.size();
    if (!answers.all[at].of_returns) return;
    // Draws of parameters are kept or not by a hair: paths at the estimates have none.
    const Words more =
        answers.all[at].command == "forecast" ? Words{"--method", "plug-in"} : Words();
    same(
        answers.ask(answers.all[at], {}, more), answers.ask(answers.all[at], {.times = 1000}, more),
        {.relative = 1e-4,
         .absolute = 1e-6,
         .but = {"file", "notes", "original", "evaluations", "iterations", "gradient_norm", "why"}},
        answers.all[at], "times 1,000");
  });
}

TEST_P(EveryCommand, SaysTheSameOfDatesWeeksLater) {
  each([&](Answers& answers, std::uint64_t s) {
    if (!has_turn(s + 1, 2)) return;
    if (s % kKindsOfRows == 4) return;  // weeks do not keep the ends of months
    const std::size_t at = (s + s / kKindsOfRows + 3) % answers.all.size();
    const Json other = answers.ask(answers.all[at], {.weeks = 28});
    same(answers.plain(at), other, {.but = kOfTheFile, .dates = false}, answers.all[at],
         "28 weeks later");
  });
}

TEST_P(EveryCommand, SaysTheSameOfRowsThatAreAbsentOrBlank) {
  each([&](Answers& answers, std::uint64_t s) {
    if (s % kKindsOfRows != 2) return;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t at = (s / kKindsOfRows + k * 4) % answers.all.size();
      const Json other = answers.ask(answers.all[at], {.without_missing_rows = true});
      same(answers.plain(at), other, {.but = kOfTheFile}, answers.all[at], "absent rows");
    }
  });
}

TEST_P(EveryCommand, SaysTheSameOnOneThreadAndOnTwo) {
  each([&](Answers& answers, std::uint64_t s) {
    if (!has_turn(s, 3)) return;
    static const std::vector<std::size_t> threaded{5, 6, 10, 11};
    const std::size_t at = threaded[s % threaded.size()];
    same(answers.ask(answers.all[at], {}, {"--threads", "1"}),
         answers.ask(answers.all[at], {}, {"--threads", "2"}), {}, answers.all[at], "threads");
  });
}

INSTANTIATE_TEST_SUITE_P(Part, EveryCommand, testing::Range<std::uint64_t>(0, kParts));

}  // namespace
}  // namespace brace::test
