// SPDX-License-Identifier: Apache-2.0
// Relations between runs that must hold whatever the series: the same question in another dress
// gets the same answer. Every command on 200 random series a run, each relation on each series;
// 20,000 in a long run (BRACE_SERIES=2500, a part of eight; docs/reliability.md).
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>

#include "brace/brace.hpp"
#include "relations/parts.hpp"
#include "support/dressed.hpp"
#include "support/in_process.hpp"
#include "support/same_answer.hpp"
#include "support/verdict_rules.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using Words = std::vector<std::string>;

// What is said first follows from the rows below it.
void expect_verdicts_follow(const std::string& command, const Json& answer) {
  if (!answer.is_object()) return;  // a refusal
  if (command != "study") return expect_verdict_of(command, answer["result"]);
  for (const auto& [step, document] : answer["result"].items())
    expect_verdict_of(step, document["result"]);
}

struct Call {
  std::string command;
  Words options;
  bool of_returns = true;   // the answer does not depend on the unit of the prices
  bool on_threads = false;  // work that threads share
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
      {"search",
       {"--returns", "log", "--most-ar", "1", "--most-ma", "1", "--differences", "0"},
       true,
       true},
      {"search",
       {"--returns", "log", "--variance", "garch", "--law", "normal", "--law", "student"},
       true,
       true},
      {"fit", fit},
      {"check", with(fit, {"--outliers"})},
      {"compare", {"--returns", "log", "--model", "const", "--model", "const ar1"}},
      {"forecast", with(fit, {"--horizon", "3", "--draws", "300"}), true, true},
      {"backtest",
       {"--returns", "log", "--model", "const ar1", "--model", "const", "--window", window,
        "--origins", few, "--horizon", "2"},
       true,
       true},
      {"simulate", fit},
      {"batch", with(fit, {"--do", "fit,check"})},
      {"study", {}},
  };
}

// One series as a file in a dress, and what each command says of it.
class Answers {
 public:
  Answers(const MadeRows& made, std::uint64_t number)
      : rows(made), all(calls(rows.size(), number % kKindsOfRows == 4)) {}

  Json ask(const Call& call, const Dress& dress = {}, const Words& more = {}) const {
    Words reading{folder.file("prices.csv", dressed(rows, dress)), "--value", "price"};
    for (const Words& some : {call.options, dress.words(), more})
      reading.insert(reading.end(), some.begin(), some.end());
    if (call.command == "simulate") return of_simulation(reading);
    if (call.command == "batch") return of_batch(reading);
    if (call.command == "study") return of_study(dress);
    reading.insert(reading.begin(), call.command);
    return answer_of(reading);
  }
  MadeRows rows;
  std::vector<Call> all;
  Folder folder;

 private:
  static Json answer_of(Words words) {
    words.emplace_back("--json");
    const Outcome outcome = in_process(words);
    // A fit that must not be used is an answer too.
    if (outcome.status != 0 && outcome.status != 3) return Json(outcome.err);
    const Json all_of_it = Json::parse(outcome.out);
    return {{"series", all_of_it.value("series", Json())},
            {"result", all_of_it["result"]},
            {"warnings", all_of_it["warnings"]}};
  }
  // A series made from the model that is fitted to the file.
  Json of_simulation(Words reading) const {
    const std::string saved = folder / "saved.json";
    reading.insert(reading.begin(), "fit");
    reading.insert(reading.end(), {"--save", saved});
    const Outcome fitted = in_process(reading);
    return fitted.status == 0 ? answer_of({"simulate", saved, "--length", "40"}) : Json(fitted.err);
  }
  // A universe of one: what is told of the run, and the row of the series.
  Json of_batch(Words reading) const {
    const std::string universe = folder / "universe";
    std::filesystem::create_directories(universe);
    std::filesystem::rename(reading[0], universe + "/prices.csv");
    const std::string store = folder / "run.sqlite", table = folder / "run.csv";
    std::filesystem::remove(store);
    reading[0] = universe;
    reading.insert(reading.begin(), "batch");
    reading.insert(reading.end(), {"--store", store, "--out", table});
    Json told = answer_of(reading);
    if (told.is_object()) told["table"] = content_of(table);
    return told;
  }
  // A study of three steps, each with the document that its command would give.
  Json of_study(const Dress& dress) const {
    std::string text = "[series]\nfile = \"prices.csv\"\nvalue = \"price\"\nreturns = \"log\"\n";
    if (dress.decimal_comma) text += "decimal-comma = true\n";
    if (dress.without_missing_rows) text += "absent = \"missing\"\n";
    text += "[lags]\nlags = \"8\"\n[fit]\nmodel = \"const ar1\"\n[check]\n";
    const Json told = answer_of({"study", folder.file("study.toml", text), "--again", "--quiet"});
    if (!told.is_object()) return told;
    Json out;
    for (const Json& chapter : told["result"]["studies"].at(0)["chapters"])
      out[chapter["step"].get<std::string>()] = chapter["document"];
    return {{"result", out}};
  }
};

