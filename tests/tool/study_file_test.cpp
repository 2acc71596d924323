// SPDX-License-Identifier: Apache-2.0
// Study files: they say what a command line says, and what they cannot say is refused with its
// place and the mend.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "brace/maths/random.hpp"
#include "brace/series/calendar.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;

const std::string kData = BRACE_SOURCE_DIR "/data/";

// The words of a line, quotes taken away.
std::vector<std::string> words_of(const std::string& line) {
  std::vector<std::string> words;
  std::string word;
  bool quoted = false, any = false;
  for (const char c : line + " ") {
    if (c == '\'') {
      quoted = !quoted;
      any = true;
    } else if (c == ' ' && !quoted) {
      if (any) words.push_back(word);
      word.clear();
      any = false;
    } else {
      word += c;
      any = true;
    }
  }
  return words;
}

std::string toml_of(const std::string& word) {
  char* end = nullptr;
  (void)std::strtod(word.c_str(), &end);
  const bool number = *end == '\0' && word.find_first_of("xXnN") == std::string::npos;
  // TOML wants a digit before the point.
  return number ? (word[0] == '.' ? "0" : "") + word : "\"" + word + "\"";
}

// The study that says what the words of a command line say, all in the command's own table.
std::string study_of(const std::vector<std::string>& words) {
  std::vector<std::pair<std::string, std::vector<std::string>>> given;
  std::string file;
  for (std::size_t i = 1; i < words.size(); ++i) {
    if (!words[i].starts_with("--")) {
      if (given.empty() || !given.back().second.empty() || i == 1)
        file = words[i];
      else
        given.back().second.push_back(words[i]);
      continue;
    }
    given.emplace_back(words[i].substr(2), std::vector<std::string>{});
  }
  std::map<std::string, std::vector<std::string>> keys;
  for (const auto& [name, values] : given) {
    auto& all = keys[name];
    all.insert(all.end(), values.begin(), values.end());
  }
  std::string out = "[series]\nfile = \"" + file + "\"\n[" + words[0] + "]\n";
  for (const auto& [name, values] : keys) {
    if (name == "json" || name == "quiet") continue;
    out += name + " = ";
    if (values.empty()) out += "true";
    if (values.size() == 1) out += toml_of(values[0]);
    if (values.size() > 1) {
      out += "[";
      for (const std::string& v : values) out += toml_of(v) + ", ";
      out += "]";
    }
    out += "\n";
  }
  return out;
}

// Command lines as tests/golden has them, and those whose options it leaves out.
std::vector<std::string> command_lines() {
  std::istringstream text(content_of(BRACE_SOURCE_DIR "/tests/golden/commands.txt"));
  std::vector<std::string> lines;
  for (std::string line; std::getline(text, line);) {
    // What is said must agree, not be of every row.
    if (line.find("--variance all") != std::string::npos) line += " --rows 1..300";
    lines.push_back(line);
  }
  const std::string kelp = "data/kelp-fibre.csv --value settle --drop-zero volume";
  for (const std::string& line : std::vector<std::string>{
           "inspect " + kelp +
               " --returns log --from 2018-01-01 --to 2022-12-30 --missing -9,n.a. "
               "--unit decimal --test ljung-box,arch-lm --lags 7",
           "inspect " + kelp +
               " --returns simple --rows 100..1500 --every business-day --absent keep",
           "unitroot " + kelp +
               " --deterministic trend --lags 4 --bandwidth 6 --seed 3 --periods 2,4",
           "lags " + kelp + " --returns log --of squares --lags 1,5,12 --band widening",
           "breaks " + kelp + " --returns log --test sup-f --trim .2 --at 2019-05-07",
           "season data/lamp-oil.csv --period 12 --method averages --form multiplicative",
           "fit " + kelp +
               " --returns log --model 'const / garch / student' --fix nu=6 --errors opg",
           "fit " + kelp + " --returns log --model 'const / garch' --target-variance",
           "fit " + kelp + " --returns log --model 'const ar1' --likelihood conditional --starts 3",
           "check " + kelp + " --returns log --model 'const / garch' --lags 8 --outliers",
           "forecast " + kelp +
               " --returns log --model 'const / garch' --horizon 3 --intervals 80,90 "
               "--method plug-in --tails 2,10 --draws 500 --seed 9",
           "backtest " + kelp +
               " --returns log --model 'const / garch' --model 'const' --window 800 "
               "--origins 40 --refit-every 20 --expanding --baseline mean"})
    lines.push_back(line);
  return lines;
}

