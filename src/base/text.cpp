// SPDX-License-Identifier: Apache-2.0
// Numbers and paragraphs for people. Covered by tests/base/base_test.cpp.
#include "brace/base/text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace brace::inline v0::text {
namespace {

// Columns of numbers have room for so many decimals, and for less than this.
constexpr int kMostDecimals = 8;
constexpr double kTooLong = 1e9;

// "3.20e-12" -> "3.2e-12", "1e-05" -> "1e-5": the exponent without padding.
std::string tidy_exponent(std::string s) {
  const auto e = s.find('e');
  if (e == std::string::npos) return s;
  const int exponent = std::stoi(s.substr(e + 1));
  return fmt::format("{}e{}", s.substr(0, e), exponent);
}

std::string without_negative_zero(std::string s) {
  if (s.starts_with('-') && s.find_first_not_of("-0.") == std::string::npos) s.erase(0, 1);
  return s;
}

// Insertions, deletions, substitutions and swaps of neighbours (Damerau 1964).
std::size_t edit_distance(std::string_view a, std::string_view b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i)
    for (std::size_t j = 0; j <= b.size(); ++j) {
      if (i == 0 || j == 0) {
        d[i][j] = i + j;
        continue;
      }
      d[i][j] = std::min(
          {d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1] ? 1 : 0)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  return d[a.size()][b.size()];
}

}  // namespace

std::string p_value(std::optional<double> p, std::optional<double> floor) {
  if (!p) return "-";
  if (floor && *p <= *floor) return "< " + tidy_exponent(fmt::format("{:.0e}", *floor));
  if (*p < 1e-300) return "< 1e-300";  // where a double ends, not a law
  if (*p < 0.001) return tidy_exponent(fmt::format("{:.0e}", *p));
  return fmt::format("{:.3f}", std::min(*p, 0.999)).substr(1);
}

std::string significant(double x, int digits) {
  const double size = std::abs(x);
  if (size != 0 && (size < 1e-4 || size >= 1e7))
    return tidy_exponent(fmt::format("{:.{}e}", x, digits - 1));
  const int magnitude = size == 0 ? 0 : static_cast<int>(std::floor(std::log10(size)));
  return without_negative_zero(fmt::format("{:.{}f}", x, std::max(0, digits - 1 - magnitude)));
}

std::string fixed(std::optional<double> x, int decimals) {
  if (!x) return "-";
  if (std::isinf(*x)) return *x > 0 ? "no end" : "-no end";
  const double size = std::abs(*x);
  if (size >= kTooLong) return significant(*x, 7);
  // Where a column has no room for more decimals three digits are kept by an exponent.
  if (decimals >= kMostDecimals && size != 0 && size < std::pow(10, 2 - kMostDecimals))
    return significant(*x, 4);
  return without_negative_zero(fmt::format("{:.{}f}", *x, decimals));
}

std::string estimate(double x, std::optional<double> error) {
  if (!error || !(*error > 0)) return significant(x, 4);
  const int of_error = static_cast<int>(std::floor(std::log10(*error))), decimals = 1 - of_error;
  if (decimals > kMostDecimals) return significant(x, 4);
  if (const double size = std::abs(x); std::max(size, *error) >= kTooLong) {
    const int of_x = size > 0 ? static_cast<int>(std::floor(std::log10(size))) : of_error;
    return significant(x, std::clamp(of_x - of_error + 2, 2, 7));
  }
  return without_negative_zero(fmt::format("{:.{}f}", x, std::max(0, decimals)));
}

std::string count(std::size_t n) {
  std::string digits = std::to_string(n);
  for (int at = static_cast<int>(digits.size()) - 3; at > 0; at -= 3) digits.insert(at, ",");
  return digits;
}

std::string plural(std::size_t n, std::string_view one, std::string_view many) {
  return fmt::format("{} {}", count(n), n == 1 ? one : many);
}

std::string_view trimmed(std::string_view text) {
  const auto blank = [](char c) { return c == ' ' || c == '\t'; };
  while (!text.empty() && blank(text.front())) text.remove_prefix(1);
  while (!text.empty() && blank(text.back())) text.remove_suffix(1);
  return text;
}

std::string wrap(std::string_view paragraph, std::size_t width, std::string_view indent) {
  std::string out;
  std::string line(indent);
  bool empty = true;
  std::size_t at = 0;
  while (at < paragraph.size()) {
    std::size_t end = std::min(paragraph.find(' ', at), paragraph.size());
    // A percent sign stays with its number.
    if (paragraph.substr(end).starts_with(" %"))
      end = std::min(paragraph.find(' ', end + 1), paragraph.size());
    const std::string_view word = paragraph.substr(at, end - at);
    at = end + 1;
    if (word.empty()) continue;
    if (!empty && line.size() + 1 + word.size() > width) {
      out += line + '\n';
      line = indent;
      empty = true;
    }
    if (!empty) line += ' ';
    line += word;
    empty = false;
  }
  return out + line + '\n';
}

std::string sentence(std::string text) {
  if (!text.empty() && text[0] >= 'a' && text[0] <= 'z')
    text[0] = static_cast<char>(text[0] - 'a' + 'A');
  return text;
}

std::optional<std::string> nearest(std::string_view word,
                                   const std::vector<std::string>& candidates) {
  std::optional<std::string> best;
  // Half of the word may be wrong, at most three letters: farther away a guess is noise.
  std::size_t least = std::min<std::size_t>(3, word.size() / 2) + 1;
  for (const std::string& candidate : candidates) {
    const std::size_t distance = edit_distance(word, candidate);
    if (distance < least) {
      least = distance;
      best = candidate;
    }
  }
  return best;
}

std::string some_of(const std::vector<std::string>& names) {
  constexpr std::size_t kShown = 12, kLongest = 24, kRoom = 90;
  std::string out;
  for (std::size_t i = 0; i < names.size(); ++i) {
    std::size_t cut = kLongest - 2;  // not within a sign of several bytes
    while (cut > 0 && cut < names[i].size() && (names[i][cut] & 0xc0) == 0x80) --cut;
    const std::string name =
        names[i].size() <= kLongest ? names[i] : names[i].substr(0, cut) + "..";
    if (i == kShown || (i > 0 && out.size() + name.size() > kRoom))
      return fmt::format("{} and {} more", out, names.size() - i);
    out += (i > 0 ? ", " : "") + name;
  }
  return out;
}

}  // namespace brace::inline v0::text
