// SPDX-License-Identifier: Apache-2.0
// Unit roots when the level or the trend may have broken at an unknown date.
//
//   auto test = brace::hypothesis::zivot_andrews(brace::log_level(prices));
//   std::cout << test << test.break_at->row;
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>

#include "brace/base/api.hpp"
#include "brace/hypothesis/unit_root.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

enum class BreakModel { intercept, trend, both };  // what breaks: level, slope, both
[[nodiscard]] std::string_view to_string(BreakModel model);

struct BreakRootOptions {
  BreakModel model = BreakModel::both;

  // Lagged differences, chosen once in the regression with trend and without break.
  LagRule rule = LagRule::bic;
  int lags = 0;                   // with LagRule::fixed
  std::optional<int> max_lags{};  // left out: floor(12 (n/100)^(1/4))
};

// Null: there is a unit root and no break; a small p speaks for stationarity around a broken trend.
// Least t of rho over the dates ceil(.15 n) .. floor(.85 n) in
//   dy_t = c + b t + th 1(t > B) + g (t - B) 1(t > B) + rho y_{t-1} + lags + e_t
// (Zivot and Andrews 1992, equations 1' to 3'). `break_at`: where the least stands. Gaps are
// closed.
[[nodiscard]] TestResult zivot_andrews(const Series& series, const BreakRootOptions& options = {});

// The same with two breaks, at least .15 n apart (Lumsdaine and Papell 1997). `break_at` and
// `second_break_at`: where the least stands. Quadratic in n: about a second for 2,500 values.
[[nodiscard]] TestResult two_breaks(const Series& series, const BreakRootOptions& options = {});

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
