// SPDX-License-Identifier: Apache-2.0
// Portmanteau tests: is anything left to predict from a series' own past?
//
//   auto test = brace::hypothesis::ljung_box(returns, {.lags = 10});
//   if (*test.rejects()) std::cout << "memory in the returns";
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

struct WhitenessOptions {
  // Autocorrelations 1 .. lags enter; left out: min(10, n/5).
  std::optional<int> lags{};

  // ARMA terms fitted before: dof = lags - fitted; no p-value where that is below 1.
  int fitted = 0;
};

// Null: no autocorrelation up to that lag. Q = n(n+2) sum r_k^2/(n-k), chi-squared (Ljung and Box
// 1978). Rejects too often where volatility clusters: use the robust form beside it.
[[nodiscard]] TestResult ljung_box(const Series& series, const WhitenessOptions& options = {});

// The same null, each r_k scaled by its heteroskedasticity-robust variance (the diagonal of Lobato,
// Nankervis and Savin 2001).
[[nodiscard]] TestResult ljung_box_robust(const Series& series,
                                          const WhitenessOptions& options = {});

// Null: no autocorrelation up to that lag. Q = n sum r_k^2 (Box and Pierce 1970); for comparison.
[[nodiscard]] TestResult box_pierce(const Series& series, const WhitenessOptions& options = {});

// Null: no autocorrelation in the squares of y - ybar, that is no ARCH effects (McLeod and Li
// 1983).
[[nodiscard]] TestResult mcleod_li(const Series& series, const WhitenessOptions& options = {});

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
