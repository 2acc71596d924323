// SPDX-License-Identifier: Apache-2.0
// One word for each idea: headers keep to the glossary in docs/glossary.md.
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <regex>

#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;

// A line "| word, word | meaning | other, other |" of a table.
struct Entry {
  std::vector<std::string> words, others;
};

std::vector<std::string> listed(const std::string& cell) {
  std::vector<std::string> out;
  std::istringstream parts(cell);
  for (std::string part; std::getline(parts, part, ',');) {
    const auto first = part.find_first_not_of(' ');
    if (first == std::string::npos) continue;
    out.push_back(part.substr(first, part.find_last_not_of(' ') - first + 1));
  }
  return out;
}

std::vector<Entry> glossary() {
  std::istringstream page(content_of(BRACE_SOURCE_DIR "/docs/glossary.md"));
  std::vector<Entry> out;
  for (std::string line; std::getline(page, line);) {
    if (!line.starts_with("| ") || line.starts_with("| word")) continue;
    std::vector<std::string> cells;
    std::istringstream parts(line.substr(1));
    for (std::string cell; std::getline(parts, cell, '|');) cells.push_back(cell);
    EXPECT_GE(cells.size(), 3u) << line;
    out.push_back({listed(cells[0]), listed(cells[2])});
  }
  return out;
}

std::vector<std::string> headers() {
  std::vector<std::string> out;
  for (const char* top : {"/include", "/src"})
    for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR + std::string(top)))
      if (entry.path().extension() == ".hpp") out.push_back(entry.path().string());
  return out;
}

std::regex whole_word(const std::string& word) {
  return std::regex("(^|[^A-Za-z_])" + word + "s?([^A-Za-z_]|$)", std::regex::icase);
}

TEST(Glossary, HeadersUseNoOtherWord) {
  const std::vector<Entry> entries = glossary();
  ASSERT_GE(entries.size(), 35u);
  std::size_t others = 0;
  for (const std::string& path : headers()) {
    const std::string text = content_of(path);
    for (const Entry& entry : entries)
      for (const std::string& other : entry.others) {
        ++others;
        EXPECT_FALSE(std::regex_search(text, whole_word(other)))
            << path << " says '" << other << "'; the glossary's word is '" << entry.words.front()
            << "'";
      }
  }
  EXPECT_GT(others, 500u);
}

TEST(Glossary, EveryWordIsUsed) {
  std::string all;
  for (const std::string& path : headers()) all += content_of(path);
  for (const Entry& entry : glossary())
    for (const std::string& word : entry.words)
      EXPECT_TRUE(std::regex_search(all, std::regex(word, std::regex::icase)))
          << "no header uses '" << word << "'";
}

TEST(Glossary, NoWordIsExplainedTwice) {
  std::vector<std::string> seen;
  for (const Entry& entry : glossary())
    for (const std::string& word : entry.words) {
      EXPECT_EQ(std::count(seen.begin(), seen.end(), word), 0) << word;
      seen.push_back(word);
    }
}

}  // namespace
}  // namespace brace::test
