// SPDX-License-Identifier: Apache-2.0
// The manual pages, as their checkers and their readers see them.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/command_table.hpp"

namespace brace::test {
namespace {

using testing::HasSubstr;

std::vector<std::string> pages() {
  std::vector<std::string> out;
  for (const auto& entry : std::filesystem::directory_iterator(BRACE_MANUAL_PAGES))
    out.push_back(entry.path().string());
  return out;
}

TEST(Manual, HasAPageForEachCommand) {
  const nlohmann::json commands = command_table();
  EXPECT_EQ(pages().size(), commands.size() + 2);  // brace(1), brace-mpi(1)
  const std::string first = run("mandoc -T utf8 '" BRACE_MANUAL_PAGES "/brace.1' | col -b").out;
  for (const auto& c : commands) {
    const std::string name = c["name"];
    EXPECT_TRUE(std::filesystem::exists(BRACE_MANUAL_PAGES "/brace-" + name + ".1")) << name;
    EXPECT_THAT(first, HasSubstr("brace-" + name + "(1)"));
  }
}

TEST(Manual, CheckersHaveNothingToSay) {
  ASSERT_GE(pages().size(), 18U);
  for (const std::string& page : pages()) {
    // A page of another system than OpenBSD is no fault of it.
    const Outcome lint = run("mandoc -T lint -W warning '" + page + "'");
    EXPECT_EQ(lint.out + lint.err, "") << page;
    EXPECT_EQ(lint.status, 0) << page;
    const Outcome man =
        run("LC_ALL=C.UTF-8 MANROFFSEQ= MANWIDTH=80 man --warnings -E UTF-8 -l -Tutf8 -Z '" + page +
            "' 2>&1 > /dev/null");
    EXPECT_EQ(man.out + man.err, "") << page;
  }
}

// Every option with its words, limits and what it is for, as a reader of the page sees it.
TEST(Manual, TellsEveryOption) {
  for (const auto& c : command_table()) {
    const std::string name = c["name"];
    std::string seen =
        run("MANWIDTH=400 mandoc -O width=400 -T utf8 '" BRACE_MANUAL_PAGES "/brace-" + name +
            ".1' | col -bx")
            .out;
    EXPECT_THAT(seen, HasSubstr("EXIT STATUS")) << name;
    for (const auto& o : c["options"]) {
      EXPECT_THAT(seen, HasSubstr(o["name"].get<std::string>().starts_with("--")
                                      ? o["name"].get<std::string>()
                                      : o["value"].get<std::string>()))
          << name;
      for (const auto& word : o["words"])
        EXPECT_THAT(seen, HasSubstr(word.get<std::string>())) << name;
      // The first words of what it is for, whatever became of its first letter.
      const std::string what = o["what"];
      EXPECT_THAT(seen, HasSubstr(what.substr(
                            1, std::min<std::size_t>(20, what.find_first_of(".?;:", 1)) - 1)))
          << name << " " << o["name"];
    }
  }
}

}  // namespace
}  // namespace brace::test
