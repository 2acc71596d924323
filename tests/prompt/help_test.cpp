// SPDX-License-Identifier: Apache-2.0
// Help, topics and the terminal: widths, weight, pagers.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <regex>
#include <set>
#include <sstream>

#include "support/command_table.hpp"

namespace brace::test {
namespace {

using testing::HasSubstr;
using testing::Not;

// On a terminal of that size; `environment` before the call.
std::string on_terminal(const std::string& arguments, int columns, int rows = 400,
                        const std::string& environment = "") {
  std::string seen =
      run("script -qec \"stty cols " + std::to_string(columns) + " rows " + std::to_string(rows) +
          "; " + environment + " '" BRACE_TOOL "' " + arguments + "\" /dev/null")
          .out;
  std::erase(seen, '\r');
  return seen;
}

std::vector<std::string> lines_of(const std::string& text) {
  std::istringstream in(text);
  std::vector<std::string> out;
  for (std::string line; std::getline(in, line);) out.push_back(line);
  return out;
}

std::size_t columns_of(const std::string& line) {
  const std::string plain = std::regex_replace(line, std::regex("\033\\[[0-9;]*m"), "");
  return static_cast<std::size_t>(std::count_if(plain.begin(), plain.end(), [](char c) {
    return (static_cast<unsigned char>(c) & 0xc0) != 0x80;
  }));
}

std::string without_blanks(std::string text) {
  std::erase_if(text, [](char c) { return c == ' ' || c == '\n'; });
  return text;
}

// The word that asks for a group of options asks for one.
TEST(Help, NamesEachGroupOfOptionsOnce) {
  for (const auto& c : command_table()) {
    const std::string name = c["name"],
                      told =
                          run(std::string(BRACE_TOOL) + " " + name + " --help no-such-group").err;
    const std::size_t from = told.find("there are ");
    if (from == std::string::npos) continue;  // without groups
    std::istringstream words(told.substr(from + 10));
    std::set<std::string> seen;
    for (std::string word; words >> word;) {
      if (word.ends_with(',')) word.pop_back();
      EXPECT_TRUE(seen.insert(word).second) << name << ": " << told;
    }
    EXPECT_TRUE(seen.contains("all")) << told;
  }
}

TEST(Help, OfEachCommandFitsTwoScreensAtAnyWidth) {
  for (const auto& c : command_table())
    for (const int width : {60, 80, 160}) {
      const std::string name = c["name"], seen = on_terminal(name + " --help", width);
      const auto lines = lines_of(seen);
      EXPECT_LE(lines.size(), 48U) << name << " at " << width << ":\n" << seen;
      for (const std::string& line : lines)
        // What stands in quotes is one word of the shell.
        if (line.find('\'') == std::string::npos) {
          EXPECT_LE(columns_of(line), static_cast<std::size_t>(std::min(width, 100)))
              << name << " at " << width << ": " << line;
        }
      EXPECT_THAT(seen, HasSubstr("man brace-" + name));
    }
}

TEST(Help, NamesEveryOptionAndShowsItWhole) {
  for (const auto& c : command_table()) {
    const std::string name = c["name"], first = brace(name + " --help").out,
                      all = without_blanks(brace(name + " --help all").out);
    for (const auto& o : c["options"]) {
      const std::string option = o["name"];
      if (option.starts_with("--")) {
        EXPECT_THAT(first, HasSubstr(option)) << name;
      }
      EXPECT_THAT(all, HasSubstr(without_blanks(o["what"]))) << name << " " << option;
    }
  }
}

TEST(Help, ShowsAGroupAndKnowsNoOther) {
  const Outcome reading = brace("fit --help reading");
  EXPECT_EQ(reading.status, 0);
  EXPECT_THAT(reading.out, HasSubstr("--drop-flat"));
  EXPECT_THAT(reading.out, Not(HasSubstr("--model")));
  const Outcome wrong = brace("fit --help raeding");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("did you mean 'reading'?"));
  EXPECT_EQ(brace("help fit").out, brace("fit --help").out);
  EXPECT_EQ(brace("fit -h").out, brace("fit --help").out);
}

TEST(Help, AWordAloneOffersTheDemo) {
  const Outcome alone = brace("");
  EXPECT_EQ(alone.status, 0);
  EXPECT_THAT(alone.out, HasSubstr("brace demo"));
  EXPECT_THAT(brace("--help").out, HasSubstr("Commands, in the order of the job"));
  EXPECT_THAT(brace("--version").out, testing::MatchesRegex("brace [0-9]+\\.[0-9]+\\.[0-9]+\n"));
}

TEST(Help, ExplainsTopics) {
  for (const char* topic : {"files", "model-line", "verdicts", "warnings"}) {
    for (const int width : {60, 160})
      for (const std::string& line : lines_of(on_terminal(std::string("help ") + topic, width)))
        // What stands in a program's own lines is not broken.
        if (!line.starts_with("    ")) {
          EXPECT_LE(columns_of(line), static_cast<std::size_t>(std::min(width, 100))) << topic;
        }
    EXPECT_THAT(brace("help").out, HasSubstr(topic));
    EXPECT_THAT(brace(std::string("help ") + topic).out, Not(HasSubstr("](")));
  }
  EXPECT_THAT(brace("help verdicts check").out, HasSubstr("asymmetry-left"));
  EXPECT_THAT(brace("help verdicts check").out, Not(HasSubstr("break-stationary")));
  const Outcome wrong = brace("help modle-line");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("did you mean 'model-line'?"));
}

