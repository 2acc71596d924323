// SPDX-License-Identifier: Apache-2.0
// Forecasts of the mean and of the volatility, with two kinds of interval that are never mixed: one
// for the return, one for the volatility itself.
//
//   auto ahead = brace::forecast(fitted, {.horizon = 20, .intervals = {50, 95}});
//   std::cout << ahead;
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <cstdint>
#include <iosfwd>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/warning.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/forecast/next_row.hpp"
#include "brace/series/chain.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class ForecastMethod {
  plug_in,  // the estimates are taken as known: intervals leave their uncertainty out, and the
            // volatility of the first step is a point without an interval
  // Parameters are drawn from their estimated law (below 500 rows from the likelihood itself), the
  // variance is filtered again under each draw, and shocks come from the fitted law.
  full,
  resampled,  // as full, with the shocks that the sample saw in the place of the law's
  // Series made by the model and those shocks are fitted again: the estimates' own law, not a
  // normal one (Pascual, Romo and Ruiz 2006), and for volatility how far forecasts were off on
  // those series, in their own spreads (Beran 1990). Costs as many fits as `refits`.
  refit,
};
[[nodiscard]] std::string_view to_string(ForecastMethod method);

// Which centre of a forecast on the file's own scale is printed; both are in the result.
enum class BackTransform {
  median,  // half of the paths lie below: what the back-transformed mean of a logarithm is
  mean,    // the average of the paths, with the bias of the back-transform corrected
};
[[nodiscard]] std::string_view to_string(BackTransform back);

struct ForecastOptions {
  // ---- What is forecast ----
  int horizon = 10;                       // steps, from 1
  std::vector<double> intervals{50, 95};  // percent, each between 0 and 100
  ForecastMethod method = ForecastMethod::full;

  // Tail risk at these percent of the return distribution.
  std::vector<double> tails{1, 5};

  // The variance of the first step, whatever the past says: a scenario.
  std::optional<double> first_variance{};

  // Coming values of the columns that `with` names, one a step.
  std::vector<Companion> future{};

  // How the series came from what the file holds: with it, the forecast is carried back to that
  // scale too (Forecast::original), path by path. Must end where the fitted series ends.
  std::shared_ptr<const Transformed> transformed{};
  BackTransform back = BackTransform::median;

  // Periods a year to annualise by; left out: the clock's (business day 252).
  std::optional<double> per_year{};

  // ---- How it is simulated ----
  // Parameter draws (full), and paths of shocks from each; plug-in runs draws * paths paths.
  int draws = 2000;
  int paths = 25;
  int refits = 400;  // draws of `refit`, which then makes as many paths from fewer draws
  std::uint64_t seed = 1;
  bool simulation_errors = true;  // whether Interval::error and TailRisk::error are measured
};

struct PredictionInterval {
  double percent = 0;
  double low = 0, high = 0;
  double error = 0;  // standard error that the simulation leaves in the ends, the larger; 0: exact
};

// The lowest `percent` of the returns: where they begin, and their mean (expected shortfall). Both
// are returns: negative where money is lost.
struct TailRisk {
  double percent = 0;
  double value_at_risk = 0;
  std::optional<double> shortfall{};      // empty where the mean is infinite: egarch with Student
                                          // shocks from the second step on
  double error = 0, shortfall_error = 0;  // standard errors that the simulation leaves in each
};

struct ForecastStep {
  int step = 0;                     // from 1
  std::optional<Timestamp> date{};  // by the clock of the series
  double mean = 0;                  // of the value, such as a return, at the estimates
  double sd = 0;                    // of the value around that mean, at the estimates
  // E h of this step's shock, at the estimates; empty where it is infinite. aparch with a delta
  // other than 2 has no closed form from step 2 on: there it is the mean of the simulated paths.
  std::optional<double> variance;
  double typical_variance = 0;  // the median-like path; the same as variance for linear families
  [[nodiscard]] double shown_variance() const { return variance.value_or(typical_variance); }
  std::vector<PredictionInterval> return_interval;
  std::vector<PredictionInterval>
      volatility_interval;  // of sqrt(h); empty where h is known (plug-in, step 1)
  std::vector<TailRisk> tails;
  // Share of the distance between the variance of step 1 and its long run that is left; empty where
  // there is no long run or no distance.
  std::optional<double> gap_left;
};

