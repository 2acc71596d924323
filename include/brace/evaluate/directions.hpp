// SPDX-License-Identifier: Apache-2.0
// Forecasts of direction (up, flat or down) against outcomes.
//
//   brace::Directions d = brace::directions(outcomes, forecasts, /*threshold=*/.1);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <array>
#include <cstddef>
#include <span>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct Directions {
  // [called][came]: down, flat, up.
  std::array<std::array<std::size_t, 3>, 3> table{};
  std::size_t n = 0;
  double right = 0, by_chance = 0;  // shares; by chance: what the margins alone would give
  // Null: calls and outcomes are independent (Pesaran and Timmermann 1992, equation 6, one-sided:
  // more right calls than chance gives). Without a p-value where one side never changes.
  TestResult test;
};

// Up where a value is above the threshold, down where below minus it. Rows where either is missing
// are left out. Throws Error (too_few_observations) for fewer than 10 rows.
[[nodiscard]] Directions directions(std::span<const double> actual,
                                    std::span<const double> forecast, double threshold = 0);

}  // namespace brace::inline v0
BRACE_API_END
