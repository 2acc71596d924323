// SPDX-License-Identifier: Apache-2.0
// The power that makes a positive series' spread even (Box and Cox 1964), its transform and
// inverse.
//
//   brace::PowerEstimate best = brace::estimate_power(prices);
//   double z = brace::power_transform(x, best.power);
//   x = brace::power_inverse(z, best.power);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>

#include "brace/base/api.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// (x^power - 1) / power, and ln x at power 0, without loss of digits near it (Box and Cox 1964,
// equation 1). x > 0.
[[nodiscard]] double power_transform(double x, double power);
// NaN where no x gives that y: 1 + power y <= 0. Where x^power is far below 1 the digits of x are
// gone already in y: a relative error of about eps x^-power.
[[nodiscard]] double power_inverse(double y, double power);

struct PowerEstimate {
  double power = 1;
  // 95 % interval, where 2 (L_max - L) <= 3.84; its ends stop at the ends of the search, -2 and 3.
  double low = 1, high = 1;
  bool at_edge = false;  // the power lies at an end of the search
  // Whether the interval is cut off there, so that it cannot be believed.
  [[nodiscard]] bool beyond() const { return at_edge || low <= -2 || high >= 3; }
};

// Maximum likelihood with normal errors around a level that moves, a broken line with corners two
// seasons apart (at least 24 rows, at most 40 corners), and around the mean of each place in the
// season (Box and Cox 1964, section 3): `period` rows long; left out: that of months and quarters.
// Values present only. Throws Error (not_positive) or, below ten values, (too_few_observations).
[[nodiscard]] PowerEstimate estimate_power(const Series& series, std::optional<int> period = {});

}  // namespace brace::inline v0
BRACE_API_END
