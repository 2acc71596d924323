// SPDX-License-Identifier: Apache-2.0
// What every model must beat: the mean, the last value, the last season, exponential smoothing.
//
//   brace::Baseline last = brace::fit_baseline("walk", prices);
//   auto ahead = brace::forecast(last, 20, {50, 95});
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class SmoothTrend { none, additive, damped };
enum class SmoothSeason { none, additive, multiplicative };

struct BaselineKind {
  enum class Method { mean, walk, drift, season, smooth };
  Method method = Method::walk;
  int period = 0;  // of season, and of smooth with a season
  SmoothTrend trend = SmoothTrend::none;
  SmoothSeason season = SmoothSeason::none;
};

// "mean"; "walk" (the last value); "drift" (and its average step); "season 12" (the value a season
// before); "smooth", "smooth trend", "smooth damped", each with "season 12" or "times 12" after it
// (additive or multiplicative). Throws Error (bad_option) naming the word.
[[nodiscard]] BaselineKind parse_baseline(std::string_view text);
[[nodiscard]] std::string to_string(const BaselineKind& kind);

// The parameters by which levels follow shocks, estimated by maximum likelihood with normal errors
// (Hyndman, Koehler, Ord and Snyder 2008, chapter 2, additive errors):
//   y_t = (l + phi b) + s + e   or   (l + phi b) s + e
//   l' = l + phi b + alpha e,   b' = phi b + beta e,   s' = s + gamma e
// (multiplicative: alpha e / s, beta e / s, gamma e / (l + phi b)). 0 <= alpha <= 1, 0 <= beta <=
// alpha, 0 <= gamma <= 1 - alpha, .8 <= phi <= .98.
struct Baseline {
  BaselineKind kind;
  std::string label;
  Series series;
  std::vector<std::pair<std::string, double>> parameters;  // with a name each
  double sigma2 = 0;                                       // mean squared one-step error
  std::optional<double> log_likelihood, aic;
  std::vector<double> fitted;  // one-step forecasts; NaN where there is none yet
  bool converged = true;
  // The state after the last row: level, slope, and the seasons with the coming row's first.
  double level = 0, slope = 0;
  std::vector<double> seasons;
};

struct BaselineStep {
  std::optional<Timestamp> date;
  double mean = 0, sd = 0;
  std::vector<PredictionInterval> interval;
};

// Missing values leave the state as it is forecast. Throws Error for too few observations, or
// values <= 0 with a multiplicative season.
[[nodiscard]] Baseline fit_baseline(const BaselineKind& kind, const Series& series);
[[nodiscard]] Baseline fit_baseline(std::string_view kind, const Series& series);

// Normal intervals by the closed form of the variance; with a multiplicative season from 5,000
// simulated paths. Parameters are taken as known, but for the mean's own error and the drift's.
[[nodiscard]] std::vector<BaselineStep> forecast(const Baseline& baseline, int horizon,
                                                 const std::vector<double>& intervals = {50, 95},
                                                 std::uint64_t seed = 1);

// Forecasts of rows `from` .. of `whole`, each made from the rows before it at the parameters of
// `baseline`, whose series is the first part of `whole`.
[[nodiscard]] std::vector<double> one_step(const Baseline& baseline, const Series& whole,
                                           std::size_t from);

}  // namespace brace::inline v0
BRACE_API_END
