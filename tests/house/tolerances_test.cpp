// SPDX-License-Identifier: Apache-2.0
// The rule of tolerances: up to 1e-8 a difference is rounding of the same number by another route,
// and needs no word; a larger one has its reason beside it, in a comment or in the message, or
// carries the name of a constant that has one. And no test is weak: a status is named, not bounded.
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <limits>
#include <regex>
#include <string>
#include <vector>

#include "support/run.hpp"

namespace brace::test {
namespace {

namespace fs = std::filesystem;

constexpr double kRounding = 1e-8;

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> out;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) out.push_back(line);
  return out;
}

bool has(const std::string& text, const char* part) {
  return text.find(part) != std::string::npos;
}

// The last argument of a comparison, without the message behind it.
std::string tolerance_of(std::string statement) {
  if (const auto message = statement.find("<<"); message != std::string::npos)
    statement.resize(message);
  const auto end = statement.rfind(')');
  int depth = 0;
  for (auto at = end; at-- > 0;) {
    if (statement[at] == ')') ++depth;
    if (statement[at] == '(') --depth;
    if (statement[at] == ',' && depth == 0) return statement.substr(at + 1, end - at - 1);
  }
  return "";
}

// The smallest number within it: 1e-9 of 1e-9 * (1 + |x|).
double smallest_number(const std::string& tolerance) {
  static const std::regex number(R"re((?:^|[^\w.])((?:\d+\.?\d*|\.\d+)(?:e-?\d+)?))re");
  double least = std::numeric_limits<double>::infinity();
  for (std::sregex_iterator it(tolerance.begin(), tolerance.end(), number), end; it != end; ++it)
    least = std::min(least, std::strtod((*it)[1].str().c_str(), nullptr));
  return least;
}

// Comparisons of a file whose tolerance nobody explains.
std::vector<std::string> unexplained(const std::string& text) {
  static const std::regex comparison(R"re((EXPECT|ASSERT)_NEAR\()re");
  const std::vector<std::string> lines = lines_of(text);
  std::vector<std::string> found;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const bool quoted = has(lines[i], "\"EXPECT_NEAR") || has(lines[i], "re((EXPECT");
    if (quoted || lines[i].find("//") < lines[i].find("_NEAR") ||
        !std::regex_search(lines[i], comparison))
      continue;
    std::string statement;
    std::size_t j = i;
    for (; j < lines.size(); ++j) {
      statement += lines[j] + " ";
      if (has(lines[j], ";") || lines[j].ends_with("{")) break;
    }
    bool told = has(statement, "//") || has(statement, "<< \"");
    // Within its paragraph, or at the head of its test.
    for (std::size_t k = i, steps = 0; !told && k-- > 0 && steps < 10; ++steps) {
      if (lines[k].find_first_not_of(' ') == std::string::npos) break;
      told = has(lines[k], "//");
      if (lines[k].starts_with("TEST")) {
        told = told || (k > 0 && has(lines[k - 1], "//"));
        break;
      }
    }
    const std::string tolerance = tolerance_of(statement);
    static const std::regex named(R"re(\b(k[A-Z]\w+|relative|slack|rel|abs|tol\w*|within)\b)re");
    told = told || std::regex_search(tolerance, named) || smallest_number(tolerance) <= kRounding;
    if (!told) found.push_back(std::to_string(i + 1) + ": " + lines[i]);
    i = j;
  }
  return found;
}

TEST(Tolerances, HaveTheirReasonBesideThem) {
  int comparisons = 0;
  for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR "/tests")) {
    if (entry.path().extension() != ".cpp" && entry.path().extension() != ".hpp") continue;
    const std::string text = content_of(entry.path());
    comparisons += static_cast<int>(has(text, "_NEAR("));
    for (const std::string& line : unexplained(text))
      ADD_FAILURE() << entry.path().filename() << ' ' << line;
  }
  EXPECT_GT(comparisons, 40) << "files with comparisons are found";
}

TEST(Tolerances, ARuleThatIsBrokenIsFound) {
  // In two parts, so that this file keeps the rule itself.
  const auto found = [](const std::string& before, const std::string& arguments) {
    return unexplained(before +
                       "  EXPECT_"
                       "NEAR(" +
                       arguments + ";\n")
        .size();
  };
  EXPECT_EQ(found("", "a, b, .01)"), 1U);
  EXPECT_EQ(found("", "a,\n              f(b, 2), 1e-3 * c) << line"), 1U);
  EXPECT_EQ(found("", "a, b, 1e-9 * (1 + b))"), 0U);
  EXPECT_EQ(found("  // Four errors.\n", "a, b, .01)"), 0U);
  EXPECT_EQ(found("", "a, b, .01) << \"four errors\""), 0U);
  EXPECT_EQ(found("  // Of something else.\n\n", "a, b, .01)"), 1U);
}

// A status that may be anything up to 3 is no expectation.
TEST(Tolerances, StatusesAreNamed) {
  const std::regex bounded(R"re(EXPECT_(LE|LT)\([^;]*status[^;]*, ?[34]\))re");
  for (const auto& entry : fs::recursive_directory_iterator(BRACE_SOURCE_DIR "/tests"))
    if (entry.path().extension() == ".cpp") {
      const std::string text = content_of(entry.path());
      for (std::sregex_iterator it(text.begin(), text.end(), bounded), end; it != end; ++it)
        ADD_FAILURE() << entry.path().filename() << ": " << it->str();
    }
}

}  // namespace
}  // namespace brace::test