class EveryCommand : public OnEachSeries {
 protected:
  // What a file, a run and its results say of themselves beside the answer.
  static Alike but_for_the_file() { return {.but = {"file", "notes", "store", "run", "seconds"}}; }
  static std::string first_lines(const std::string& text) {
    return text.substr(0, text.find('\n', text.find('\n') + 1));
  }
  static void same(const Json& a, const Json& b, const Alike& how, const Call& call,
                   const std::string& dress) {
    EXPECT_EQ(difference(a, b, how), "") << call.command << ", " << dress;
  }
};

// Every dress alone and two of several at once. What is read is the same in every digit, so that
// every command is given the same.
TEST_P(EveryCommand, IsGivenTheSameSeriesByEveryDress) {
  static const std::vector<std::pair<std::string, Dress>> dresses{
      {"decimal comma", {.mark = ';', .decimal_comma = true}},
      {"tabs, dates with points", {.mark = '\t', .dates = "{:%d.%m.%Y}"}},
      {"quotes, carriage returns", {.quoted = true, .carriage_returns = true}},
      {"a mark of UTF-8, slashes", {.dates = "{:%Y/%m/%d}", .encoding = Encoding::utf8_with_mark}},
      {"a western encoding", {.encoding = Encoding::western}},
      {"columns turned", {.columns_turned = true}},
      {"a column that is not used", {.unused_column = true}},
      {"newest first", {.newest_first = true}},
      {"spaces and blank lines", {.spaced = true, .blank_lines = true}},
  };
  each([](const MadeRows& rows, std::uint64_t s) {
    const Answers answers(rows, s);
    const Call& inspect = answers.all.front();
    const Json plain = answers.ask(inspect);
    ASSERT_TRUE(plain.is_object()) << plain;
    const auto same_in = [&](const std::string& name, const Dress& dress) {
      same(plain, answers.ask(inspect, dress), but_for_the_file(), inspect, name);
      const Series read =
          read_csv(answers.folder / "prices.csv",
                   {.value = "price",
                    .decimal_comma = dress.decimal_comma,
                    .absent = dress.without_missing_rows ? Absent::missing : Absent::automatic});
      ASSERT_EQ(read.size(), rows.size()) << name;
      for (std::size_t t = 0; t < rows.size(); ++t) {
        EXPECT_EQ(read.times[t], rows.dates[t]) << name << ", row " << t;
        EXPECT_TRUE(read.values[t] == rows.prices[t] ||
                    (std::isnan(read.values[t]) && std::isnan(rows.prices[t])))
            << name << ", row " << t << ": " << read.values[t] << " for " << rows.prices[t];
      }
    };
    for (const auto& [name, dress] : dresses) same_in(name, dress);
    maths::RandomStream stream(kSeed + 2, s);
    for (int i = 0; i < 2; ++i) {
      const Dress dress = any_dress(stream, rows);
      same_in("several at once:\n" + first_lines(dressed(rows, dress)), dress);
    }
  });
}

