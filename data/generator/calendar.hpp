// SPDX-License-Identifier: Apache-2.0
// When the exchange of Port Merrow trades.
//
//   if (!brace::demo::is_holiday(day)) ...
#pragma once

#include <chrono>

namespace brace::demo {

// Weekends, 1 January, 25 and 26 December, and Harbour Day, the first Monday of June.
inline bool is_holiday(std::chrono::sys_days day) {
  using namespace std::chrono;
  const year_month_day d(day);
  const weekday w(day);
  if (w == Saturday || w == Sunday) return true;
  if (d.month() == January && d.day() == 1d) return true;
  if (d.month() == December && (d.day() == 25d || d.day() == 26d)) return true;
  return d.month() == June && w == Monday && d.day() <= 7d;
}

}  // namespace brace::demo
