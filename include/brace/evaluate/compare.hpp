// SPDX-License-Identifier: Apache-2.0
// Several models side by side on the same rows: criteria, residual tests, coefficients, what one
// adds to another, and forecasts of rows that none of them has seen.
//
//   auto c = brace::compare({"const ar1", "const ar1 ma1"}, returns, {.hold_out = 50});
//   std::cout << c;
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <initializer_list>
#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/evaluate/accuracy.hpp"
#include "brace/forecast/baselines.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct CompareOptions {
  // Last rows that are kept from the fits and forecast; 0 judges in sample only.
  std::size_t hold_out = 0;

  // As parse_baseline reads them; they are judged on the hold-out.
  std::vector<std::string> baselines{"mean", "walk"};

  // Of the forecasts of the hold-out, percent.
  std::vector<double> intervals{50, 95};
  std::optional<std::size_t> horizon{};  // rows of the hold-out that are forecast; left out: all
};

// Forecasts of the hold-out: made at its start for all rows, or each from the rows before it with
// the parameters of the training part. Both are judged against a walk from the same origins.
struct HoldOutForecast {
  std::vector<double> mean;
  std::vector<std::vector<PredictionInterval>>
      intervals;  // of each row, of the forecasts made at the start
  Accuracy accuracy;
  std::vector<double> one_step;
  Accuracy one_step_accuracy;
};

struct Compared {
  std::string label;       // the model line, or the baseline's words
  std::optional<Fit> fit;  // of the training part; empty for a baseline
  std::optional<double> whiteness_p, arch_p, normality_p;
  std::optional<double> correlation;  // of fitted and actual values
  std::optional<Accuracy> in_sample;  // one-step errors of the training part
  std::optional<HoldOutForecast> hold_out;
};

// Null: the smaller model holds. 2 (l_large - l_small), chi-squared.
struct Nested {
  std::size_t small = 0, large = 0;  // positions among the models
  TestResult test;
};

struct Comparison {
  Series training, held_out;
  std::vector<Compared> models, baselines;
  std::vector<Nested> nested;
  bool conditional = false;  // all by the conditional likelihood, since one of them needs it
  std::string reading;
  std::vector<Warning> warnings;
};

// Throws Error (bad_option) for models that may not be compared, with the reason: other
// differences, or rows that one of them has to leave out.
[[nodiscard]] Comparison compare(const std::vector<Model>& models, const Series& series,
                                 const CompareOptions& options = {},
                                 const Executor& executor = serial());
[[nodiscard]] Comparison compare(const std::vector<std::string>& lines, const Series& series,
                                 const CompareOptions& options = {},
                                 const Executor& executor = serial());
[[nodiscard]] Comparison compare(std::initializer_list<std::string_view> lines,
                                 const Series& series, const CompareOptions& options = {},
                                 const Executor& executor = serial());

// A fit's forecasts of the rows that follow its series, and their accuracy. `future` holds them
// with their companions; intervals are in percent and take the parameters as known.
[[nodiscard]] HoldOutForecast forecast_hold_out(const Fit& fit, const Series& future,
                                                const std::vector<double>& intervals = {50, 95});
[[nodiscard]] HoldOutForecast forecast_hold_out(const Baseline& baseline, const Series& future,
                                                const std::vector<double>& intervals = {50, 95});

// The same of a forecast on the file's own scale (Forecast::original), its medians or means as it
// was asked for: `level` is the file's series up to the origin, `future` what followed. Made from
// the start of the hold-out only: one_step is empty. Throws Error (bad_option) without that scale.
[[nodiscard]] HoldOutForecast judge_original(const Forecast& ahead, const Series& level,
                                             const Series& future);

// Actual values less one-step errors, NaN where there is none.
[[nodiscard]] std::vector<double> fitted_values(const Fit& fit);

std::ostream& operator<<(std::ostream& out, const Comparison& comparison);

// Two lines each, all ahead and one step: RMSE over the walk's, MASE, RMSE, MAPE, bias with its
// error, share of right directions with the commoner one's, share inside the widest interval.
void print_accuracy(std::ostream& out, const std::vector<Compared>& rows);

}  // namespace brace::inline v0
BRACE_API_END
