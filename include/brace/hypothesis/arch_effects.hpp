// SPDX-License-Identifier: Apache-2.0
// ARCH effects: does the size of yesterday's surprise tell the size of today's?
//
//   auto test = brace::hypothesis::arch_lm(returns, {.lags = 5});
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

struct ArchLmOptions {
  // Lags of the squared deviation in the regression; left out: min(10, n/5), and fewer where gaps
  // leave less than three rows a term.
  std::optional<int> lags{};

  // The F form, dof (lags, N - lags - 1), instead of N R^2 and chi-squared.
  bool f_form = false;

  // Subtract the mean first. Turn off for residuals, which have mean zero by construction.
  bool demean = true;

  // Lags of the values themselves that are taken out first, by least squares; empty: as many as
  // BIC chooses. Memory of the mean makes squares autocorrelated without any ARCH effect.
  std::optional<int> mean_lags = 0;
};

// Null: no ARCH effects up to that lag. e_t^2 on a constant and its own lags (Engle 1982, who asks
// for the residuals of a mean equation); rows with a missing term are dropped.
[[nodiscard]] TestResult arch_lm(const Series& series, const ArchLmOptions& options = {});

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
