// SPDX-License-Identifier: Apache-2.0
// Volatility profiles. Covered by tests/series/parts_test.cpp.
#include "brace/series/profile.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

using std::chrono::days;
using std::chrono::floor;

int key_of(ProfileBy by, Timestamp when) {
  const auto day = floor<days>(when);
  if (by == ProfileBy::time_of_day) return static_cast<int>((when - day).count());
  return static_cast<int>(std::chrono::weekday(day).c_encoding());
}

std::string label_of(ProfileBy by, int key) {
  if (by == ProfileBy::weekday) return std::string(weekday_name(static_cast<unsigned>(key)));
  return fmt::format("{:02}:{:02}", key / 3600, key / 60 % 60);
}

// Monday first, as a trading week runs.
int place_of(ProfileBy by, int key) {
  return by == ProfileBy::weekday ? (key + 6) % 7 : key;
}

}  // namespace

VolatilityProfile volatility_profile(const Series& series, ProfileBy by) {
  if (series.times.empty())
    throw Error(ErrorCode::bad_option, fmt::format("a profile: {} has no dates", series.name));
  std::map<int, std::vector<double>> values;
  std::map<int, int> key_at;
  for (std::size_t t = 0; t < series.size(); ++t) {
    if (std::isnan(series.values[t])) continue;
    const int key = key_of(by, series.times[t]);
    values[place_of(by, key)].push_back(series.values[t]);
    key_at[place_of(by, key)] = key;
  }
  VolatilityProfile profile;
  profile.by = by;
  if (values.size() < 2)
    throw Error(ErrorCode::bad_option,
                fmt::format("a profile: {} has one {} only", series.name,
                            by == ProfileBy::weekday ? "weekday" : "time of day"));
  double total = 0;
  std::size_t n = 0;
  for (const auto& [place, of_slot] : values) {
    const int key = key_at[place];
    VolatilityProfile::Slot slot;
    slot.key = key;
    slot.label = label_of(by, key);
    slot.count = of_slot.size();
    if (slot.count < 2)
      throw Error(
          ErrorCode::bad_option,
          fmt::format("a profile: {} has a single value at {}; regroup it to a steady clock "
                      "or cut the row out",
                      series.name, slot.label));
    const auto count = static_cast<double>(slot.count);
    for (const double v : of_slot) slot.mean += v / count;
    double squares = 0, fourth = 0;
    for (const double v : of_slot) {
      const double s = (v - slot.mean) * (v - slot.mean);
      squares += s;
      fourth += s * s;
    }
    // Their mean is rounded, so that squares of equal values need not be 0.
    const auto [least, most] = std::minmax_element(of_slot.begin(), of_slot.end());
    if (*least == *most)
      throw Error(ErrorCode::bad_option, fmt::format("a profile: the values of {} at {} are all {}",
                                                     series.name, slot.label, *least));
    const double variance = squares / count;
    slot.volatility = std::sqrt(variance);
    // Delta method from the spread of the squares.
    slot.error = std::sqrt(std::max(0.0, fourth / count - variance * variance) / count) /
                 (2 * slot.volatility);
    total += squares;
    n += slot.count;
    profile.slots.push_back(slot);
  }
  const double overall = std::sqrt(total / static_cast<double>(n));
  for (VolatilityProfile::Slot& slot : profile.slots) {
    slot.factor = slot.volatility / overall;
    slot.error /= overall;
  }
  return profile;
}

std::size_t slot_of(const VolatilityProfile& profile, Timestamp when) {
  const int key = key_of(profile.by, when);
  return static_cast<std::size_t>(
      std::find_if(profile.slots.begin(), profile.slots.end(),
                   [&](const VolatilityProfile::Slot& slot) { return slot.key == key; }) -
      profile.slots.begin());
}

Series divided_by(const Series& series, const VolatilityProfile& profile) {
  Series out = series;
  for (std::size_t t = 0; t < out.size(); ++t) {
    const std::size_t slot = slot_of(profile, series.times[t]);
    if (slot < profile.slots.size()) out.values[t] /= profile.slots[slot].factor;
  }
  return out;
}

}  // namespace brace::inline v0
