// SPDX-License-Identifier: Apache-2.0
// What the shells offer, asked of the tool and typed at the shells themselves.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sstream>

#include "support/run.hpp"

namespace brace::test {
namespace {

using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::Not;

constexpr const char* kScripts = BRACE_SOURCE_DIR "/apps/brace/prompt/completion/";

// Without what stands after a tab.
std::vector<std::string> offered(const std::string& words) {
  std::istringstream lines(brace("offer -- " + words).out);
  std::vector<std::string> out;
  for (std::string line; std::getline(lines, line);) out.push_back(line.substr(0, line.find('\t')));
  return out;
}

TEST(Completion, OffersCommandsByTheirBeginning) {
  EXPECT_THAT(offered("fo"), ElementsAre("forecast"));
  EXPECT_THAT(offered("''"), Contains("inspect"));
  EXPECT_THAT(offered("''"), Contains("batch"));
  EXPECT_THAT(offered("--v"), ElementsAre("--version"));
  EXPECT_THAT(offered("nonsense ''"), ElementsAre());
}

TEST(Completion, OffersEachOptionOnceAndThoseThatRepeatAgain) {
  EXPECT_THAT(offered("fit data/kelp-fibre.csv --val"), ElementsAre("--value"));
  EXPECT_THAT(offered("fit data/kelp-fibre.csv --value settle --val"), ElementsAre());
  EXPECT_THAT(offered("fit data/kelp-fibre.csv --where a=b --whe"), ElementsAre("--where"));
  EXPECT_THAT(offered("demo --ret"), ElementsAre()) << "demo reads no series";
}

TEST(Completion, OffersTheWordsOfClosedSets) {
  EXPECT_THAT(offered("fit f --returns ''"), ElementsAre("log", "simple", "none"));
  EXPECT_THAT(offered("fit f --returns=s"), ElementsAre("--returns=simple"));
  EXPECT_THAT(offered("forecast f --method r"), ElementsAre("resampled", "refit"));
  EXPECT_THAT(offered("batch f --do fit,ch"), ElementsAre("fit,check"));
}

TEST(Completion, OffersTheColumnsOfTheFileAlreadyTyped) {
  EXPECT_THAT(offered("fit data/kelp-fibre.csv --value ''"),
              ElementsAre("date", "open", "high", "low", "settle", "volume"));
  EXPECT_THAT(offered("inspect --drop-zero vol data/kelp-fibre.csv --value s"),
              ElementsAre("settle"))
      << "a value is no file";
  EXPECT_THAT(offered("fit data/exchange.csv --where ''"),
              ElementsAre("symbol=", "date=", "price=", "<more>"));
  EXPECT_THAT(offered("inspect data/kelp-fibre.csv --roles open=open,h"),
              ElementsAre("open=open,high=", "<more>"));
  EXPECT_THAT(offered("fit no-such-file.csv --value ''"), ElementsAre());
  const Folder folder;
  EXPECT_THAT(offered("fit '" + folder.file("odd.csv", "day;open interest\n2020-01-01;1\n") +
                      "' --value o"),
              ElementsAre("open interest"));
  EXPECT_THAT(offered("fit '" + folder.file("empty.csv", "") + "' --value ''"), ElementsAre());
}

TEST(Completion, OffersTheTermsOfAModelLine) {
  EXPECT_THAT(offered("fit f --model 'const a'"), ElementsAre("const ar1", "<more>"));
  EXPECT_THAT(offered("fit f --model 'const / ga'"), ElementsAre("const / garch", "<more>"));
  EXPECT_THAT(offered("fit f --model 'const / garch e'"),
              ElementsAre("const / garch e1", "<more>"));
  EXPECT_THAT(offered("fit f --model 'const / garch / s'"),
              ElementsAre("const / garch / student", "const / garch / skew-student", "<more>"));
  EXPECT_THAT(offered("fit data/kelp-fibre.csv --model 'const with v'"),
              ElementsAre("const with volume", "<more>"));
}

TEST(Completion, OffersTopicsGroupsAndCodes) {
  EXPECT_THAT(offered("help mod"), ElementsAre("model-line"));
  EXPECT_THAT(offered("help warnings few-"),
              ElementsAre("few-observations", "few-rows-decide", "few-draws"));
  EXPECT_THAT(offered("fit --help re"), ElementsAre("reading"));
  EXPECT_THAT(offered("fit ''"), ElementsAre("<file>"));
}

// What the shell makes of a line that ends in a tab: it prints the line's words.
std::string typed_at(const std::string& shell, const std::string& keys) {
  const Folder folder;
  std::filesystem::create_symlink(BRACE_TOOL, folder / "brace");
  const std::string ready = shell == "zsh"
                                ? std::string("fpath=(") + (folder / "functions") +
                                      " $fpath); autoload -Uz compinit; compinit -u -d " +
                                      (folder / "dump") + "\\n"
                                : std::string("source ") + kScripts + "brace.bash\\n";
  if (shell == "zsh") {
    std::filesystem::create_directories(folder / "functions");
    std::filesystem::copy_file(std::string(kScripts) + "brace.zsh", folder / "functions/_brace");
  }
  // Ctrl-A and "echo" before it: the shell says what it would have run.
  return run("PATH='" + (folder / "") +
             "':$PATH python3 " BRACE_SOURCE_DIR "/tests/prompt/type_at.py '" +
             (shell == "zsh" ? "zsh -f -i" : "bash --norc --noprofile -i") + "' '" + ready +
             "' \"" + keys + "\" '\\x01echo @\\x05@\\n'")
      .out;
}

TEST(Completion, IsTypedAtBash) {
  EXPECT_THAT(typed_at("bash", "brace insp\\t"), HasSubstr("@brace inspect @"));
  EXPECT_THAT(typed_at("bash", "brace fit data/kelp-fibre.csv --value se\\t"),
              HasSubstr("@brace fit data/kelp-fibre.csv --value settle @"));
  EXPECT_THAT(typed_at("bash", "brace fit data/kelp-fibre.csv --returns=lo\\t"),
              HasSubstr("@brace fit data/kelp-fibre.csv --returns=log @"));
  EXPECT_THAT(typed_at("bash", "brace fit data/kelp-fibre.csv --model 'const / garch / stu\\t"),
              HasSubstr("@brace fit data/kelp-fibre.csv --model const / garch / student@"));
  EXPECT_THAT(typed_at("bash", "brace fit data/kelp-f\\t"),
              HasSubstr("@brace fit data/kelp-fibre."));
}

TEST(Completion, IsTypedAtZsh) {
  EXPECT_THAT(typed_at("zsh", "brace insp\\t"), HasSubstr("@brace inspect@"));
  EXPECT_THAT(typed_at("zsh", "brace fit data/kelp-fibre.csv --value se\\t"),
              HasSubstr("@brace fit data/kelp-fibre.csv --value settle@"));
  EXPECT_THAT(typed_at("zsh", "brace fit data/kelp-fibre.csv --model 'const / garch / stu\\t'"),
              HasSubstr("@brace fit data/kelp-fibre.csv --model const / garch / student@"));
}

// fish is asked by its own command for completions.
std::string asked_of_fish(const std::string& line) {
  const Folder folder;
  std::filesystem::create_symlink(BRACE_TOOL, folder / "brace");
  return run("HOME='" + (folder / "home") + "' PATH='" + (folder / "") +
             "':$PATH fish -N -c \"source " + kScripts + "brace.fish; complete -C \\\"" + line +
             "\\\"\"")
      .out;
}

TEST(Completion, IsAskedOfFish) {
  EXPECT_THAT(asked_of_fish("brace insp"), HasSubstr("inspect\tWhat is in the file"));
  EXPECT_THAT(asked_of_fish("brace fit data/kelp-fibre.csv --value se"), HasSubstr("settle"));
  EXPECT_THAT(asked_of_fish("brace fit data/kelp-fibre.csv --value se"), Not(HasSubstr("volume")));
  EXPECT_THAT(asked_of_fish("brace fit data/kelp-fibre.csv --model 'const / garch / stu"),
              HasSubstr("const / garch / student"));
  EXPECT_THAT(asked_of_fish("brace fit data/kelp-f"), HasSubstr("data/kelp-fibre.csv"));
}

}  // namespace
}  // namespace brace::test