// One command a series, in turn, in several dresses at once.
TEST_P(EveryCommand, SaysTheSameInAnotherDress) {
  each([](const MadeRows& rows, std::uint64_t s) {
    const Answers answers(rows, s);
    const Call& call = answers.all[(s + s / answers.all.size()) % answers.all.size()];
    const Json plain = answers.ask(call);
    expect_verdicts_follow(call.command, plain);
    maths::RandomStream stream(kSeed + 3, s);
    const Dress dress = any_dress(stream, rows);
    same(plain, answers.ask(call, dress), but_for_the_file(), call,
         "several at once:\n" + first_lines(dressed(rows, dress)));
    if (has_turn(s + 1, 2) && s % kKindsOfRows != 4) {  // weeks do not keep the ends of months
      Alike how = but_for_the_file();
      how.dates = false;
      same(plain, answers.ask(call, {.weeks = 28}), how, call, "28 weeks later");
    }
    if (call.on_threads)
      same(answers.ask(call, {}, {"--threads", "1"}), answers.ask(call, {}, {"--threads", "2"}),
           {.but = {"run", "seconds"}}, call, "threads");
  });
}

TEST_P(EveryCommand, SaysTheSameOfPricesInAnotherUnitUnderLogReturns) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 2)) return;
    const Answers answers(rows, s);
    const Call& call = answers.all[(s / 2 + s / kKindsOfRows) % answers.all.size()];
    if (!call.of_returns) return;
    // Draws of parameters are kept or not by a hair: paths at the estimates have none.
    const Words more = call.command == "forecast" ? Words{"--method", "plug-in"} : Words();
    same(answers.ask(call, {}, more), answers.ask(call, {.times = 1000}, more),
         {.relative = 1e-4,
          .absolute = 1e-6,
          .but = {"file", "notes", "store", "run", "seconds", "original", "evaluations",
                  "iterations", "gradient_norm", "why"}},
         call, "times 1,000");
  });
}

// Rows that are kept back are not there, whatever is asked.
TEST_P(EveryCommand, SaysOfRowsBeforeAHoldOutWhatItSaysOfAFileThatEndsThere) {
  static const std::set<std::string> those{"inspect", "unitroot", "lags",  "season",  "breaks",
                                           "search",  "fit",      "check", "forecast"};
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s + 1, 3)) return;
    constexpr std::size_t kHeldOut = 6;
    MadeRows first = rows;
    first.dates.resize(rows.size() - kHeldOut);
    first.prices.resize(rows.size() - kHeldOut);
    const Answers whole(rows, s), cut(first, s);
    const Call& call = whole.all[(s / 3) % whole.all.size()];
    if (!those.contains(call.command)) return;
    const Json kept = whole.ask(call, {}, {"--hold-out", std::to_string(kHeldOut)});
    Alike how = but_for_the_file();
    how.but.insert(how.but.end(), {"hold_out", "rows_read"});
    if (kept.is_object()) same(kept, cut.ask(call), how, call, "rows held out");
  });
}

void add_tests_of(const Json& told, std::vector<Json>& tests) {
  if (told.is_object() && told.contains("statistic") && told.contains("p_value"))
    tests.push_back(told);
  if (told.is_structured())
    for (const Json& part : told) add_tests_of(part, tests);
}

// Log returns in the place of prices.
MadeRows moves_of(const MadeRows& rows) {
  MadeRows moves = rows;
  for (std::size_t t = rows.size(); t-- > 1;)
    moves.prices[t] = std::log(rows.prices[t] / rows.prices[t - 1]);
  moves.dates.erase(moves.dates.begin());
  moves.prices.erase(moves.prices.begin());
  return moves;
}

// Returns that come in a file are spoken of and judged as those that are taken of prices.
TEST_P(EveryCommand, SaysOfReturnsInAFileWhatItSaysOfThoseItTakes) {
  static const std::set<std::string> those{"inspect", "lags",  "season",  "breaks",   "search",
                                           "fit",     "check", "compare", "forecast", "backtest"};
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s, 3)) return;
    const Answers prices(rows, s), moves(moves_of(rows), s);
    const Call& call = prices.all[(s / 3 + 1) % prices.all.size()];
    if (!those.contains(call.command)) return;
    Call of_moves = call;
    of_moves.options.erase(of_moves.options.begin(),
                           of_moves.options.begin() + 2);  // --returns log
    const Words more = call.command == "forecast" ? Words{"--method", "plug-in"} : Words();
    Words taken = more;
    taken.insert(taken.end(), {"--unit", "decimal"});
    const Json one = prices.ask(call, {}, taken), other = moves.ask(of_moves, {}, more);
    ASSERT_EQ(one.is_object(), other.is_object()) << one << other;
    if (one.is_object())
      same(one["result"], other["result"],
           {.relative = 1e-4,
            .absolute = 1e-6,
            .but = {"file", "original", "of", "reading", "name", "unit", "kind", "evaluations",
                    "iterations", "gradient_norm", "why", "command"}},
           call, "returns in the file");
  });
}

