// SPDX-License-Identifier: Apache-2.0
// The rule of the house: a room includes only itself and what stands below it (docs/house.md
// draws the order, and this test reads it from there), and the core knows no files, terminal or
// charts.
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <regex>

#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;

// Rooms from top to bottom, from the drawing in docs/house.md: lines "room  what it is for" between
// the fences of the block marked "house"; the core's stand below the line of dashes.
struct Drawing {
  std::vector<std::string> rooms;
  std::size_t first_of_core = 0;
};
Drawing drawing() {
  std::istringstream page(content_of(BRACE_SOURCE_DIR "/docs/house.md"));
  Drawing out;
  bool inside = false;
  for (std::string line; std::getline(page, line);) {
    if (line.starts_with("```"))
      inside = line == "```house";
    else if (inside && line.starts_with("-"))
      out.first_of_core = out.rooms.size();
    else if (inside)
      out.rooms.push_back(line.substr(0, line.find(' ')));
  }
  return out;
}

int storey_of(const std::vector<std::string>& house, const std::string& room) {
  const auto at = std::find(house.begin(), house.end(), room);
  return at == house.end() ? -1 : static_cast<int>(at - house.begin());
}

// Includes of a tree that break the rule, "src/base/text.cpp: includes model".
std::vector<std::string> violations(const fs::path& root, const std::vector<std::string>& house) {
  std::vector<std::string> found;
  const std::regex include(R"re(^\s*#include\s+["<](?:brace/)?([a-z]+)/[^">]+[">])re");
  for (const char* top : {"include/brace", "src"})
    for (const auto& entry : fs::recursive_directory_iterator(root / top)) {
      if (!entry.is_regular_file()) continue;
      const fs::path inside = fs::relative(entry.path(), root / top);
      if (std::distance(inside.begin(), inside.end()) < 2)
        continue;  // brace.hpp and core.hpp gather all, CMakeLists
      const std::string room = inside.begin()->string();
      const int mine = storey_of(house, room);
      if (mine < 0) found.push_back(inside.string() + ": room " + room + " is not in the drawing");
      std::istringstream lines(content_of(entry.path()));
      for (std::string line; std::getline(lines, line);) {
        std::smatch match;
        if (!std::regex_search(line, match, include)) continue;
        const int other = storey_of(house, match[1]);
        if (other >= 0 && other < mine)
          found.push_back(inside.string() + ": includes " + match[1].str());
      }
    }
  return found;
}

TEST(House, EveryIncludePointsDownwards) {
  const std::vector<std::string> house = drawing().rooms;
  ASSERT_GE(house.size(), 16u) << "docs/house.md holds the drawing";
  EXPECT_LT(storey_of(house, "model"), storey_of(house, "base")) << "drawn from the top";
  for (const std::string& violation : violations(BRACE_SOURCE_DIR, house))
    ADD_FAILURE() << violation;
  for (const std::string& room : house)
    EXPECT_TRUE(fs::is_directory(fs::path(BRACE_SOURCE_DIR) / "src" / room)) << room;
}

TEST(House, ABrokenRuleIsFound) {
  const Folder folder;
  for (const char* place :
       {"include/brace/base", "src/base", "src/estimation", "src/likelihood", "src/io"})
    fs::create_directories(folder / place);
  (void)folder.file("src/base/a.cpp", "#include <vector>\n#include \"brace/estimation/fit.hpp\"\n");
  (void)folder.file("src/likelihood/b.cpp",
                    "#include \"brace/base/error.hpp\"\n  #include <brace/io/csv.hpp>\n");
  (void)folder.file("src/io/c.cpp", "#include \"brace/estimation/fit.hpp\"\n");
  std::vector<std::string> found = violations(folder / "", drawing().rooms);
  std::sort(found.begin(), found.end());
  EXPECT_EQ(found, (std::vector<std::string>{"base/a.cpp: includes estimation",
                                             "likelihood/b.cpp: includes io"}));
}

