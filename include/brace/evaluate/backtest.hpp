// SPDX-License-Identifier: Apache-2.0
// Would these forecasts have worked? Models, baselines and combinations forecast from one origin
// after another, each knowing only the rows before it, and are compared with the outcomes.
//
//   brace::Backtest b = brace::backtest({"const / garch / student"}, returns, {.horizon = 5},
//                                       brace::Executor(2));
//   std::cout << b;
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <functional>
#include <initializer_list>
#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/progress.hpp"
#include "brace/evaluate/accuracy.hpp"
#include "brace/evaluate/contest.hpp"
#include "brace/evaluate/densities.hpp"
#include "brace/evaluate/directions.hpp"
#include "brace/evaluate/hits.hpp"
#include "brace/evaluate/volatility.hpp"
#include "brace/forecast/baselines.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/model/model.hpp"
#include "brace/series/chain.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// One forecast and its outcome.
struct BacktestStep {
  double mean = 0, variance = 0;  // of the return around its mean
  std::vector<PredictionInterval> return_interval;
  std::vector<TailRisk> tails;
  double actual = 0, proxy = 0;  // NaN where the row is missing
  // Of the first step, under the law that the method gives it (NextRow): F(actual), ln f(actual)
  // and the continuous ranked probability score. Combinations have those of the linear pool of
  // their models' laws, but no ranked score.
  double transform = 0, log_score = 0, crps = 0;
};

// What one origin's work gives, to be kept and taken up again.
struct BacktestRecord {
  std::size_t entrant = 0, origin = 0;  // positions
  bool stale = false;                   // the refit failed: parameters of the one before
  std::vector<BacktestStep> steps;      // one a step ahead
};

struct BacktestOptions {
  // ---- The origins ----
  std::size_t window = 1000;  // rows that each fit sees; with `expanding` those of the first
  bool expanding = false;
  std::size_t refit_every = 1;  // origins from one refit to the next
  std::optional<std::size_t>
      origins{};  // the last so many; left out: all that leave a window before them
  int horizon = 1;

  // What the models see of each window, its numbers (the power of Box and Cox, a profile, a mean)
  // estimated from that window alone. Forecasts are carried back path by path: all is judged on the
  // scale of the series, densities but for their intervals are not.
  std::vector<Transform> chain{};

  // ---- What is forecast ----
  std::vector<double> intervals{80, 95};
  std::vector<double> tails{1, 5};
  ForecastMethod method = ForecastMethod::plug_in;
  int paths = 2000;  // plug-in: of each origin; other methods: draws x 10
  std::uint64_t seed = 1;
  std::vector<std::string> baselines{};  // as parse_baseline reads them
  bool combinations = true;              // of all models, where there are two or more

  // ---- How it is judged ----
  // A measure of each row's variance, as long as the series; left out: the squared deviation from
  // a mean that all entrants share: that of the rows known at each origin, or, of values that
  // linger, the average of all forecasts.
  std::vector<double> proxy{};
  double threshold = 0;  // of a call of direction
  double alpha = 0.10;   // of the model confidence set

  // ---- How it runs ----
  // Records of an earlier run under the same options, which are not made again.
  std::vector<BacktestRecord> known{};
  // Called for every record made, never from two threads at once: to keep it for a later run.
  std::function<void(const BacktestRecord& record)> keep{};
  // In records. After a stop what is done is judged (Backtest::stopped).
  Progress progress{};
};

struct IntervalCoverage {
  double percent = 0;
  double covered = 0;  // share
  TestResult frequency;
  // Of the first step only: overlapping forecasts are not independent.
  std::optional<TestResult> independence, conditional;
};

struct TailCoverage {
  double percent = 0;
  double hits = 0;  // share of rows below the value-at-risk
  TestResult frequency;
  std::optional<TestResult> conditional, dynamic;         // first step
  std::optional<TestResult> shortfall, shortfall_memory;  // first step, where there are transforms
};

struct HorizonScore {
  int step = 0;
  std::size_t n = 0;
  Accuracy mean;
  VolatilityLosses volatility;
  MincerZarnowitz fair;
  // Mean QLIKE where the variance of the 20 rows before was below and above its median.
  std::optional<double> qlike_calm, qlike_rough;
  std::vector<IntervalCoverage> intervals;
  std::vector<TailCoverage> tails;
  std::optional<Directions> directions;
  std::optional<double> log_score, crps;  // means, of the first step
  std::optional<BerkowitzTest> berkowitz;
};

struct Entrant {
  std::string label;
  enum class Kind { model, baseline, combination } kind = Kind::model;
  std::size_t stale = 0;                         // origins with the parameters of an earlier fit
  std::vector<std::vector<BacktestStep>> steps;  // [origin][step]
  std::vector<HorizonScore> scores;              // one a step
};

// At one horizon, of all entrants: p-values of Diebold and Mariano by QLIKE for each pair (row
// against column; empty on the diagonal), and the confidence sets by QLIKE and by squared error of
// the variance.
struct Contest {
  int step = 0;
  std::vector<std::vector<std::optional<TestResult>>> pairs;
  ConfidenceSet by_qlike, by_mse;
};

struct Backtest {
  Series series;
  std::size_t window = 0, refit_every = 1;
  bool expanding = false;
  int horizon = 1;
  ForecastMethod method = ForecastMethod::plug_in;
  std::vector<std::size_t> origins;  // index of the last row that each forecast knows
  std::vector<Entrant> entrants;     // models, baselines, combinations
  std::vector<Contest> contests;     // at the first step and at the last
  std::string fitted_transform;      // words of a chain estimated in each window
  std::string proxy;                 // what variances were judged by
  bool stopped = false;              // before all origins were done
  std::string reading;
  std::vector<Warning> warnings;
};

// Throws Error for options out of range, a series too short, and what estimate() refuses. A refit
// that fails keeps the parameters of the one before, and is counted. Results do not depend on the
// number of threads.
[[nodiscard]] Backtest backtest(const std::vector<Model>& models, const Series& series,
                                const BacktestOptions& options = {},
                                const Executor& executor = serial());
[[nodiscard]] Backtest backtest(const std::vector<std::string>& lines, const Series& series,
                                const BacktestOptions& options = {},
                                const Executor& executor = serial());
[[nodiscard]] Backtest backtest(std::initializer_list<std::string_view> lines, const Series& series,
                                const BacktestOptions& options = {},
                                const Executor& executor = serial());

// One row a forecast: entrant, origin, step, date, mean, volatility, interval ends, outcome.
[[nodiscard]] std::vector<std::vector<std::string>> backtest_table(const Backtest& backtest);

std::ostream& operator<<(std::ostream& out, const Backtest& backtest);

}  // namespace brace::inline v0
BRACE_API_END
