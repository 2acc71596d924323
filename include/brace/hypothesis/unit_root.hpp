// SPDX-License-Identifier: Apache-2.0
// Unit-root tests by regression, and the test whose null points the other way.
//
//   auto test = brace::hypothesis::adf(log_level, {.deterministic = brace::Deterministic::trend});
//   auto back = brace::hypothesis::kpss(log_level, {.with_trend = true});
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

// How many lagged differences: `lags` as given, the least of a criterion, or the last one whose t
// counts at 10 % (Ng and Perron 1995). maic (Ng and Perron 2001) is made for GLS-detrended values.
enum class LagRule { fixed, aic, bic, maic, t };

struct AdfOptions {
  // constant unless the series trends: then a test without trend term has no power.
  Deterministic deterministic = Deterministic::constant;

  // How many lagged differences: chosen by aic or bic among 0 .. max_lags on a common sample and
  // run again on the longest, or exactly `lags` with LagRule::fixed.
  LagRule rule = LagRule::bic;
  int lags = 0;

  // left out: floor(12 (n/100)^(1/4)) (Schwert 1989).
  std::optional<int> max_lags{};
};

// Null: there is a unit root; a small p speaks for stationarity. t of rho in
//   dy_t = det + rho y_{t-1} + sum_{i=1..k} g_i dy_{t-i} + e_t
// (Dickey and Fuller 1979; Said and Dickey 1984). P-value for the actual number of rows. Rows with
// a missing term are dropped. NOT for a series with a visible trend unless deterministic = trend.
[[nodiscard]] TestResult adf(const Series& series, const AdfOptions& options = {});

// The bandwidth of a Bartlett window: a number from 0, or a rule.
struct Bandwidth {
  enum class Rule { of_test, newey_west };  // the test's own, or Newey and West (1994)
  Rule rule = Rule::of_test;
  std::optional<int> number{};

  Bandwidth(Rule by = Rule::of_test) : rule(by) {}  // NOLINT: a rule is a bandwidth
  Bandwidth(int lags) : number(lags) {}             // NOLINT: and so is a number
};

struct PhillipsPerronOptions {
  Deterministic deterministic = Deterministic::constant;
  bool rho = false;       // the statistic N (a - 1), corrected, instead of the t
  Bandwidth bandwidth{};  // floor(4 (N/100)^(2/9))
};

// Null: there is a unit root. y_t = det + a y_{t-1} + u_t, the t of a - 1 or N (a - 1) corrected
// for the memory of u by its long-run variance (Phillips and Perron 1988). NOT where u has a strong
// negative first correlation: it then rejects far too often (DF-GLS with maic does not).
[[nodiscard]] TestResult phillips_perron(const Series& series,
                                         const PhillipsPerronOptions& options = {});

struct KpssOptions {
  // Null of stationarity around a level, or around a trend line.
  bool with_trend = false;

  Bandwidth bandwidth{};  // floor(4 (n/100)^(1/4))
};

// Null: it is stationary; a small p speaks for a unit root. sum S_t^2 / (n^2 l2) (Kwiatkowski,
// Phillips, Schmidt and Shin 1992), p-value from the exact limit law. Gaps are closed.
[[nodiscard]] TestResult kpss(const Series& series, const KpssOptions& options = {});

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
