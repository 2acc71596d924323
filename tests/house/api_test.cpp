// SPDX-License-Identifier: Apache-2.0
// docs/api.md is what the public headers say: BRACE_REFRESH_DOCS=1 writes it anew. And what all
// public headers keep to: nothing stands for none, threads, names.
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <regex>
#include <set>
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

// Types and functions at namespace level, each once, in the order of the header; those of a
// namespace below brace with its name before them.
std::vector<std::string> names_in(const std::vector<std::string>& lines) {
  static const std::regex type(R"(^(?:class|struct|enum class) (\w+)(?: : [^;]*)? ?\{.*)"),
      function(R"(^(?! )(?:\[\[nodiscard\]\] )?(?:inline )?(?:[\w:<>,&* ]+ )(\w+)\(.*)"),
      opens(R"(^namespace (?:brace::inline v0)?(?:::)?(\w*) \{)");
  std::vector<std::string> out;
  std::string below;
  const auto add = [&](const std::string& bare) {
    const std::string name = below + bare;
    if (std::find(out.begin(), out.end(), name) == out.end()) out.push_back(name);
  };
  for (const std::string& line : lines) {
    std::smatch found;
    if (std::regex_match(line, found, opens))
      below = found[1].length() > 0 ? found[1].str() + "::" : "";
    else if (line.starts_with("}  // namespace"))
      below.clear();
    else if (std::regex_match(line, found, type))
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

// Text that is left out is absent, not empty.
TEST(Api, NoEmptyTextInOptionsStandsForNone) {
  static const std::regex sentinel(R"(\b[Ee]mpty (?:takes|reads|keeps|recognises|infers)\b)");
  for (const fs::path& path : public_headers())
    for (const std::string& line : lines_of(path))
      EXPECT_FALSE(std::regex_search(line, sentinel)) << path << ": " << line;
}

TEST(Api, EveryHeaderSaysWhatThreadsMayDo) {
  for (const fs::path& path : public_headers()) {
    const std::vector<std::string> lines = lines_of(path);
    const auto ends = std::find(lines.begin(), lines.end(), "#pragma once");
    EXPECT_TRUE(std::any_of(lines.begin(), ends, [](const std::string& line) {
      return line.starts_with("// Threads: ");
    })) << path;
  }
}

// In brace itself stand the verbs and types of users; single tests are in hypothesis, null laws in
// laws, numerical tools in maths.
TEST(Api, ExpertLayersHaveNamespacesAndNoGenericNameIsAtTheTop) {
  const std::set<std::string> generic{"Kind",    "Log",      "Window",   "Centre",     "Split",
                                      "Tail",    "Interval", "Profile",  "Extreme",    "Candidate",
                                      "Account", "Reach",    "median()", "quantile()", "inverse()"};
  const std::set<std::string> layers{"laws", "maths"};
  for (const fs::path& path : public_headers()) {
    const std::string room = fs::relative(path, kInclude).parent_path().string();
    for (const std::string& name : names_in(lines_of(path))) {
      EXPECT_FALSE(generic.contains(name)) << path << ": " << name;
      if (layers.contains(room) && name != "Deterministic" && name != "to_string()") {
        EXPECT_TRUE(name.starts_with(room + "::")) << path << ": " << name;
      }
    }
  }
}

// The core speaks of its options by their fields, between backquotes; the tool has a word for each.
TEST(Api, MessagesNameFieldsForWhichTheToolHasWords) {
  static const std::regex text(R"re("((?:\\.|[^"\\])*)")re"), of_tool(R"((?:^|[^\w-])--[a-z])"),
      field("`([a-z_]+)`");
  const std::string words = content_of(BRACE_SOURCE_DIR "/apps/brace/tool_words.hpp");
  const auto each = [](const std::string& in, const std::regex& what, const auto& see) {
    for (std::sregex_iterator i(in.begin(), in.end(), what), end; i != end; ++i) see((*i)[0], *i);
  };
  int fields = 0;
  for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR "/src")) {
    const std::string kind = entry.path().extension().string();
    if (kind != ".cpp" && kind != ".hpp") continue;
    // gnuplot has options of its own.
    if (entry.path().filename() == "gnuplot.cpp") continue;
    for (const std::string& line : lines_of(entry.path())) {
      if (line.find_first_not_of(' ') == line.find("//")) continue;
      each(line, text, [&](const std::string& quoted, const auto&) {
        EXPECT_FALSE(std::regex_search(quoted, of_tool)) << entry.path() << ": " << quoted;
        each(quoted, field, [&](const std::string&, const std::smatch& found) {
          ++fields;
          EXPECT_NE(words.find("{\"" + found[1].str() + "\", "), std::string::npos)
              << entry.path() << ": " << quoted;
        });
      });
    }
  }
  EXPECT_GT(fields, 30);
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
