// SPDX-License-Identifier: Apache-2.0
// What a batch finds of one series: plain rows, as they stand in the tables of a results file
// (docs/batch.md says what each column means).
//
//   brace::SeriesResult result = brace::run_series("KELP", prices, plan);
//   for (const brace::FailureRow& f : result.failures) std::cerr << f.code << ' ' << f.message;
//
// Threads: plain values; reading one from several threads at once is safe.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace brace::inline v0 {

// Dates are text, 2019-05-02; what is not defined is empty.
using Maybe = std::optional<double>;

struct SeriesRow {
  std::string name, digest;       // digest: of its rows and of all that was asked of them
  std::string made, unit, clock;  // made: what is modelled, "log return of price"
  std::string first, last;        // of the rows modelled
  std::int64_t rows = 0, missing = 0, dropped = 0;
  std::int64_t level_rows = 0;  // as read, before returns
  std::string level_digest;     // of the rows as read
  std::string outcome;          // converged, boundary, failed or refused
  double seconds = 0;           // of work; the one number that differs from run to run
};

struct FitRow {
  std::string model;
  bool chosen = false;  // checked and forecast: the lowest criterion of those that may be used
  std::string status, why;
  std::string how;                  // estimated, or kept: parameters of an earlier run
  std::int64_t estimated_rows = 0;  // rows as read behind the parameters
  Maybe moved;  // of a kept fit: how far the maximum is thought to have moved, in standard errors
  std::int64_t n = 0;
  std::string likelihood, errors;
  Maybe log_likelihood, aic, aicc, bic, hqc;
  Maybe persistence, half_life, unconditional_variance, typical_variance, last_variance;
  Maybe gradient_norm;
  std::int64_t iterations = 0, evaluations = 0, starts = 0;
  double presample = 0;
  std::string covariance;  // of the estimates, as JSON
};

struct ParameterRow {
  std::string model, name;
  double estimate = 0;
  Maybe se, se_hessian, se_opg, se_robust, t, p_value;
  bool held = false, at_bound = false;
};

struct CheckRow {
  std::string model, verdict, reading;
  // The answers: holds, doubtful or fails; empty where not asked.
  std::string mean, variance, law, constancy;
};

struct TestRow {
  std::string model;
  std::string step, question;  // step: check or breaks
  std::string test, variant;
  double statistic = 0;
  Maybe p_value, p_floor;
  std::optional<std::int64_t> lags;
  std::optional<bool> rejects;  // at 5 %
  std::string null, reading;
};

struct BreakRow {
  std::string kind, date, low, high;  // low, high: 95 %
  std::int64_t row = 0;               // the last before it, from 1
};

struct ForecastRow {
  std::string model, method;
  std::int64_t step = 0;
  std::string date;
  double mean = 0, sd = 0;
  Maybe variance;  // empty where infinite
  double typical_variance = 0;
  double volatility = 0;           // sqrt of the variance, of the typical one where infinite
  Maybe level_median, level_mean;  // on the scale of the file
};

struct IntervalRow {
  std::string model, of;  // of: return, volatility or level
  std::int64_t step = 0;
  double percent = 0, low = 0, high = 0;
};

struct TailRow {
  std::string model;
  std::int64_t step = 0;
  double percent = 0, value_at_risk = 0;
  Maybe shortfall;
};

struct ScoreRow {
  std::string entrant, kind;  // kind: model, baseline or combination
  std::int64_t step = 0, n = 0, stale = 0;
  Maybe qlike, mse, rmse, log_score, crps;
};

struct CoverageRow {
  std::string entrant, of;  // of: interval or tail
  std::int64_t step = 0;
  double percent = 0, covered = 0;
  Maybe p_value;
};

struct WarningRow {
  std::string model, code, text;
};

struct FailureRow {
  std::string step;   // read, make, search, fit, check, breaks, forecast, backtest or save
  std::string model;  // of a fit
  std::string code, message;
};

struct SeriesResult {
  SeriesRow series;
  std::vector<FitRow> fits;
  std::vector<ParameterRow> parameters;
  std::vector<CheckRow> checks;
  std::vector<TestRow> tests;
  std::vector<BreakRow> breaks;
  std::vector<ForecastRow> forecasts;
  std::vector<IntervalRow> intervals;
  std::vector<TailRow> tails;
  std::vector<ScoreRow> scores;
  std::vector<CoverageRow> coverages;
  std::vector<WarningRow> warnings;
  std::vector<FailureRow> failures;
};

}  // namespace brace::inline v0
