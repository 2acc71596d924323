// SPDX-License-Identifier: Apache-2.0
// The shape of volatility over the day or the week: how far the typical move of each hour lies from
// the average one.
//
//   auto hours = brace::volatility_profile(returns, brace::ProfileBy::time_of_day);
//   brace::Series steady = brace::divided_by(returns, hours);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class ProfileBy { time_of_day, weekday };

struct VolatilityProfile {
  struct Slot {
    std::string label;      // "09:30", "Monday"
    int key = 0;            // seconds of the day, or 0 (Sunday) to 6
    std::size_t count = 0;  // values present
    double mean = 0;        // of the values
    double volatility = 0;  // root of the mean square around the slot's mean
    double factor = 1;      // volatility over the root of the mean square of all slots
    double error = 0;       // standard error of the factor, from the spread of the squares
  };
  ProfileBy by = ProfileBy::time_of_day;
  std::vector<Slot> slots;  // in the order of the day, or from Monday
};

// Factors whose squares average one over the values present, so that dividing by them leaves the
// variance of the whole as it was (Andersen and Bollerslev 1997, with one slot a time of
// day). Throws Error (bad_option) without dates, where no slot repeats, or where one slot's values
// do not vary.
[[nodiscard]] VolatilityProfile volatility_profile(const Series& series, ProfileBy by);

// Position in profile.slots of a date; slots.size() for one the profile does not know.
[[nodiscard]] std::size_t slot_of(const VolatilityProfile& profile, Timestamp when);

// Each value over its slot's factor; as it is in a slot the profile does not know.
[[nodiscard]] Series divided_by(const Series& series, const VolatilityProfile& profile);

}  // namespace brace::inline v0
BRACE_API_END