// Of the sum of the values over the horizon; with differences in the model, of the change of y.
struct HorizonTotal {
  double mean = 0, sd = 0;
  std::vector<PredictionInterval> return_interval;
  std::vector<PredictionInterval>
      volatility_interval;  // of sqrt(sum h), the volatility over the horizon
  std::vector<TailRisk> tails;
};

// A step on the scale of the file, such as the price where returns are modelled.
struct OriginalStep {
  double median = 0;
  double mean = 0;      // over the paths: what a back-transform of the mean would miss is in it
  double variance = 0;  // at the estimates, as ForecastStep::sd is
  std::vector<PredictionInterval> interval;
  std::vector<TailRisk> tails;
};

struct Annualised {
  double periods_per_year = 0;
  double volatility = 0;  // sqrt(mean of E h over the horizon * periods)
  std::vector<PredictionInterval> volatility_interval;
  std::optional<double> long_run_volatility;
};

struct Forecast {
  std::string model;
  std::string name;                 // of the series
  std::optional<Unit> unit;         // and its unit
  SeriesKind kind = SeriesKind::values;
  std::string period;               // "day"
  std::optional<Timestamp> origin;  // date of the last observation
  ForecastMethod method = ForecastMethod::full;
  // Rows of the windows whose forecasts were averaged; empty for a single fit.
  std::vector<std::size_t> windows;
  // Where the sample is short and parameters were drawn from the likelihood itself (by `refit` for
  // the spread of the volatility alone): how many equally weighted draws that was worth. Empty
  // where they come from the estimates' normal law.
  std::optional<double> effective_draws;
  std::vector<double> intervals;
  bool volatility_varies = true;  // false for steady models, whose levels are the point
  bool of_level = false;          // the values do not count from zero (counts_from_zero())
  bool of_change = false;         // the model differences: horizon_total is of the change
  std::vector<ForecastStep> steps;
  // Empty for a level that the model does not difference: its values do not add up.
  std::optional<HorizonTotal> horizon_total;
  // The law of the first step: one part under `plug-in`, else one a draw of parameters. Under
  // `resampled` and `refit` too the shocks are of the fitted law: those that were seen have no
  // density.
  NextRow next;
  std::vector<OriginalStep> original;  // one a step, where ForecastOptions::transformed is given
  std::string original_name;
  BackTransform back = BackTransform::median;
  std::optional<Annualised> annualised;  // of a total, where the periods a year are known
  std::optional<double> long_run_variance;
  double last_variance = 0;  // h of the last observation
  // Of the parameter draws, those outside the admissible region; of refits, those without a
  // maximum.
  double share_redrawn = 0;
  // Interval::error of the widest return interval of the last step. Errors are from eight batches
  // of paths that share no draw.
  double monte_carlo_error = 0;
  std::optional<double> half_way;  // steps until half of the gap to the long run is closed
  std::vector<Warning> warnings;
};

// Throws Error for options out of range and for a fit that is not usable.
[[nodiscard]] Forecast forecast(const Fit& fit, const ForecastOptions& options = {},
                                const Executor& executor = serial());

// The average of the forecasts of one model fitted to windows of different lengths that end at the
// same row, with equal weights: long windows are exact where nothing broke, short ones right where
// something did (the pooled forecast of Pesaran and Timmermann 2007). Intervals are those of the
// mixture. Fits that are not usable are left out, with a warning; throws Error where none is left,
// and for fits of different models or ends.
[[nodiscard]] Forecast forecast_averaged(const std::vector<Fit>& fits,
                                         const ForecastOptions& options = {},
                                         const Executor& executor = serial());

// Fits for it: of the window of `whole` and shorter ones that end where it does, `count` of them in
// equal steps down to `shortest` rows. Throws Error for fewer than two windows, for a shortest that
// is not shorter than the whole, and as estimate() does.
[[nodiscard]] std::vector<Fit> fit_windows(const Fit& whole, std::size_t count,
                                           std::size_t shortest,
                                           const Executor& executor = serial());

std::ostream& operator<<(std::ostream& out, const Forecast& f);

}  // namespace brace::inline v0
BRACE_API_END
