// SPDX-License-Identifier: Apache-2.0
// Laws known by simulation, for the actual sample size: unit roots, and some of breaks.
//
//   using brace::laws::SimulatedLaw;
//   double p = brace::laws::lower_tail(SimulatedLaw::tau_constant, -2.87, 250);   // .05
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <string_view>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Deterministic terms of a unit-root or stationarity test.
enum class Deterministic { none, constant, trend };  // trend: a constant and a linear trend
[[nodiscard]] std::string_view to_string(Deterministic terms);

namespace laws {

// T is: rows of the test regression for tau, rho, unit roots beside breaks and the seasons; points
// of the series for the rest. Lags cost order 1/T and are counted by their lost rows alone; those
// of the GLS family by maic cost more, so that its laws with that choice stand apart (maic_*).
enum class SimulatedLaw {
  tau_none,
  tau_constant,
  tau_trend,
  df_gls_constant,
  df_gls_trend,
  zivot_andrews_intercept,
  zivot_andrews_trend,
  zivot_andrews_both,
  exp_f_1,
  exp_f_2,
  exp_f_3,
  exp_f_4,
  exp_f_5,
  bai_perron_f1,
  bai_perron_f2,
  bai_perron_f3,
  bai_perron_f4,
  bai_perron_f5,
  bai_perron_udmax,
  bai_perron_wdmax,
  rho_none,
  rho_constant,
  rho_trend,
  mza_constant,
  mzt_constant,
  msb_constant,
  mpt_constant,
  point_optimal_constant,
  mza_trend,
  mzt_trend,
  msb_trend,
  mpt_trend,
  point_optimal_trend,
  maic_df_gls_constant,
  maic_mza_constant,
  maic_mzt_constant,
  maic_msb_constant,
  maic_mpt_constant,
  maic_point_optimal_constant,
  maic_df_gls_trend,
  maic_mza_trend,
  maic_mzt_trend,
  maic_msb_trend,
  maic_mpt_trend,
  maic_point_optimal_trend,
  two_breaks_intercept,
  two_breaks_trend,
  two_breaks_both,
  quarter_zero_constant,
  quarter_alternating_constant,
  quarter_pair_constant,
  quarter_seasonal_constant,
  quarter_all_constant,
  quarter_zero_trend,
  quarter_alternating_trend,
  quarter_pair_trend,
  quarter_seasonal_trend,
  quarter_all_trend,
  month_zero_constant,
  month_alternating_constant,
  month_pair_constant,
  month_seasonal_constant,
  month_all_constant,
  month_zero_trend,
  month_alternating_trend,
  month_pair_trend,
  month_seasonal_trend,
  month_all_trend,
};
[[nodiscard]] std::string_view to_string(SimulatedLaw law);

// P(statistic <= x) under the null. Response surfaces q_i(T) = sum_j c_ij T^-e_j, of our own
// simulation in the manner of MacKinnon (1996), interpolated monotonically in the normal scale. How
// each was made, from how many replications and how far it errs on sample sizes held out stands in
// tools/laws/*.json. Throws Error (too_few_observations) below least_T; above the fitted range the
// surface goes on to its limit.
[[nodiscard]] double lower_tail(SimulatedLaw law, double x, int T);
[[nodiscard]] double upper_tail(SimulatedLaw law, double x, int T);

// The statistic below which a share p lies, for p within the table's levels, else Error.
[[nodiscard]] double quantile(SimulatedLaw law, double p, int T);

// Verified by simulation down to this p-value; below it the law is only known to be smaller.
[[nodiscard]] double floor_of(SimulatedLaw law);
[[nodiscard]] int least_T(SimulatedLaw law);

}  // namespace laws
}  // namespace brace::inline v0
BRACE_API_END
