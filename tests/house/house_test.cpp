// SPDX-License-Identifier: Apache-2.0
// The rule of the house: a module includes only itself and what stands below it (docs/house.md
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

// Modules from top to bottom, from the drawing in docs/house.md: lines "module  what it is for"
// between the fences of the block marked "house".
std::vector<std::vector<std::string>> storeys() {
  std::istringstream page(content_of(BRACE_SOURCE_DIR "/docs/house.md"));
  std::vector<std::vector<std::string>> out;
  bool inside = false;
  for (std::string line; std::getline(page, line);) {
    if (line.starts_with("```")) {
      inside = line == "```house";
      continue;
    }
    if (!inside || line.starts_with("-")) continue;
    std::vector<std::string> modules;
    std::istringstream names(line.substr(0, line.find("  ")));
    for (std::string name; std::getline(names, name, ',');) {
      name.erase(0, name.find_first_not_of(' '));
      modules.push_back(name);
    }
    out.push_back(std::move(modules));
  }
  return out;
}

int storey_of(const std::vector<std::vector<std::string>>& house, const std::string& module) {
  for (std::size_t i = 0; i < house.size(); ++i)
    if (std::find(house[i].begin(), house[i].end(), module) != house[i].end())
      return static_cast<int>(i);
  return -1;
}

// Includes of a tree that break the rule, "src/base/text.cpp: includes model".
std::vector<std::string> violations(const fs::path& root,
                                    const std::vector<std::vector<std::string>>& house) {
  std::vector<std::string> found;
  const std::regex include(R"re(^\s*#include\s+["<](?:brace/)?([a-z]+)/[^">]+[">])re");
  for (const char* top : {"include/brace", "src"})
    for (const auto& entry : fs::recursive_directory_iterator(root / top)) {
      if (!entry.is_regular_file()) continue;
      const fs::path inside = fs::relative(entry.path(), root / top);
      if (std::distance(inside.begin(), inside.end()) < 2)
        continue;  // brace.hpp gathers all, CMakeLists
      const std::string module = inside.begin()->string();
      const int mine = storey_of(house, module);
      if (mine < 0)
        found.push_back(inside.string() + ": module " + module + " is not in the drawing");
      std::istringstream lines(content_of(entry.path()));
      for (std::string line; std::getline(lines, line);) {
        std::smatch match;
        if (!std::regex_search(line, match, include)) continue;
        const int other = storey_of(house, match[1]);
        // On one storey stand several modules; they do not know one another.
        if (other >= 0 && match[1] != module && other <= mine)
          found.push_back(inside.string() + ": includes " + match[1].str());
      }
    }
  return found;
}

TEST(House, EveryIncludePointsDownwards) {
  const auto house = storeys();
  ASSERT_GE(house.size(), 8u) << "docs/house.md holds the drawing";
  EXPECT_LT(storey_of(house, "model"), storey_of(house, "base")) << "drawn from the top";
  for (const std::string& violation : violations(BRACE_SOURCE_DIR, house))
    ADD_FAILURE() << violation;
}

TEST(House, ABrokenRuleIsFound) {
  const Folder folder;
  for (const char* place : {"include/brace/base", "src/base", "src/model", "src/io"})
    fs::create_directories(folder / place);
  (void)folder.file("src/base/a.cpp", "#include <vector>\n#include \"brace/model/fit.hpp\"\n");
  (void)folder.file("src/model/b.cpp",
                    "#include \"brace/base/error.hpp\"\n  #include <brace/io/csv.hpp>\n");
  (void)folder.file("src/io/c.cpp", "#include \"brace/model/fit.hpp\"\n");
  std::vector<std::string> found = violations(folder / "", storeys());
  std::sort(found.begin(), found.end());
  EXPECT_EQ(found,
            (std::vector<std::string>{"base/a.cpp: includes model", "model/b.cpp: includes io"}));
}

TEST(House, TheCoreHasNoInterfaceCode) {
  const std::regex forbidden(
      R"re(std::c(out|err|in)\b|fopen|ofstream|ifstream|printf\(|popen|system\(|getenv|\babort\(|\bexit\()re");
  for (const char* module :
       {"base", "series", "maths", "laws", "hypothesis", "model", "forecast", "evaluate", "search"})
    for (const char* top : {"include/brace", "src"})
      for (const auto& entry :
           fs::recursive_directory_iterator(fs::path(BRACE_SOURCE_DIR) / top / module)) {
        if (!entry.is_regular_file()) continue;
        std::istringstream lines(content_of(entry.path()));
        for (std::string line; std::getline(lines, line);) {
          line = line.substr(0, line.find("//"));
          EXPECT_FALSE(std::regex_search(line, forbidden)) << entry.path() << ": " << line;
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

}  // namespace
}  // namespace brace::test
