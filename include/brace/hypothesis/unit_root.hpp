// SPDX-License-Identifier: Apache-2.0
// Is the level stationary? Two tests whose nulls point opposite ways, and one verdict from both.
//
//   auto result = brace::unit_root_battery(brace::log_level(prices));
//   std::cout << result.reading;     // "log settle has a unit root; ..."
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/warning.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

namespace brace {

enum class LagRule { fixed, aic, bic };

struct AdfOptions {
  // constant unless the series trends: then a test without trend term has no power.
  Deterministic deterministic = Deterministic::constant;

  // How many lagged differences: chosen by aic or bic among 0 .. max_lags on a common sample and
  // run again on the longest, or exactly `lags` with LagRule::fixed.
  LagRule rule = LagRule::bic;
  int lags = 0;

  // 0 takes floor(12 (n/100)^(1/4)) (Schwert 1989).
  int max_lags = 0;
};

// Null: there is a unit root; a small p speaks for stationarity. t of rho in
//   dy_t = det + rho y_{t-1} + sum_{i=1..k} g_i dy_{t-i} + e_t
// (Dickey and Fuller 1979; Said and Dickey 1984). P-value for the actual number of rows. Rows with
// a missing term are dropped. NOT for a series with a visible trend unless deterministic = trend.
[[nodiscard]] TestResult adf(const Series& series, const AdfOptions& options = {});

struct KpssOptions {
  // Null of stationarity around a level, or around a trend line.
  bool with_trend = false;

  // Bartlett bandwidth; -1 takes floor(4 (n/100)^(1/4)).
  int bandwidth = -1;
};

// Null: it is stationary; a small p speaks for a unit root. sum S_t^2 / (n^2 l2) (Kwiatkowski,
// Phillips, Schmidt and Shin 1992), p-value from the exact limit law. Gaps are closed.
[[nodiscard]] TestResult kpss(const Series& series, const KpssOptions& options = {});

enum class StationarityVerdict { stationary, trend_stationary, unit_root, conflict };
[[nodiscard]] std::string_view to_string(StationarityVerdict verdict);

struct UnitRootBattery {
  std::string of;                                         // the series tested
  std::vector<TestResult> tests;                          // adf, then kpss
  Deterministic deterministic = Deterministic::constant;  // used in both
  StationarityVerdict verdict = StationarityVerdict::conflict;
  std::string reading;
  std::vector<Warning> warnings;
};

struct BatteryOptions {
  // Empty: trend if the mean of the differences is away from zero at 5 % (t by long-run variance),
  // else constant.
  std::optional<Deterministic> deterministic{};
  AdfOptions adf{};    // its deterministic is overruled
  KpssOptions kpss{};  // its with_trend is overruled
};

// The batteries side by side on a series and what may be modelled in its place, and one sentence on
// both.
struct UnitRootReport {
  std::vector<UnitRootBattery> batteries;  // the level first
  std::string reading;
};

// Both tests, then docs/unit-roots.md's table:
//   adf rejects, kpss does not -> stationary (trend-stationary when a trend is fitted)
//   kpss rejects, adf does not -> unit root
//   both or neither            -> conflict
[[nodiscard]] UnitRootBattery unit_root_battery(const Series& series,
                                                const BatteryOptions& options = {});

// `level` and `change` (its return or difference) tested side by side. A deterministic given holds
// for the level; the change is tested with a constant.
[[nodiscard]] UnitRootReport compare_unit_roots(const Series& level, const Series& change,
                                                const BatteryOptions& options = {});

std::ostream& operator<<(std::ostream& out, const UnitRootReport& report);

}  // namespace brace
