// SPDX-License-Identifier: Apache-2.0
// Is the level stationary? Tests whose nulls point opposite ways, and one verdict from all.
//
//   auto battery = brace::unit_root_battery(brace::log_level(prices));
//   std::cout << battery.reading;     // "log settle has a unit root: ..."
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/warning.hpp"
#include "brace/hypothesis/gls_unit_root.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/unit_root_with_break.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class StationarityVerdict {
  stationary,
  trend_stationary,
  unit_root,
  break_stationary,
  conflict
};
[[nodiscard]] std::string_view to_string(StationarityVerdict verdict);

struct UnitRootBattery {
  std::string of;     // the series tested
  std::string label;  // a word for it in a table: "level", "log level", "return"
  // adf, pp, df-gls, ng-perron (MZt), point-optimal, zivot-andrews, kpss
  std::vector<TestResult> tests;
  Deterministic deterministic = Deterministic::constant;  // used in all
  StationarityVerdict verdict = StationarityVerdict::conflict;
  // Of a series that is stationary but for a break: d (local Whittle) of what is left beside that
  // break, where it stays above 0.2. Memory makes kpss reject without any break.
  std::optional<double> memory_left{};
  std::string reading;
  std::vector<Warning> warnings;
};

struct BatteryOptions {
  // Empty: trend if the mean of the differences is away from zero at 5 % (t by long-run variance),
  // or if adf with a trend rejects a unit root at 1 % and the slope is away from zero at 5 %; else
  // constant.
  std::optional<Deterministic> deterministic{};

  // Empty: bic for adf and the break test, maic for the GLS family.
  std::optional<hypothesis::LagRule> rule{};
  int lags = 0;  // with LagRule::fixed

  hypothesis::Bandwidth bandwidth{};  // of pp and kpss
  hypothesis::BreakModel break_model = hypothesis::BreakModel::both;
  std::vector<std::string> only{};  // ids; the verdict needs adf, pp, df-gls and kpss
};

// All tests, then the table of docs/unit-roots.md. `adf`, `pp` and `df-gls` reject a unit root
// together when two of the three do.
[[nodiscard]] UnitRootBattery unit_root_battery(const Series& series,
                                                const BatteryOptions& options = {});

// Whether the change is to be modelled in place of the series: a unit root; and, where the tests
// conflict or only a break makes it stationary, unless two of adf, pp and df-gls reject the unit
// root, and adf at 1 %.
[[nodiscard]] bool asks_for_difference(const UnitRootBattery& battery);

// The batteries side by side on a series and what may be modelled in its place, and one sentence on
// all.
struct UnitRootReport {
  std::vector<UnitRootBattery> batteries;
  std::string reading;
  std::vector<std::string> advice;  // what to do next, a sentence each
};

// Levels in the order given (such as the price and its logarithm; the last one decides) and
// `change`, the return or difference of the last. A deterministic given holds for the levels; the
// change is tested with a constant.
[[nodiscard]] UnitRootReport compare_unit_roots(const std::vector<Series>& levels,
                                                const Series& change,
                                                const BatteryOptions& options = {});

std::ostream& operator<<(std::ostream& out, const UnitRootReport& report);

}  // namespace brace::inline v0
BRACE_API_END
