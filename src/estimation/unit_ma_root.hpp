// SPDX-License-Identifier: Apache-2.0
// Was a series differenced once too often? Then its moving average has a root at one, and the
// likelihood does not tell the estimate from it.
//
//   if (auto found = unit_ma_root(fit, data); found && !found->rejected()) ...   //
//   over-differenced
//
// The likelihood ratio of the maximum against the highest point with that root at one, whose law is
// not chi-squared: in most samples the maximum is that point. Davis and Dunsmuir (1996) have 1.94
// at 5 % for one root and no mean; the others are simulated (4,000 series of 500 rows
// each), 1.87 in their case.
#pragma once

#include <optional>

#include "brace/estimation/fit.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

struct UnitMaRoot {
  double inverse_root = 0;  // the largest real one, in its power of B
  double statistic = 0, critical = 0;
  [[nodiscard]] bool rejected() const { return statistic > critical; }
};

// Of the factor whose root is nearest to one. Empty where no MA root is real and beyond .95 (.8 in
// a power of B), nothing was differenced, or the fit has no exact likelihood.
[[nodiscard]] std::optional<UnitMaRoot> unit_ma_root(const Fit& fit, const MeanData& data);

}  // namespace brace::inline v0