class Statistics : public EveryCommand {
 protected:
  // Those of tests that do not ask for the mean itself, or for signs.
  static void expect_same_tests(const Json& one, const Json& other, const std::string& told) {
    ASSERT_EQ(one.is_object(), other.is_object()) << one << other;
    if (!one.is_object()) return;
    std::vector<Json> a, b;
    add_tests_of(one["result"], a);
    add_tests_of(other["result"], b);
    ASSERT_EQ(a.size(), b.size()) << told;
    for (std::size_t i = 0; i < a.size(); ++i)
      if (a[i]["test"] != "mean-zero" && a[i]["test"] != "directions") {
        // Sums in other numbers, and two climbs that end within 1e-6 standard errors.
        EXPECT_EQ(
            difference({a[i]["statistic"], a[i]["p_value"]}, {b[i]["statistic"], b[i]["p_value"]},
                       {.relative = 1e-4, .absolute = 1e-6}),
            "")
            << told << ": " << a[i];
      }
  }
};

// Whatever the values measure: statistics have no unit.
TEST_P(Statistics, AreTheSameInEveryUnit) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s + 1, 2)) return;
    const MadeRows moves = moves_of(rows);
    const Answers answers(moves, s);
    const Call calls[] = {{"inspect", {}},
                          {"unitroot", {}},
                          {"lags", {"--lags", "8"}},
                          {"season", {"--period", "5"}},
                          {"breaks", {}},
                          {"backtest",
                           {"--model", "const ar1", "--model", "const", "--window",
                            std::to_string(moves.size() - 20)}},
                          {"check", {"--model", "const / garch"}}};
    const Call& call = calls[s / 2 % std::size(calls)];
    const Json one = answers.ask(call);
    for (const double unit : {1e-9, 1e9})
      expect_same_tests(one, answers.ask(call, {.times = unit}),
                        fmt::format("{} in units of {}", call.command, unit));
  });
}

// What is asked of moves around a mean does not depend on it.
TEST_P(Statistics, AreTheSameAroundAnyMean) {
  each([](const MadeRows& rows, std::uint64_t s) {
    if (!has_turn(s + 1, 2)) return;
    MadeRows moves = moves_of(rows);
    const Answers answers(moves, s);
    for (double& x : moves.prices) x += 1;  // some hundred standard deviations
    const Answers shifted(moves, s);
    const Call calls[] = {{"inspect", {}},
                          {"lags", {"--lags", "8"}},
                          {"lags", {"--lags", "8", "--of", "squares"}},
                          {"breaks", {}},
                          {"check", {"--model", "const ar1 / garch"}},
                          {"backtest",
                           {"--model", "const ar1", "--model", "const", "--window",
                            std::to_string(moves.size() - 20)}}};
    const Call& call = calls[s / 2 % std::size(calls)];
    const Json one = answers.ask(call), other = shifted.ask(call);
    expect_same_tests(one, other, call.command + " of values near 1");
    if (!one.is_object()) return;
    const Alike how{.relative = 1e-4, .absolute = 1e-6};
    EXPECT_EQ(difference(one["result"].value("leverage_p", Json()),
                         other["result"].value("leverage_p", Json()), how),
              "");
    if (call.command == "lags") {
      EXPECT_EQ(difference(one["result"]["lags"], other["result"]["lags"], how), "");
    }
    if (call.command == "backtest") {
      for (std::size_t m = 0; m < one["result"]["models"].size(); ++m)
        EXPECT_EQ(difference(one["result"]["models"][m]["steps"][0]["volatility"],
                             other["result"]["models"][m]["steps"][0]["volatility"], how),
                  "");
    }
  });
}

INSTANTIATE_TEST_SUITE_P(Part, EveryCommand, testing::Range<std::uint64_t>(0, kParts));
INSTANTIATE_TEST_SUITE_P(Part, Statistics, testing::Range<std::uint64_t>(0, kParts));

}  // namespace
}  // namespace brace::test
