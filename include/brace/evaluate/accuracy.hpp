// SPDX-License-Identifier: Apache-2.0
// How far point forecasts lie from the outcomes: relative to a baseline, in units, biased or not,
// right in direction or not, inside their intervals or not, and whether the errors are white.
//
//   brace::Accuracy a = brace::accuracy(outcomes, forecasts, {.baseline = last_values});
//   a.relative->rmse;    // below 1: better than the walk
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct AccuracyOptions {
  // What was known when the forecasts were made; its one-step changes are the unit of MASE.
  std::span<const double> training{};

  // The forecasts of a baseline for the same rows, each from the origin of the forecast beside it,
  // and what it is called.
  std::span<const double> baseline{};
  std::string baseline_name = "walk";

  // The value that a change is counted from, for each row; empty counts from 0, which is right for
  // returns.
  std::span<const double> from{};

  // Rows from the origin to the row that is forecast; 0 where all were forecast from one origin.
  int step = 0;
};

// Share of rows whose direction was forecast rightly, of those that moved and for which a move was
// forecast.
struct RightDirections {
  std::size_t n = 0;
  double right = 0;
  double commoner = 0;     // what always naming the commoner direction would get right
  bool of_change = false;  // directions of changes; else signs
};

// Share of rows inside an interval; the ends count as inside.
struct Coverage {
  double percent = 0;
  double inside = 0;
};

// Null: errors that share no row of their horizon are uncorrelated, as those of a right model are.
// One error a step is tested, since nearer ones overlap.
struct ErrorMemory {
  int lag = 1;                 // rows from one to the next: the step
  double autocorrelation = 0;  // at that lag
  TestResult test;             // Ljung-Box, robust to changing variance
};

// Errors are actual less forecast. Rows where either is missing are left out.
struct Accuracy {
  std::size_t n = 0;

  // ---- Relative ----
  struct Relative {
    std::string baseline;
    double rmse = 0, mae = 0;  // ratios on the same rows; below 1 is better than the baseline
  };
  std::optional<Relative> relative;
  // MAE over the mean absolute one-step change of the training part (Hyndman and Koehler 2006).
  std::optional<double> mase;

  // ---- In units of the data ----
  double rmse = 0, mae = 0;
  // Percent of the actual value; empty where one is 0 or the sign changes, and `no_percent` says
  // so.
  std::optional<double> mape;
  std::optional<double> smape;  // percent; empty where both are 0 somewhere
  std::string no_percent;

  // ---- Bias ----
  double bias = 0;  // mean error
  // Its standard error, by the long-run variance of the errors (Newey and West 1987; bandwidth the
  // larger of step - 1 and 4 (n/100)^(2/9)); empty for fewer than three rows.
  std::optional<double> bias_error;

  std::optional<RightDirections> directions;  // empty where no move was forecast
  std::vector<Coverage> coverage;             // filled by whoever has intervals
  std::optional<ErrorMemory> memory;          // empty for forecasts from one origin, or few rows
};

// Throws Error (bad_option) for lists of different length, (too_few_observations) where no row is
// left.
[[nodiscard]] Accuracy accuracy(std::span<const double> actual, std::span<const double> forecast,
                                const AccuracyOptions& options = {});

// Of each value the last one before it that is present, `before` where there is none: what a walk
// forecasts one step ahead.
[[nodiscard]] std::vector<double> last_before(std::span<const double> values, double before);

}  // namespace brace::inline v0
BRACE_API_END
