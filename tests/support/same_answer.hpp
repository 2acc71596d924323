// SPDX-License-Identifier: Apache-2.0
// Whether two JSON documents give one answer: numbers to a relative digit, words as they are, the
// numbers within words to the digits that are printed. What names the file itself is no answer.
//
//   EXPECT_EQ(difference(one, other, {.relative = 1e-9}), "");
#pragma once

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <string>
#include <utility>
#include <vector>

namespace brace::test {

struct Alike {
  double relative = 0;                // of numbers
  double absolute = 0;                // of numbers near 0
  std::vector<std::string> but = {};  // keys that may differ
  bool dates = true;                  // whether dates must be the same
};

// Words and numbers of a text, dates as one word.
inline std::vector<std::string> words_and_numbers(const std::string& text) {
  std::vector<std::string> out(1);
  bool in_number = false;
  for (const char c : text) {
    const bool digit = (c >= '0' && c <= '9') || (in_number && (c == '.' || c == '-'));
    if (digit != in_number) out.emplace_back();
    in_number = digit;
    out.back() += c;
  }
  return out;
}

inline bool is_date(const std::string& word) {
  return word.size() >= 10 && word[4] == '-' && word[7] == '-';
}

inline bool texts_alike(const std::string& a, const std::string& b, const Alike& how) {
  if (a == b) return true;
  const auto one = words_and_numbers(a), two = words_and_numbers(b);
  if (one.size() != two.size()) return false;
  for (std::size_t i = 0; i < one.size(); ++i) {
    if (one[i] == two[i]) continue;
    if (is_date(one[i]) && is_date(two[i]) && !how.dates) continue;
    if (how.relative == 0 || is_date(one[i])) return false;
    char* end = nullptr;
    const double x = std::strtod(one[i].c_str(), &end), y = std::strtod(two[i].c_str(), nullptr);
    // Printed to two digits or more: the last one may turn.
    if (end == one[i].c_str() || std::abs(x - y) > .15 * std::max(std::abs(x), std::abs(y)))
      return false;
  }
  return true;
}

// Where they differ first and how, or nothing.
inline std::string difference(const nlohmann::json& a, const nlohmann::json& b, const Alike& how,
                              const std::string& place = "") {
  const auto told = [&] {
    return place + ": " + a.dump().substr(0, 160) + " | " + b.dump().substr(0, 160);
  };
  if (a.is_number() && b.is_number()) {
    const double x = a, y = b;
    const bool same =
        x == y ||
        std::abs(x - y) <= how.absolute + how.relative * std::max(std::abs(x), std::abs(y));
    return same ? "" : told();
  }
  if (a.type() != b.type()) return told();
  if (a.is_string()) return texts_alike(a, b, how) ? "" : told();
  if (a.is_array()) {
    if (a.size() != b.size())
      return place + ": " + std::to_string(a.size()) + " | " + std::to_string(b.size());
    for (std::size_t i = 0; i < a.size(); ++i)
      if (std::string d = difference(a[i], b[i], how, place + "/" + std::to_string(i)); !d.empty())
        return d;
    return "";
  }
  if (a.is_object()) {
    for (const auto& [key, value] : a.items()) {
      if (std::find(how.but.begin(), how.but.end(), key) != how.but.end()) continue;
      if (!b.contains(key)) return place + "/" + key + " is only in one";
      if (std::string d = difference(value, b[key], how, place + "/" + key); !d.empty()) return d;
    }
    for (const auto& [key, value] : b.items())
      if (!a.contains(key)) return place + "/" + key + " is only in the other";
    return "";
  }
  return a == b ? "" : told();
}

}  // namespace brace::test
