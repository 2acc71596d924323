// SPDX-License-Identifier: Apache-2.0
// Covered by tests/io/clock_test.cpp.
#include "io/zone.hpp"

#include <date/tz.h>
#include <fmt/format.h>

#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

const date::time_zone* zone_called(const std::string& name) {
  try {
    return date::locate_zone(name);
  } catch (const std::exception&) {
    throw Error(ErrorCode::bad_option,
                fmt::format("`zone` {}: is not a zone of this system's list (or tzdata is not "
                            "installed); write it as Europe/Berlin or America/New_York",
                            name));
  }
}

}  // namespace

std::string from_local(std::vector<Timestamp>& times, const std::string& name) {
  const date::time_zone* zone = zone_called(name);
  std::vector<Timestamp> utc;
  utc.reserve(times.size());
  bool goes_through = false;
  for (std::size_t i = 0; i < times.size(); ++i) {
    const date::local_seconds local(times[i].time_since_epoch());
    const date::local_info info = zone->get_info(local);
    const Timestamp first = times[i] - info.first.offset, second = times[i] - info.second.offset;
    switch (info.result) {
      case date::local_info::unique: utc.push_back(first); break;
      case date::local_info::ambiguous:
        utc.push_back(!utc.empty() && first <= utc.back() ? second : first);
        break;
      case date::local_info::nonexistent:
        throw Error(ErrorCode::bad_date,
                    fmt::format("{} was skipped by the clocks of {}: are the times local to it?",
                                format_date(times[i]), name));
    }
    constexpr auto kApart = std::chrono::hours(3);
    if (i == 0) continue;
    const auto step = utc[i] - utc[i - 1];
    goes_through = goes_through || times[i] <= times[i - 1] ||
                   (step <= kApart && step != times[i] - times[i - 1]);
  }
  if (!goes_through)
    return fmt::format(
        "times local to {}, kept as written: no session goes through a change of "
        "its clocks",
        name);
  times = std::move(utc);
  return fmt::format("times local to {} turned to UTC", name);
}

}  // namespace brace::inline v0
