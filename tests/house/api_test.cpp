// SPDX-License-Identifier: Apache-2.0
// docs/api.md is what the public headers say: BRACE_REFRESH_DOCS=1 writes it anew. And options
// leave to a rule what is absent, not what is 0 or -1.
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <regex>
#include <sstream>

#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;

const std::string kInclude = BRACE_SOURCE_DIR "/include/brace";

std::vector<fs::path> public_headers() {
  std::vector<fs::path> out;
  for (const auto& entry : fs::recursive_directory_iterator(kInclude))
    if (entry.path().extension() == ".hpp") out.push_back(entry.path());
  std::sort(out.begin(), out.end());
  return out;
}

std::vector<std::string> lines_of(const fs::path& path) {
  std::istringstream text(content_of(path.string()));
  std::vector<std::string> out;
  for (std::string line; std::getline(text, line);) out.push_back(line);
  return out;
}

// The first sentence of the comment at the head.
std::string purpose(const std::vector<std::string>& lines) {
  std::string text;
  for (std::size_t i = 1; i < lines.size() && lines[i].starts_with("// "); ++i)
    text += (text.empty() ? "" : " ") + lines[i].substr(3);
  const std::size_t stop = text.find(". ");
  return stop == std::string::npos ? text : text.substr(0, stop + 1);
}

// Types and functions at namespace level, each once, in the order of the header.
std::vector<std::string> names_in(const std::vector<std::string>& lines) {
  static const std::regex type(R"(^(?:class|struct|enum class) (\w+)(?: : [^;]*)? ?\{.*)"),
      function(R"(^(?! )(?:\[\[nodiscard\]\] )?(?:inline )?(?:[\w:<>,&* ]+ )(\w+)\(.*)");
  std::vector<std::string> out;
  const auto add = [&](const std::string& name) {
    if (std::find(out.begin(), out.end(), name) == out.end()) out.push_back(name);
  };
  for (const std::string& line : lines) {
    std::smatch found;
    if (std::regex_match(line, found, type))
      add(found[1]);
    else if (line.find("operator") == std::string::npos && std::regex_match(line, found, function))
      add(found[1].str() + "()");
  }
  return out;
}

std::string page() {
  std::ostringstream out;
  out << "# The library on one page\n\n"
         "After this page you know which header has what you need. Each header starts with what it "
         "is\n"
         "for and an example; the names here are all that it declares. `brace::core` has all but "
         "those\n"
         "of `io` and `figures`. A test holds this page to the headers.\n";
  std::string room;
  for (const fs::path& path : public_headers()) {
    const fs::path relative = fs::relative(path, kInclude);
    if (!relative.has_parent_path()) continue;
    if (relative.parent_path().string() != room) {
      room = relative.parent_path().string();
      out << "\n## " << room << "\n\n| header | what it is for | names |\n|---|---|---|\n";
    }
    const std::vector<std::string> lines = lines_of(path);
    out << "| `" << relative.filename().string() << "` | " << purpose(lines) << " | ";
    bool first = true;
    for (const std::string& name : names_in(lines)) {
      out << (first ? "`" : ", `") << name << '`';
      first = false;
    }
    out << " |\n";
  }
  return out.str();
}

TEST(Api, ThePageIsWhatTheHeadersSay) {
  const std::string path = BRACE_SOURCE_DIR "/docs/api.md", now = page();
  if (std::getenv("BRACE_REFRESH_DOCS")) std::ofstream(path) << now;
  EXPECT_EQ(content_of(path), now) << "scripts/refresh-docs writes it anew";
}

TEST(Api, NoNumberInOptionsStandsForNone) {
  static const std::regex sentinel(
      R"(\b(?:0|-1|-2) (?:takes|stands for|marks none|shows none|tells none|for none)|=\s*-[12];)");
  for (const fs::path& path : public_headers())
    for (const std::string& line : lines_of(path))
      EXPECT_FALSE(std::regex_search(line, sentinel)) << path << ": " << line;
}

TEST(Pages, StartWithWhatTheReaderCanDoAfterThem) {
  for (const auto& entry : fs::directory_iterator(BRACE_SOURCE_DIR "/docs")) {
    if (entry.path().extension() != ".md") continue;
    const std::vector<std::string> lines = lines_of(entry.path());
    ASSERT_GE(lines.size(), 3U);
    EXPECT_TRUE(lines[2].starts_with("After this page you ")) << entry.path() << ": " << lines[2];
  }
}

}  // namespace
}  // namespace brace::test
