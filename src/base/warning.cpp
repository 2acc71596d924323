// SPDX-License-Identifier: Apache-2.0
// Names of the warning codes, and warnings in print. Covered by tests/base/base_test.cpp.
#include "brace/base/warning.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "brace/base/text.hpp"

namespace brace::inline v0 {

std::string_view to_string(WarningCode code) {
  switch (code) {
    case WarningCode::level_modelled: return "level-modelled";
    case WarningCode::trend_missing: return "trend-missing";
    case WarningCode::outlier_drives_fit: return "outlier-drives-fit";
    case WarningCode::over_differenced: return "over-differenced";
    case WarningCode::break_suspected: return "break-suspected";
    case WarningCode::root_at_edge: return "root-at-edge";
    case WarningCode::parameter_at_bound: return "parameter-at-bound";
    case WarningCode::persistence_near_one: return "persistence-near-one";
    case WarningCode::few_observations: return "few-observations";
    case WarningCode::gaps_dropped: return "gaps-dropped";
    case WarningCode::zero_returns_many: return "zero-returns-many";
    case WarningCode::few_rows_decide: return "few-rows-decide";
    case WarningCode::flat_bars: return "flat-bars";
    case WarningCode::impossible_bar: return "impossible-bar";
    case WarningCode::clock_irregular: return "clock-irregular";
    case WarningCode::overnight_returns: return "overnight-returns";
    case WarningCode::variance_ignored: return "variance-ignored";
    case WarningCode::not_converged: return "not-converged";
    case WarningCode::no_fourth_moment: return "no-fourth-moment";
    case WarningCode::moment_undefined: return "moment-undefined";
    case WarningCode::windows_left_out: return "windows-left-out";
    case WarningCode::few_draws: return "few-draws";
    case WarningCode::draws_rejected: return "draws-rejected";
    case WarningCode::fit_stopped: return "fit-stopped";
  }
  return "unknown";
}

std::optional<WarningCode> warning_code_from(std::string_view word) {
  for (int code = 0; to_string(static_cast<WarningCode>(code)) != "unknown"; ++code)
    if (to_string(static_cast<WarningCode>(code)) == word) return static_cast<WarningCode>(code);
  return std::nullopt;
}

bool has_warning(const std::vector<Warning>& warnings, WarningCode code) {
  return std::any_of(warnings.begin(), warnings.end(),
                     [code](const Warning& w) { return w.code == code; });
}

void print_warnings(std::ostream& out, const std::vector<Warning>& warnings) {
  for (const Warning& w : warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(w.code), w.text), 100, "  ");
}

}  // namespace brace::inline v0