TEST(House, TheCoreHasNoInterfaceCode) {
  const std::regex forbidden(
      R"re(std::c(out|err|in)\b|fopen|ofstream|ifstream|printf\(|popen|system\(|getenv|\babort\(|\bexit\()re");
  const Drawing house = drawing();
  ASSERT_GT(house.first_of_core, 0u);
  for (std::size_t i = house.first_of_core; i < house.rooms.size(); ++i)
    for (const char* top : {"include/brace", "src"}) {
      const fs::path room = fs::path(BRACE_SOURCE_DIR) / top / house.rooms[i];
      if (!fs::exists(room)) continue;  // families and likelihood have no public headers
      for (const auto& entry : fs::recursive_directory_iterator(room)) {
        if (!entry.is_regular_file()) continue;
        std::istringstream lines(content_of(entry.path()));
        for (std::string line; std::getline(lines, line);) {
          line = line.substr(0, line.find("//"));
          EXPECT_FALSE(std::regex_search(line, forbidden)) << entry.path() << ": " << line;
        }
      }
    }
}

// The layout of a third party's types depends on the flags of the program that includes them, and a
// program that needs the core alone must not have to install them.
TEST(House, PublicHeadersNeedNoThirdParty) {
  const std::regex include(R"re(^\s*#include\s+<([^>]+)>)re");
  for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR "/include")) {
    if (!entry.is_regular_file()) continue;
    std::istringstream lines(content_of(entry.path()));
    for (std::string line; std::getline(lines, line);) {
      std::smatch match;
      if (std::regex_search(line, match, include)) {
        EXPECT_EQ(match[1].str().find_first_of("/."), std::string::npos)
            << entry.path() << ": " << line;
      }
    }
  }
}

// A file of a room is short enough to be read at a sitting.
TEST(House, FilesAndRoomsKeepTheirSize) {
  constexpr std::size_t kLongestFile = 800, kMostFiles = 32;
  const auto judge_folder = [&](const fs::path& folder) {
    const auto files = std::distance(fs::directory_iterator(folder), {});
    EXPECT_LE(static_cast<std::size_t>(files), kMostFiles) << folder;
  };
  for (const char* top : {"include/brace", "src", "apps/brace"}) {
    judge_folder(fs::path(BRACE_SOURCE_DIR) / top);
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(BRACE_SOURCE_DIR) / top)) {
      if (entry.is_directory()) {
        judge_folder(entry.path());
        continue;
      }
      if (entry.path().extension() == ".inc") continue;  // numbers
      const std::string text = content_of(entry.path());
      EXPECT_LE(static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n')), kLongestFile)
          << entry.path();
    }
  }
}

TEST(House, EverySourceNamesTestsThatExist) {
  const std::regex covered(R"re(tests/[a-z_/]+\.cpp)re");
  for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR "/src")) {
    if (entry.path().extension() != ".cpp") continue;
    const std::string text = content_of(entry.path());
    for (std::sregex_iterator match(text.begin(), text.end(), covered), end; match != end; ++match)
      EXPECT_TRUE(fs::exists(fs::path(BRACE_SOURCE_DIR) / match->str()))
          << entry.path() << " names " << match->str();
  }
}

// Files that comments and documents name are there.
TEST(House, FilesThatAreNamedExist) {
  const fs::path root(BRACE_SOURCE_DIR);
  std::vector<std::string> files;
  for (const char* top :
       {"include", "src", "apps", "tests", "tools", "bench", "examples", "fuzz", "data"})
    for (const auto& entry : fs::recursive_directory_iterator(root / top))
      if (entry.is_regular_file()) files.push_back("/" + fs::relative(entry, root).string());
  const auto exists = [&](const std::string& named) {
    return std::any_of(files.begin(), files.end(),
                       [&](const std::string& file) { return file.ends_with("/" + named); });
  };
  const std::regex named(R"re([a-z0-9_]+(/[a-z0-9_]+)*\.[hc]pp\b)re");
  const auto look = [&](const fs::path& path, bool comments_only) {
    std::istringstream lines(content_of(path));
    for (std::string line; std::getline(lines, line);) {
      if (comments_only) {
        const auto comment = line.find("//");
        if (comment == std::string::npos) continue;
        line = line.substr(comment);
      }
      for (std::sregex_iterator match(line.begin(), line.end(), named), end; match != end; ++match)
        EXPECT_TRUE(exists(match->str())) << path << " names " << match->str();
    }
  };
  for (const std::string& file : files)
    if (file.starts_with("/include") || file.starts_with("/src")) look(root / file.substr(1), true);
  for (const auto& entry : fs::directory_iterator(root / "docs"))
    if (entry.path().extension() == ".md" && entry.path().filename() != "library.md")
      look(entry.path(), false);
  look(root / "CONTRIBUTING.md", false);
}

}  // namespace
}  // namespace brace::test
