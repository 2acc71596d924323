// SPDX-License-Identifier: Apache-2.0
// Rows that one shock of the usual size does not explain: additive outliers, level shifts and
// temporary changes, dated and offered as regressors.
//
//   brace::OutlierReport found = brace::find_outliers(fitted);
//   std::cout << found;       brace::estimate(found.model, series);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class OutlierKind {
  additive,          // one row off: `pulse:DATE`
  level_shift,       // all rows from here on: `step:DATE`
  temporary_change,  // off here, .7 of it one row later, .49 two later: `fade:DATE`
};
[[nodiscard]] std::string_view to_string(OutlierKind kind);

struct Outlier {
  OutlierKind kind = OutlierKind::additive;
  std::size_t index = 0;  // 0-based row of the fitted window
  std::optional<Timestamp> date;
  double size = 0;  // unit of the data
  double t = 0;     // size over its error
};

struct OutlierOptions {
  // |t| from which a row counts; left out: the value that the largest of all 3 n statistics of
  // clean normal data exceeds in one series of twenty.
  std::optional<double> critical{};
  int most = 12;
};

struct OutlierReport {
  std::vector<Outlier> outliers;  // by row
  double critical = 0;
  Model model;  // the fitted one with a regressor for each; the same where there are no dates
  bool offered = false;
  std::vector<Warning> warnings;
};

// Chen and Liu (1993): the effect of each kind at each row, regressed out of the residuals one
// after another, largest first; then all together, those no longer beyond the critical value
// dropped. Residuals are taken on the scale of the fitted variance, so that a rough period is none.
// Throws Error (bad_option) for a fit that is not usable.
[[nodiscard]] OutlierReport find_outliers(const Fit& fit, const OutlierOptions& options = {});

std::ostream& operator<<(std::ostream& out, const OutlierReport& report);

}  // namespace brace::inline v0
BRACE_API_END
