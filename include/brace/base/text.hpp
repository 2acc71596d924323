// SPDX-License-Identifier: Apache-2.0
// How numbers are written for people: the digits that their error allows, and no more.
//
//   brace::text::p_value(3.2e-12);           // "3e-12"
//   brace::text::estimate(0.02134, 0.017);   // "0.021"
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstddef>
#include <optional>
#include <sstream>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::text {

// ".034", "3e-12"; "< 1e-5" where p is at or below the law's floor; "-" where there is none.
// A p-value is never rounded up to 1 or down to 0.
[[nodiscard]] std::string p_value(std::optional<double> p, std::optional<double> floor = {});

// A number with `digits` significant digits, plain between 1e-4 and 1e7, else with an exponent.
[[nodiscard]] std::string significant(double x, int digits);

// Fixed decimals; "-" when absent. Never "-0.00".
[[nodiscard]] std::string fixed(std::optional<double> x, int decimals);

// Decimals that show two significant digits of the error; four significant digits without an error.
[[nodiscard]] std::string estimate(double x, std::optional<double> error);

// "2,598".
[[nodiscard]] std::string count(std::size_t n);

// "1 close", "4 closes".
[[nodiscard]] std::string plural(std::size_t n, std::string_view one, std::string_view many);

// Without the blanks and tabs around it; a view of the same text.
[[nodiscard]] std::string_view trimmed(std::string_view text);

// Breaks a paragraph at blanks so that no line is longer than `width`; each line starts with
// `indent`.
[[nodiscard]] std::string wrap(std::string_view paragraph, std::size_t width = 100,
                               std::string_view indent = "");

// What `value` prints, each line after `indent`.
template <class T>
[[nodiscard]] std::string indented(const T& value, std::string_view indent) {
  std::ostringstream printed;
  printed << value;
  std::string out, line;
  for (std::istringstream lines(printed.str()); std::getline(lines, line);)
    out += line.empty() ? "\n" : std::string(indent) + line + "\n";
  return out;
}

// The same with a capital first letter, for readings that begin with the name of a series.
[[nodiscard]] std::string sentence(std::string text);

// The candidate nearest to `word` by edit distance, if it is near enough to be meant.
[[nodiscard]] std::optional<std::string> nearest(std::string_view word,
                                                 const std::vector<std::string>& candidates);

// "open, high, low and 20 more": names in a message, long ones cut, as many as a line holds.
[[nodiscard]] std::string some_of(const std::vector<std::string>& names);

}  // namespace brace::inline v0::text
BRACE_API_END
