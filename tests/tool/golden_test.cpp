// SPDX-License-Identifier: Apache-2.0
// The numbers of every command on the demo data, as they were: tests/golden/commands.txt has a
// command a line, NN.json the JSON of line NN. Changing how the code is written changes none of
// them; a change that is meant is taken over with BRACE_REFRESH_GOLDEN=1 and told in the changelog.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;

const std::string kFolder = BRACE_SOURCE_DIR "/tests/golden/";

std::vector<std::string> golden_commands() {
  std::istringstream text(content_of(kFolder + "commands.txt"));
  std::vector<std::string> lines;
  for (std::string line; std::getline(text, line);) lines.push_back(line);
  return lines;
}

// A long list of numbers is kept by its length, its ends, and two sums; a long list of anything
// else by its length and its ends.
Json digest(const Json& value) {
  constexpr std::size_t kShort = 12;
  if (value.is_object()) {
    Json out = Json::object();
    for (const auto& [key, inner] : value.items()) out[key] = digest(inner);
    return out;
  }
  if (!value.is_array()) return value;
  Json out = Json::array();
  if (value.size() <= kShort) {
    for (const Json& inner : value) out.push_back(digest(inner));
    return out;
  }
  double sum = 0, squares = 0;
  for (const Json& inner : value)
    if (inner.is_number()) {
      sum += inner.get<double>();
      squares += inner.get<double>() * inner.get<double>();
    }
  return {{"length", value.size()},
          {"first", digest(value.front())},
          {"last", digest(value.back())},
          {"sum", sum},
          {"sum_of_squares", squares}};
}

// Where a climb ended is the same to rounding; how it got there (steps, the slope that was left)
// may differ between machines, and so may a p-value that is zero for every purpose.
bool is_of_the_climb(const std::string& key) {
  return key == "gradient_norm" || key == "iterations" || key == "evaluations" || key == "seconds";
}

// Relative to the larger of two numbers and the size of those beside it.
constexpr double kTolerance = 2e-6;

void compare(const Json& was, const Json& is, const std::string& where, double beside = 0) {
  if (was.is_number() && is.is_number()) {
    const double a = was.get<double>(), b = is.get<double>();
    // kTolerance of the largest number beside it: the golden files come from another processor.
    EXPECT_NEAR(a, b, kTolerance * std::max({std::abs(a), std::abs(b), beside, 1e-7})) << where;
    return;
  }
  ASSERT_EQ(was.type_name(), std::string(is.type_name())) << where;
  if (was.is_object()) {
    ASSERT_EQ(was.size(), is.size()) << where;
    for (const auto& [key, inner] : was.items()) {
      ASSERT_TRUE(is.contains(key)) << where << " lacks " << key;
      if (!is_of_the_climb(key)) compare(inner, is[key], where + "/" + key);
    }
  } else if (was.is_array()) {
    ASSERT_EQ(was.size(), is.size()) << where;
    double largest = 0;
    for (const Json& inner : was)
      if (inner.is_number()) largest = std::max(largest, std::abs(inner.get<double>()));
    for (std::size_t i = 0; i < was.size(); ++i)
      compare(was[i], is[i], where + "/" + std::to_string(i), largest);
  } else {
    EXPECT_EQ(was, is) << where;
  }
}

class Golden : public testing::TestWithParam<std::size_t> {};

TEST_P(Golden, NumbersAreAsTheyWere) {
  const std::string line = golden_commands()[GetParam()];
  const std::string number = std::to_string(GetParam() + 1);
  const std::string path = kFolder + std::string(2 - number.size(), '0') + number + ".json";
  const Outcome now = brace(line + " --json --quiet");
  ASSERT_EQ(now.status, 0) << line << "\n" << now.err;
  const Json is = digest(Json::parse(now.out));
  if (std::getenv("BRACE_REFRESH_GOLDEN")) {
    std::ofstream(path) << is.dump(1) << '\n';
    return;
  }
  compare(Json::parse(content_of(path)), is, line);
}

INSTANTIATE_TEST_SUITE_P(Commands, Golden,
                         testing::Range<std::size_t>(0, golden_commands().size()));

}  // namespace
}  // namespace brace::test
