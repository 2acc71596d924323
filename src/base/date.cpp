// SPDX-License-Identifier: Apache-2.0
// Dates through Hinnant's library. Covered by tests/base/base_test.cpp.
#include "brace/base/date.hpp"

#include <date/date.h>
#include <array>

#include <sstream>

namespace brace::inline v0 {
namespace {

std::optional<Timestamp> parse_as(const std::string& text, const std::string& format) {
  std::istringstream in(text);
  Timestamp when{};
  in >> date::parse(format, when);
  if (in.fail()) return std::nullopt;
  in >> std::ws;
  return in.eof() || in.peek() == std::char_traits<char>::eof() ? std::optional(when)
                                                                : std::nullopt;
}

}  // namespace

std::optional<Timestamp> parse_date(std::string_view text, std::string_view format) {
  const std::string given(text);
  if (!format.empty()) return parse_as(given, std::string(format));
  // Four digits of a year first: this alone rules out every form whose day and month could be
  // swapped.
  if (given.size() < 8 || given.find_first_not_of("0123456789") != 4) return std::nullopt;
  for (const char* form :
       {"%Y-%m-%d", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S"})
    if (auto when = parse_as(given, form)) return when;
  return std::nullopt;
}

std::string format_date(Timestamp when) {
  const auto second_of_day = (when - std::chrono::floor<std::chrono::days>(when)).count();
  if (second_of_day == 0) return date::format("%Y-%m-%d", when);
  return date::format(second_of_day % 60 == 0 ? "%Y-%m-%d %H:%M" : "%Y-%m-%d %H:%M:%S", when);
}

std::string_view weekday_name(unsigned weekday) {
  constexpr std::array<std::string_view, 7> kNames{"Sunday",   "Monday", "Tuesday", "Wednesday",
                                                   "Thursday", "Friday", "Saturday"};
  return kNames.at(weekday);
}

std::string_view month_name(unsigned month) {
  constexpr std::array<std::string_view, 12> kNames{
      "January", "February", "March",     "April",   "May",      "June",
      "July",    "August",   "September", "October", "November", "December"};
  return kNames.at(month - 1);
}

}  // namespace brace::inline v0
