// SPDX-License-Identifier: Apache-2.0
// The news-impact curve: what one shock does to the volatility of the next row, everything before
// it at rest (Engle and Ng 1993, section II).
//
//   brace::NewsImpact curve = brace::news_impact(fit);    // curve.volatility over curve.shock
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct NewsImpact {
  double level = 0;                // volatility at rest, in the unit of the data
  std::vector<double> shock;       // e, from -reach to reach times the level
  std::vector<double> volatility;  // sqrt(h) of the row after it
  double fall = 0, rise = 0;       // volatility after a shock of two levels down, and up
};

// At rest: the long-run volatility, or the typical one, or where the process has none the root of
// the mean h of the fit. Throws Error (bad_option) where the fit is not usable or its variance is
// steady.
[[nodiscard]] NewsImpact news_impact(const Fit& fit, double reach = 4, int points = 161);

}  // namespace brace::inline v0
BRACE_API_END