class StudySays : public testing::TestWithParam<std::string> {};

TEST_P(StudySays, WhatTheCommandLineSays) {
  std::string line = GetParam();
  for (std::size_t at = 0; (at = line.find("data/", at)) != std::string::npos; at += kData.size())
    line.replace(at, 5, kData);
  const std::vector<std::string> words = words_of(line);
  const Folder folder;
  const Outcome typed = brace(line + (line.find("--json") == std::string::npos ? " --json" : ""));
  const std::string study = folder.file("s.toml", study_of(words));
  const Outcome told = brace(words[0] + " --study " + study + " --json");
  EXPECT_EQ(told.status, typed.status) << told.err << content_of(study);
  EXPECT_EQ(told.out, typed.out) << content_of(study);
  EXPECT_EQ(told.err, typed.err);
}

INSTANTIATE_TEST_SUITE_P(Lines, StudySays, testing::ValuesIn(command_lines()));

// No option of a step is without its key.
TEST(StudyFile, HasAKeyForEveryOption) {
  const Folder folder;
  for (const std::string step : {"inspect", "unitroot", "lags", "season", "breaks", "search", "fit",
                                 "check", "compare", "forecast", "backtest"}) {
    std::istringstream help(brace(step + " --help all").out);
    int options = 0;
    for (std::string line; std::getline(help, line);) {
      const auto at = line.find_first_not_of(' ');
      if (at == std::string::npos || line.compare(at, 2, "--") != 0) continue;
      const std::string name = line.substr(at + 2, line.find_first_of(" ,", at) - at - 2);
      if (name == "help" || name == "json" || name == "quiet" || name == "study" ||
          name == "report")
        continue;
      ++options;
      const std::string study = folder.file("s.toml", "[" + step + "]\n" + name + " = {a = 1}\n");
      EXPECT_THAT(
          brace("study " + study).err,
          HasSubstr("line 2, column " + std::to_string(name.size() + 4) + ": " + name + " takes "))
          << step;
    }
    EXPECT_GT(options, 15) << step;
  }
}

TEST(StudyFile, RefusesWhatItCannotMeanWithItsPlaceAndTheMend) {
  const Folder folder;
  struct Case {
    const char *text, *says;
  };
  for (const Case& c : {
           Case{"[forecast]\nhorzion = 5\n",
                "line 2, column 1: 'horzion' is not a key of [forecast]; did you mean horizon?"},
           Case{"[forcast]\nhorizon = 5\n",
                "line 1, column 2: 'forcast' is neither a step of the "
                "job nor [series] or [study]; did you mean forecast?"},
           Case{"[forecast]\nhorizon = \"five\"\n",
                "line 2, column 11: horizon takes a whole number, not text"},
           Case{"[search]\nmost-ar = 99\n", "line 2, column 11: most-ar 99: must lie between"},
           Case{"[forecast]\nhorizon = 5.5\n", "horizon takes a whole number, not a number"},
           Case{"[forecast]\nhorizon = [5, 6]\n", "horizon takes a whole number, not a list"},
           Case{"[forecast]\nmethod = \"best\"\n", "line 2, column 10: method best: is none of "},
           Case{"[forecast]\nintervals = [50, true]\n",
                "line 2, column 18: intervals takes a number or a list of it, not true or false"},
           Case{"[series]\nvalue = \"\"\n", "value is empty; leave the key out"},
           Case{"[series]\nmissing = []\n", "missing is an empty list; leave the key out"},
           Case{"[series]\ndecimal-comma = \"yes\"\n",
                "decimal-comma takes true or false, not text"},
           Case{"[series]\nhorizon = 5\n", "'horizon' is not a key of [series]"},
           Case{"horizon = 5\n", "'horizon' is neither a step"},
           Case{"forecast = 5\n", "'forecast' is a table: write [forecast] on a line of its own"},
           Case{"[forecast\nhorizon = 5\n", "line 1, column "},
           Case{"[forecast]\nhorizon = 5\nhorizon = 6\n", "line 3, column "},
           Case{"[study]\nleave-out = [\"lag\"]\n", "leave-out lag: is none of "},
       }) {
    const std::string study = folder.file("s.toml", c.text);
    const Outcome out = brace("study " + study);
    EXPECT_EQ(out.status, 2) << c.text;
    EXPECT_THAT(out.err, HasSubstr(study + ": line ")) << c.text;
    EXPECT_THAT(out.err, HasSubstr(c.says)) << c.text;
    EXPECT_EQ(std::count(out.err.begin(), out.err.end(), '\n'), 1) << out.err;
    EXPECT_EQ(folder.entries(), 1U) << "nothing is written: " << c.text;
    // The same file refuses beside a command.
    EXPECT_EQ(brace("forecast --study " + study).err, out.err) << c.text;
  }
}