TEST(Help, ExplainsEveryCode) {
  const std::string page = content_of(BRACE_SOURCE_DIR "/docs/warnings.md");
  const std::regex code(R"re((?:\n\*\*([a-z-]+)\*\*|\n\| `([a-z-]+)` \|))re");
  int codes = 0;
  for (std::sregex_iterator it(page.begin(), page.end(), code), end; it != end; ++it, ++codes) {
    const std::string name = (*it)[1].matched ? (*it)[1] : (*it)[2];
    const Outcome told = brace("help warnings " + name);
    EXPECT_EQ(told.status, 0) << name;
    EXPECT_TRUE(told.out.starts_with(name + ":")) << told.out;
  }
  EXPECT_GE(codes, 40);
  const Outcome wrong = brace("help warnings few-drawz");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("did you mean 'few-draws'?"));
}

TEST(Terminal, WeightIsForTerminalsThatWantIt) {
  EXPECT_THAT(on_terminal("fit --help", 80, 400, "TERM=xterm"), HasSubstr("\033[1m"));
  EXPECT_THAT(on_terminal("fit --help", 80, 400, "TERM=xterm NO_COLOR=1"), Not(HasSubstr("\033")));
  EXPECT_THAT(on_terminal("fit --help", 80, 400, "TERM=dumb"), Not(HasSubstr("\033")));
  EXPECT_THAT(brace("fit --help").out, Not(HasSubstr("\033")));
}

TEST(Terminal, LongTextsGoThroughThePager) {
  const std::string marks = "PAGER='sed s/^/~/'";
  for (const std::string& line : lines_of(on_terminal("help warnings", 80, 24, marks)))
    EXPECT_TRUE(line.starts_with("~")) << line;
  EXPECT_THAT(on_terminal("help warnings", 80, 400, marks), Not(HasSubstr("~"))) << "it fits";
  EXPECT_THAT(on_terminal("help warnings", 80, 24, "PAGER="), HasSubstr("few-draws"));
  EXPECT_THAT(on_terminal("help warnings", 80, 24, "PAGER=no-such-pager"), HasSubstr("few-draws"));
  // A reader who leaves early is no error.
  EXPECT_THAT(on_terminal("help warnings", 80, 24, "PAGER='head -1'"),
              testing::MatchesRegex(".{0,12}Warnings and errors.{0,12}\n"));
}

// The words are the same; lines that are too long go on below.
TEST(Terminal, ResultsFitNarrowTerminals) {
  const std::string call = "inspect " + kKelpReturns, wide = on_terminal(call, 160);
  EXPECT_EQ(wide, brace(call).out);
  for (const int width : {60, 80}) {
    const std::string narrow = on_terminal(call, width);
    EXPECT_EQ(without_blanks(narrow), without_blanks(wide));
    for (const std::string& line : lines_of(narrow))
      EXPECT_LE(columns_of(line), static_cast<std::size_t>(width)) << line;
  }
  EXPECT_EQ(on_terminal("fit " + kKelpReturns + " --model const --json", 60),
            brace("fit " + kKelpReturns + " --model const --json").out)
      << "what programs read is not broken";
}

// Whatever takes more than a second says so, and what it says is gone when the result comes.
TEST(Terminal, LongWorkIsNotSilent) {
  const Folder folder;
  const std::string call =
      "simulate --model 'const mu=0 / garch omega=.02 alpha1=.08 beta1=.9' "
      "--length 1200000 --out " +
      (folder / "made.csv");
  const std::string seen = on_terminal(call, 80);
  EXPECT_THAT(seen, HasSubstr("simulate: 1 s"));
  EXPECT_THAT(seen, HasSubstr("\033[K"));
  EXPECT_THAT(on_terminal(call + " --quiet", 80), Not(HasSubstr("simulate:")));
  EXPECT_THAT(brace(call).err, Not(HasSubstr("simulate:"))) << "no terminal";
}

TEST(Help, EveryCommandSpeaksJson) {
  for (const auto& c : command_table()) {
    bool found = false;
    for (const auto& o : c["options"]) found = found || o["name"] == "--json";
    EXPECT_TRUE(found) << c["name"];
  }
}

}  // namespace
}  // namespace brace::test
