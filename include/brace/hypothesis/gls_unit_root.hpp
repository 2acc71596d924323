// SPDX-License-Identifier: Apache-2.0
// Unit-root tests on GLS-detrended values: more power near one than the Dickey-Fuller regression.
//
//   auto test = brace::hypothesis::df_gls(brace::log_level(prices));
//   for (const auto& m : brace::hypothesis::ng_perron(brace::log_level(prices))) std::cout << m;
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/unit_root.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

struct GlsOptions {
  Deterministic deterministic = Deterministic::constant;  // constant or trend

  // maic is computed on OLS-detrended values (Perron and Qu 2007), which keeps the power far from
  // the null.
  LagRule rule = LagRule::maic;
  int lags = 0;                   // with LagRule::fixed
  std::optional<int> max_lags{};  // left out: floor(12 (n/100)^(1/4))
};

// Null: there is a unit root. Deterministic terms are estimated under a = 1 - 7/n (constant) or
// 1 - 13.5/n (trend); then t of rho without deterministic terms (Elliott, Rothenberg and Stock
// 1996, section 3). Gaps are closed.
[[nodiscard]] TestResult df_gls(const Series& series, const GlsOptions& options = {});

// The same null by Ng and Perron (2001): MZa, MZt, MSB, MPT in this order, each
// small under stationarity. Spectrum at zero by the DF-GLS autoregression. Holds its size where
// moving averages are strongly negative.
[[nodiscard]] std::vector<TestResult> ng_perron(const Series& series,
                                                const GlsOptions& options = {});

// Null: there is a unit root; the most powerful test against a = 1 - 7/n (constant) or 1 - 13.5/n
// (trend): [S(a) - a S(1)] / spectrum at zero (Elliott, Rothenberg and Stock 1996, equation 9).
[[nodiscard]] TestResult point_optimal(const Series& series, const GlsOptions& options = {});

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