TEST(StudyFile, OptionsTypedWinAndNextLinesUseIt) {
  const Folder folder;
  const std::string study =
      folder.file("kelp.toml", "[series]\nfile = \"" + kData +
                                   "kelp-fibre.csv\"\nvalue = \"settle\"\ndrop-zero = \"volume\"\n"
                                   "returns = \"log\"\n[fit]\nmodel = \"const / garch / student\"\n"
                                   "[forecast]\nhorizon = 20\ntails = [1]\n");
  const auto result = [](const Outcome& out) { return Json::parse(out.out)["result"]; };
  EXPECT_EQ(result(brace("forecast --study " + study + " --json"))["steps"].size(), 20U);
  EXPECT_EQ(result(brace("forecast --study " + study + " --horizon 5 --json"))["steps"].size(), 5U);
  EXPECT_EQ(result(brace("fit --study " + study + " --model 'const / gjr' --json"))["model"],
            "const / gjr e1 h1 / normal");
  // Where a file is typed the study's is left.
  EXPECT_THAT(
      brace("inspect data/lamp-oil.csv --value price --study " + study + " --drop-zero price").out,
      HasSubstr("price"));
  const Outcome fit = brace("fit --study " + study + " --from 2018-01-01");
  EXPECT_THAT(fit.out, HasSubstr("Next: brace check --study " + study + " --from 2018-01-01 "));
  const std::size_t at = fit.out.find("Next: brace ") + 12;
  EXPECT_EQ(brace(fit.out.substr(at, fit.out.find('\n', at) - at)).status, 0)
      << "what it advises can be typed";
}

// What --start writes is a study that runs, whatever the level is.
TEST(StudyFile, StartedOnesRun) {
  const Folder folder;
  for (const bool crosses_zero : {false, true}) {
    maths::RandomStream random(5, crosses_zero ? 1 : 0);
    std::string csv = "date,level\n";
    double walk = 0;
    for (const Timestamp day : dates_after(*parse_date("2021-01-04"), Clock::business_day, 400)) {
      walk += random.normal();
      csv += fmt::format("{},{:.5f}\n", format_date(day),
                         crosses_zero ? walk : 100 * std::exp(walk / 100));
    }
    const std::string file = folder.file("level.csv", csv);
    const Outcome started = brace("study --start " + file);
    ASSERT_EQ(started.status, 0) << started.err;
    EXPECT_THAT(started.out,
                HasSubstr(crosses_zero ? "\ntransform = \"diff1\"\n" : "\nreturns = \"log\"\n"));
    const Outcome studied = brace("study " + folder.file("level.toml", started.out));
    EXPECT_EQ(studied.status, 0) << started.out << studied.err;
    EXPECT_THAT(studied.out, testing::Not(HasSubstr("Not run")));
  }
}

TEST(StudyFile, PathsAreThoseOfItsFolder) {
  const Folder folder;
  std::filesystem::create_directories(folder / "desk/rows");
  std::filesystem::copy_file(kData + "lamp-oil.csv", folder / "desk/rows/oil.csv");
  std::ofstream(folder / "desk/oil.toml")
      << "[series]\nfile = \"rows/oil.csv\"\n[lags]\nout = \"lags.csv\"\n";
  EXPECT_EQ(brace("lags --study " + (folder / "desk/oil.toml")).status, 0);
  EXPECT_GT(content_of(folder / "desk/lags.csv").size(), 100U);
}

}  // namespace
}  // namespace brace::test
