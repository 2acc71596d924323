// SPDX-License-Identifier: Apache-2.0
// Relations between runs that must hold whatever the series: the same question in another dress
// gets the same answer. Every command on 200 random series a run, each relation on each series;
// 20,000 in a long run (BRACE_SERIES=2500, a part of eight; docs/reliability.md).
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>

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

INSTANTIATE_TEST_SUITE_P(Part, EveryCommand, testing::Range<std::uint64_t>(0, kParts));

}  // namespace
}  // namespace brace::test
