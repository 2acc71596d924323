// SPDX-License-Identifier: Apache-2.0
// How heavy the tails are, and which days made them.
//
//   brace::TailIndex both = brace::tail_index(returns);
//   for (const brace::ExtremeRow& day : brace::extremes(returns, 5)) std::cout << day.value;
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class TailSide { both, left, right };

struct TailIndex {
  TailSide tail = TailSide::both;
  double alpha = 0;      // moments of an order below it exist
  double se = 0;         // alpha / sqrt k, for independent values: too small under clustering
  std::size_t k = 0;     // extreme values used
  double threshold = 0;  // the (k+1)th largest deviation
};

// Hill (1975) on the k largest deviations from the median; k left out: 5 % of the values (of that
// tail), at least 10. Throws Error below 100 values.
[[nodiscard]] TailIndex tail_index(const Series& series, TailSide tail = TailSide::both,
                                   std::optional<std::size_t> k = {});

struct ExtremeRow {
  std::size_t index = 0;  // 0-based row
  std::optional<Timestamp> date;
  double value = 0;
  double sizes = 0;  // deviation from the median over 1.4826 times the median deviation
};

// The `count` values farthest from the median, farthest first. Sizes are measured robustly, so that
// extremes do not hide themselves by blowing up the standard deviation.
[[nodiscard]] std::vector<ExtremeRow> extremes(const Series& series, std::size_t count);

}  // namespace brace::inline v0
BRACE_API_END
