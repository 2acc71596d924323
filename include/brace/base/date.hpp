// SPDX-License-Identifier: Apache-2.0
// Dates and times of observations: seconds since 1970, no time zone.
//
//   auto day = brace::parse_date("2019-05-02");   // empty when the text is not a date
//   brace::format_date(*day);                     // "2019-05-02", and a time of day if it has one
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <chrono>
#include <optional>
#include <string>
#include <string_view>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

using Timestamp = std::chrono::sys_seconds;

// Reads "2019-05-02", "2019-05-02 14:30", "2019-05-02T14:30:05". Any other form needs a `format` in
// strptime's letters ("%d/%m/%Y"): a format is never guessed where day and month could be swapped.
[[nodiscard]] std::optional<Timestamp> parse_date(std::string_view text,
                                                  std::string_view format = "");

// "2019-05-02", and " 14:30" or " 14:30:05" after it where the time of day is not midnight.
[[nodiscard]] std::string format_date(Timestamp when);

// "Sunday" for 0, "January" for 1.
[[nodiscard]] std::string_view weekday_name(unsigned weekday);
[[nodiscard]] std::string_view month_name(unsigned month);

}  // namespace brace::inline v0
BRACE_API_END
