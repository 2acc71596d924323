// SPDX-License-Identifier: Apache-2.0
// Did the variance change for good? Cumulated squares, plain and robust to clustering.
//
//   auto found = brace::hypothesis::variance_breaks(returns);
//   std::cout << found.test << found.breaks.size();
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/mean_breaks.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

enum class SquaresScale {
  normal,    // sqrt(n/2) max|D_k|: right for independent normal values only (Inclan and Tiao 1994)
  fourth,    // their own fourth moment: independent values, any tails (kappa-1)
  spectral,  // kappa-2: long-run variance of the squares by an AR spectrum, order by AIC
  robust,    // the same, or with half the greatest order where that is larger: keeps its size
             // where squares remember faintly and for long, as returns do
  bartlett,  // kappa-2 with a Bartlett window; for comparison, since it rejects far too often
};
[[nodiscard]] std::string_view to_string(SquaresScale scale);

struct CumulativeSquaresOptions {
  SquaresScale scale = SquaresScale::robust;
  std::optional<int> bandwidth{};  // of bartlett; left out: floor(4 (n/100)^(2/9))
  bool centred = true;             // take the mean out first
};

// Null: the unconditional variance is constant. Largest deviation of the cumulated squares from a
// straight line, and where it stands (Sanso, Arago and Carrion 2004). NOT plain
// or with a short window on returns: clustering alone then rejects in 30 to 90 % of series.
[[nodiscard]] TestResult cumulative_squares(const Series& series,
                                            const CumulativeSquaresOptions& options = {});

struct VarianceBreaksOptions {
  CumulativeSquaresOptions squares{};
  double significance = 0.05;
  std::size_t least = 100;  // observations in a segment
  int most = 8;             // breaks
};

struct VarianceBreaks {
  TestResult test;                // on the whole sample
  std::vector<BreakDate> breaks;  // in order of time, with intervals on the squares (Bai 1997)
};

// The test iterated over segments, then each date tried again between its neighbours until none
// moves or falls (Inclan and Tiao 1994, section 3).
[[nodiscard]] VarianceBreaks variance_breaks(const Series& series,
                                             const VarianceBreaksOptions& options = {});

// A date with its interval on the squares of the whole series, whatever the tests say.
[[nodiscard]] BreakDate variance_break_at(const Series& series, std::size_t rows_before);

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
