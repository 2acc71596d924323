// SPDX-License-Identifier: Apache-2.0
// The statistics of the unit-root tests as bare numbers: the tests dress them with their laws, and
// tools/laws/simulate_laws makes the laws from them.
#pragma once

#include <Eigen/Dense>
#include <cstddef>
#include <optional>
#include <vector>

#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/unit_root_with_break.hpp"

namespace brace::inline v0::hypothesis::unit_root {

// dy_t = det + rho y_{t-1} + sum_{i<=k} g_i dy_{t-i} + e_t by least squares.
struct Autoregression {
  double rho = 0, error = 0;  // error is 0 where the columns are collinear
  double ssr = 0;
  double lag_sum = 0;  // sum of g_i
  std::size_t rows = 0;

  [[nodiscard]] double t() const { return rho / error; }
};

// On the rows where all terms of a regression with `reach` >= k lagged differences are present.
[[nodiscard]] Autoregression autoregress(const std::vector<double>& y, int k, Deterministic terms,
                                         int reach);

// k by `rule` among 0 .. most, on the rows common to all; every candidate is read off one QR
// factorisation, whose leading columns are the smaller models.
[[nodiscard]] int choose_lags(const std::vector<double>& y, Deterministic terms, LagRule rule,
                              int most);

// Rows at which the value and the `lags` + 1 before it are present: those that a regression with so
// many lagged differences has.
[[nodiscard]] std::size_t whole_rows(const std::vector<double>& y, int lags);

// floor(12 (n/100)^(1/4)) (Schwert 1989), at most what n rows can carry.
[[nodiscard]] int most_lags(std::size_t n);

struct PhillipsPerron {
  double tau = 0, rho = 0;
  std::size_t rows = 0;
};
[[nodiscard]] PhillipsPerron phillips_perron(const std::vector<double>& y, Deterministic terms,
                                             int bandwidth);

// y less its deterministic terms, estimated under the local alternative a = 1 + cbar/n with
// cbar = -7 (constant) or -13.5 (trend). `ssr`: of the quasi-differenced regression.
struct GlsDetrended {
  std::vector<double> y;
  double ssr = 0;
};
[[nodiscard]] double local_alternative(Deterministic terms);
[[nodiscard]] GlsDetrended gls_detrend(const std::vector<double>& y, Deterministic terms, double a);

// By the autoregression of GLS-detrended values without deterministic terms, k lags:
// s^2 / (1 - sum g)^2.
[[nodiscard]] double spectrum_at_zero(const Autoregression& fit);

struct NgPerron {
  double mza = 0, mzt = 0, msb = 0, mpt = 0;
};
[[nodiscard]] NgPerron ng_perron(const std::vector<double>& y, Deterministic terms,
                                 double spectrum);

[[nodiscard]] double point_optimal(const std::vector<double>& y, Deterministic terms,
                                   double spectrum);

// The least t of rho over the dates of one or two breaks.
struct LeastT {
  double t = 0;
  std::size_t first = 0, second = 0;  // last observations before the breaks, 1-based
  std::size_t rows = 0;
};
[[nodiscard]] LeastT zivot_andrews(const std::vector<double>& y, int k, BreakModel model,
                                   double trim);
[[nodiscard]] LeastT two_breaks(const std::vector<double>& y, int k, BreakModel model, double trim);

struct SeasonalRoots {
  double zero = 0;                    // t at frequency 0
  std::optional<double> alternating;  // t at the frequency of two observations, for even periods
  std::vector<double> pairs;          // F at the other frequencies, slowest first
  double seasonal = 0;                // F of all but frequency 0
  double all = 0;                     // F of all
  std::size_t rows = 0;
};
[[nodiscard]] SeasonalRoots seasonal_roots(const std::vector<double>& y, int period,
                                           bool with_trend, int k);

// k lagged seasonal differences by aic or bic among 0 .. most on common rows.
[[nodiscard]] int choose_seasonal_lags(const std::vector<double>& y, int period, bool with_trend,
                                       LagRule rule, int most);

}  // namespace brace::inline v0::hypothesis::unit_root
