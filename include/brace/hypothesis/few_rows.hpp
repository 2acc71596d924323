// SPDX-License-Identifier: Apache-2.0
// The few rows that make most of a series' variance, behind which tests and models see little else:
// a wrong figure, a split, or a day like no other.
//
//   const brace::FewRows few = brace::rows_that_decide(returns);
//   if (auto doubt = brace::few_rows_decide(returns)) std::cout << doubt->text;
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/warning.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct FewRows {
  std::vector<std::size_t> rows;  // 0-based, in order of time; empty where no few rows decide
  std::vector<double> values;     // of these rows; of a series that lingers, the changes to them
  double share = 0;               // of the variance of the values, or of the changes
  bool of_changes = false;        // the series lingers (`lingers`): its changes are judged
};

// The fewest rows that make more than half of the variance, where they are one in 100 rows at most
// (one of fewer rows, five of more than 500); two opposite rows side by side, as a wrong price
// leaves in returns, count as one. Of Student values with four degrees of freedom this finds some
// in 1 of 50 samples of 100, in 1 of 120 of 500 and in 1 of 400 of 1,000. Needs 50 values; one
// pass.
[[nodiscard]] FewRows rows_that_decide(const Series& series);

// The same in words, as few-rows-decide; empty where there are none.
[[nodiscard]] std::optional<Warning> few_rows_decide(const Series& series);

}  // namespace brace::inline v0
BRACE_API_END
