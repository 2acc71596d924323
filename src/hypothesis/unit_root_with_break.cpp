// SPDX-License-Identifier: Apache-2.0
// Unit roots beside breaks. Covered by tests/hypothesis/unit_root_test.cpp.
#include "brace/hypothesis/unit_root_with_break.hpp"

#include <fmt/format.h>

#include "brace/base/error.hpp"
#include "hypothesis/by_law.hpp"
#include "hypothesis/unit_root_statistics.hpp"

namespace brace::inline v0::hypothesis {
namespace {

using laws::SimulatedLaw;

using Scan = unit_root::LeastT (*)(const std::vector<double>&, int, BreakModel, double);

TestResult least_t(const Series& series, const BreakRootOptions& options, Scan scan,
                   const std::string& id, SimulatedLaw first, const std::string& null) {
  const Series y = without_gaps(series);
  const std::string name = id == "two-breaks" ? "a two-break" : "a Zivot-Andrews";
  require_usable(y, static_cast<std::size_t>(laws::least_T(first)) + 1, name + " test");
  const int k = unit_root::lags_for(y.values, Deterministic::trend, options.rule, options.lags,
                                    options.max_lags, name);
  const unit_root::LeastT least = scan(y.values, k, options.model, 0.15);
  if (least.first == 0)
    throw Error(ErrorCode::constant_series,
                fmt::format("{}: the regression of {} test is collinear; take fewer lags",
                            series.name, name));
  TestResult test = unit_root::by_law(
      id, fmt::format("least t, {}", to_string(options.model)), least.t,
      static_cast<SimulatedLaw>(static_cast<int>(first) + static_cast<int>(options.model)),
      static_cast<int>(least.rows));
  test.null = null;
  test.lags = k;
  test.deterministic = Deterministic::trend;
  test.break_at = unit_root::break_at(y, least.first);
  if (least.second > 0) test.second_break_at = unit_root::break_at(y, least.second);
  return test;
}

}  // namespace

std::string_view to_string(BreakModel model) {
  switch (model) {
    case BreakModel::intercept: return "intercept";
    case BreakModel::trend: return "trend";
    case BreakModel::both: return "both";
  }
  return "both";
}

TestResult zivot_andrews(const Series& series, const BreakRootOptions& options) {
  return least_t(series, options, unit_root::zivot_andrews, "zivot-andrews",
                 SimulatedLaw::zivot_andrews_intercept, "there is a unit root and no break");
}

TestResult two_breaks(const Series& series, const BreakRootOptions& options) {
  return least_t(series, options, unit_root::two_breaks, "two-breaks",
                 SimulatedLaw::two_breaks_intercept, "there is a unit root and no break");
}

}  // namespace brace::inline v0::hypothesis
