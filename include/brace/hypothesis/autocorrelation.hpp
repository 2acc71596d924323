// SPDX-License-Identifier: Apache-2.0
// Autocorrelation and partial autocorrelation, with the portmanteau statistic at each lag.
//
//   brace::LagTable table = brace::lag_table(returns, 20);
//   table.rows[0].acf;     // r_1
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/maths/autocorrelations.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct LagRow {
  int lag = 0;
  double acf = 0, pacf = 0;
  double q = 0;  // Ljung-Box up to this lag
  int dof = 0;   // lag - fitted; no p-value below 1
  std::optional<double> p_value;
  double q_robust = 0;  // the same with each r_k scaled by its heteroskedasticity-robust variance
  std::optional<double> p_robust;
  // Half-width of the 95 % band of this lag's ACF: under a white series whose volatility may
  // cluster, and under a moving average that ends one lag before (Bartlett 1946).
  double band_robust = 0, band_widening = 0;
};

// What a table says as a whole.
enum class LagVerdict {
  memory,   // the robust Q of its last lag rejects at 5 %
  one_lag,  // it does not, but one lag lies where chance puts the largest of so many in 5 % of
            // cases
  none
};
[[nodiscard]] std::string_view to_string(LagVerdict verdict);

struct LagTable {
  std::string of;  // what it was computed from, such as "squares"
  std::size_t observations = 0;
  double band_95 = 0;  // 1.96 / sqrt(n): the band for one lag of a white series
  std::vector<LagRow> rows;
  LagVerdict verdict = LagVerdict::none;
  std::optional<int> largest;  // the lag that stands out most against its robust band
  int lags = 0;                // up to the last
};

// Leaves the rows of these lags alone; what the table says as a whole stays. Throws Error
// (bad_option) where one is not in the table.
void keep_lags(LagTable& table, const std::vector<int>& lags);

// Cross-correlation of a return with the square of one that comes k rows later: below zero where
// falls raise volatility more than rises do.
struct LeverageRow {
  int lag = 0;
  double correlation = 0;
  double band_robust = 0;  // 95 % half-width where the two are unrelated but volatility clusters
};
struct LeverageTable {
  std::string of;
  std::size_t observations = 0;
  std::vector<LeverageRow> rows;
  // Null: no leverage up to the last lag. Sum of squared correlations over their robust variances.
  double statistic = 0;
  std::optional<double> p_value;
};
[[nodiscard]] LeverageTable leverage_table(const Series& series, int lags);

// `fitted` ARMA terms are taken from the degrees of freedom.
[[nodiscard]] LagTable lag_table(const Series& series, int lags, int fitted = 0);

// Which 95 % band an ACF is judged by.
enum class LagBand {
  robust,    // white, but volatility may cluster: for returns
  white,     // white and independent: 1.96 / sqrt n
  widening,  // Bartlett's: to find where a moving average ends
};
[[nodiscard]] double band_of(const LagTable& table, const LagRow& row, LagBand band);

struct LagPrint {
  std::optional<int> season{};  // multiples of it are marked
  LagBand band = LagBand::robust;
  std::optional<double> significance{};  // of the tests whose critical value of Q is shown
};
// What Q must exceed at a row for a test at that level to reject; empty without a degree of
// freedom.
[[nodiscard]] std::optional<double> critical_q(const LagRow& row, double level);
[[nodiscard]] std::string q_at(double level);  // its label: "Q at .01"
// Verdict on the whole table, then a row a lag with the ACF as a bar of text.
void print(std::ostream& out, const LagTable& table, const LagPrint& options = {});
std::ostream& operator<<(std::ostream& out, const LagTable& table);
std::ostream& operator<<(std::ostream& out, const LeverageTable& table);

// min(10, n/5), at least 1: the lag of a single figure.
[[nodiscard]] int default_whiteness_lags(std::size_t observations);

}  // namespace brace::inline v0
BRACE_API_END
