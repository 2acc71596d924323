// SPDX-License-Identifier: Apache-2.0
// Local times of a zone, by Hinnant's library and the system's zone data.
//
//   std::string note = from_local(times, "Europe/Berlin");
#pragma once

#include <string>
#include <vector>

#include "brace/base/date.hpp"

namespace brace::inline v0 {

// Turns times that are local to the zone to UTC where rows go on through a change of its clocks
// (two rows at most three hours apart lie on either side of one); else leaves them as written,
// which is what a session's hours are told by. Of an hour that comes twice the first row is taken
// as the earlier one, unless time would not go on. Returns what was done, for the account. Throws
// Error (bad_option) for a zone that is not known and (bad_date) for a time that its clocks skip.
std::string from_local(std::vector<Timestamp>& times, const std::string& zone);

}  // namespace brace::inline v0
