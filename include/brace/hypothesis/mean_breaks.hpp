// SPDX-License-Identifier: Apache-2.0
// Did the level or a regression change, when, and how often?
//
//   auto found = brace::hypothesis::bai_perron(returns);
//   for (const auto& b : found.breaks) std::cout << brace::format_date(*b.date);
//
// A break's row is that of the last observation before the change, counted from 0 with gaps closed;
// its date is that observation's.
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0::hypothesis {

// y_t on a constant, `lags` own lags and a trend.
struct BreakRegression {
  int lags = 0;
  bool with_trend = false;

  [[nodiscard]] int coefficients() const { return 1 + lags + (with_trend ? 1 : 0); }
};

// Null: the coefficients are the same on both sides of a date known beforehand; F (Chow 1960). A
// date read off the data is not known beforehand: take sup_f. `rows_before`: how many observations
// stand before it.
[[nodiscard]] TestResult chow(const Series& series, std::size_t rows_before,
                              const BreakRegression& regression = {});

// Null: the coefficients are constant. Largest |CUSUM of recursive residuals| over its boundary
// a (1 + 2 t), and where it stands (Brown, Durbin and Evans 1975).
[[nodiscard]] TestResult cusum(const Series& series, const BreakRegression& regression = {});

// The same by the residuals of the whole sample, a bridge under the null (Ploberger and Kramer
// 1992): more power against early and late breaks.
[[nodiscard]] TestResult cusum_ols(const Series& series, const BreakRegression& regression = {});

// Null: the variance of the recursive residuals is constant. Their cumulated squares, scaled by
// their own fourth moment so that heavy tails do not reject (Brown, Durbin and Evans 1975). NOT for
// returns whose variance clusters: take cumulative_squares.
[[nodiscard]] TestResult cusum_squares(const Series& series,
                                       const BreakRegression& regression = {});

struct ChangeOptions {
  // Share of the sample left out at each end, .02 to .4.
  double trim = 0.15;

  // Scale by the long-run variance of the residuals (AR spectrum) instead of their variance, for a
  // level whose values have memory. Of the level only (no lags, no trend).
  bool long_run = false;
};

// Null: the coefficients are constant; the date of a break is not known. In this order: the largest
// F, ln of the mean of exp(W/2), the mean F over all dates ceil(trim n) .. floor((1 - trim) n)
// (Andrews 1993; Andrews and Ploberger 1994). The laws of the last two are known for a trim of .15
// and at most 5 and 10 coefficients; else they have no p-value. P-values take W = (v + p/2 - 1)
// ln(1 + p F/v) with v = n - 2 p, which is chi-squared to order 1/n^2 (Box 1949).
[[nodiscard]] std::vector<TestResult> sup_f(const Series& series,
                                            const BreakRegression& regression = {},
                                            const ChangeOptions& options = {});

// A date with its confidence interval.
struct BreakDate {
  std::size_t row = 0;
  std::optional<Timestamp> date;
  std::size_t low = 0, high = 0;  // 95 %; within 0 .. n - 2
  std::optional<Timestamp> low_date, high_date;
};

struct BaiPerronOptions {
  int most = 5;                 // breaks, 1 to 5
  std::optional<int> number{};  // this many, whatever the tests say
  bool long_run = false;        // as in ChangeOptions
  double significance = 0.05;   // of the sequential test
};

struct BaiPerron {
  // bai-perron: F of 1 .. most breaks, UDmax, WDmax, then F(l+1|l); each null in words.
  std::vector<TestResult> tests;

  // By number of breaks, from 0: least-squares dates and what they leave.
  struct Partition {
    std::vector<std::size_t> breaks;  // rows before each
    double ssr = 0, bic = 0, lwz = 0;
  };
  std::vector<Partition> partitions;
  int by_sequence = 0, by_bic = 0, by_lwz = 0;  // breaks chosen each way

  std::vector<BreakDate> breaks;  // of the number asked for, else by_sequence
};

// Breaks in the mean (Bai and Perron 1998, 2003): dates by dynamic programming over segments of at
// least floor(.15 n), quadratic in n. Number in sequence: one or more where UDmax rejects at
// `significance`, then as long as F(l+1|l) and F of l + 1 breaks do. BIC by Yao (1988), LWZ by Liu,
// Wu and Zidek (1997). Intervals by Bai (1997), with a long-run variance for each
// side.
[[nodiscard]] BaiPerron bai_perron(const Series& series, const BaiPerronOptions& options = {});

// 95 % interval of the date of a change of mean by `delta` between sides of long-run variances
// `before` and `after`: how much earlier and later than its estimate the true date may lie, in
// observations (Bai 1997). A noisy side after the break throws estimates too late, so it is the
// reach to earlier dates that grows with `after`.
struct Reach {
  double earlier = 0, later = 0;
};
[[nodiscard]] Reach date_interval(double delta, double before, double after);

// A date with that interval, an observation wider on each side since dates are whole, in words of
// the series.
[[nodiscard]] BreakDate dated_break(const Series& series, std::size_t rows_before,
                                    const Reach& reach);

}  // namespace brace::inline v0::hypothesis
BRACE_API_END
