// SPDX-License-Identifier: Apache-2.0
// Autocorrelation and partial autocorrelation, with the portmanteau statistic at each lag.
//
//   brace::LagTable table = brace::lag_table(returns, 20);
//   table.rows[0].acf;     // r_1
#pragma once

#include <iosfwd>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "brace/series/series.hpp"

namespace brace {

//   r_k = sum_{t>k} (y_t - ybar)(y_{t-k} - ybar) / sum_t (y_t - ybar)^2,   k = 1 .. lags
// NaN in y is missing: products are summed over pairs where both are present. Throws Error
// (bad_option) unless 1 <= lags < n present.
[[nodiscard]] std::vector<double> autocorrelations(std::span<const double> y, int lags);

// Partial autocorrelations by Durbin (1960) and Levinson on the autocorrelations given.
[[nodiscard]] std::vector<double> partial_from_autocorrelations(std::span<const double> r);

struct LagRow {
  int lag = 0;
  double acf = 0, pacf = 0;
  double q = 0;  // Ljung-Box up to this lag
  int dof = 0;   // lag - fitted; no p-value below 1
  std::optional<double> p_value;
  double q_robust = 0;  // the same with each r_k scaled by its heteroskedasticity-robust variance
  std::optional<double> p_robust;
};

struct LagTable {
  std::string of;  // what it was computed from, such as "squares"
  std::size_t observations = 0;
  double band_95 = 0;  // 1.96 / sqrt(n): the band for one lag of a white series
  std::vector<LagRow> rows;
};

// `fitted` ARMA terms are taken from the degrees of freedom.
[[nodiscard]] LagTable lag_table(const Series& series, int lags, int fitted = 0);

// Verdict on the whole table, then a row a lag with the ACF as a bar of text.
std::ostream& operator<<(std::ostream& out, const LagTable& table);

// min(10, n/5), at least 1: the lag of a single figure.
[[nodiscard]] int default_whiteness_lags(std::size_t observations);

}  // namespace brace
