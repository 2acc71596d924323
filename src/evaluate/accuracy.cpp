// SPDX-License-Identifier: Apache-2.0
// Accuracy of point forecasts. Covered by tests/evaluate/evaluate_test.cpp.
#include "brace/evaluate/accuracy.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/maths/autocorrelations.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "evaluate/rows.hpp"

namespace brace::inline v0 {
namespace {

// Lags of n errors that are looked at.
int lags_of_errors(std::size_t n) {
  return static_cast<int>(std::min<std::size_t>(10, n / 5));
}

void judge_percentages(std::span<const double> y, std::span<const double> f, Accuracy& a) {
  const auto [least, most] = std::minmax_element(y.begin(), y.end());
  if (std::any_of(y.begin(), y.end(), [](double v) { return v == 0; }))
    a.no_percent = "an actual value is 0";
  else if (*least < 0 && *most > 0)
    a.no_percent = "the actual values change sign";
  const auto n = static_cast<double>(y.size());
  double percent = 0, symmetric = 0;
  bool both_zero = false;
  for (std::size_t t = 0; t < y.size(); ++t) {
    const double error = std::abs(y[t] - f[t]), size = std::abs(y[t]) + std::abs(f[t]);
    percent += 100 * error / std::abs(y[t]) / n;
    symmetric += 200 * error / size / n;
    both_zero = both_zero || size == 0;
  }
  if (a.no_percent.empty()) a.mape = percent;
  if (!both_zero) a.smape = symmetric;
}

std::optional<double> mean_step(std::span<const double> training) {
  double steps = 0, count = 0;
  for (std::size_t t = 1; t < training.size(); ++t)
    if (const double step = std::abs(training[t] - training[t - 1]); !std::isnan(step)) {
      steps += step;
      ++count;
    }
  return count > 0 && steps > 0 ? std::optional(steps / count) : std::nullopt;
}

std::optional<Accuracy::Relative> relative_to(std::span<const double> actual,
                                              std::span<const double> forecast,
                                              std::span<const double> baseline,
                                              const std::string& name) {
  double ours = 0, theirs = 0, our_size = 0, their_size = 0;
  for (std::size_t t = 0; t < baseline.size(); ++t) {
    const double e = actual[t] - forecast[t], b = actual[t] - baseline[t];
    if (std::isnan(e) || std::isnan(b)) continue;
    ours += e * e;
    theirs += b * b;
    our_size += std::abs(e);
    their_size += std::abs(b);
  }
  if (!(theirs > 0)) return std::nullopt;
  return Accuracy::Relative{name, std::sqrt(ours / theirs), our_size / their_size};
}

std::optional<RightDirections> directions_of(std::span<const double> actual,
                                             std::span<const double> forecast,
                                             std::span<const double> from) {
  // A mean of values whose mean is 0, and a walk, forecast a move of rounding: that is none.
  constexpr double kRounding = 1e-13;
  double right = 0, rises = 0, n = 0;
  const auto start_of = [&](std::size_t t) { return from.empty() ? 0 : from[t]; };
  double size = 0, rows = 0;
  for (std::size_t t = 0; t < actual.size(); ++t)
    if (const double came = std::abs(actual[t] - start_of(t)); !std::isnan(came)) {
      size += came;
      ++rows;
    }
  for (std::size_t t = 0; t < actual.size(); ++t) {
    const double start = start_of(t), came = actual[t] - start, called = forecast[t] - start;
    const bool moves = std::abs(called) > kRounding * (size / rows + std::abs(start));
    if (!moves || came == 0 || std::isnan(came)) continue;
    ++n;
    right += (came > 0) == (called > 0) ? 1 : 0;
    rises += came > 0 ? 1 : 0;
  }
  if (n == 0) return std::nullopt;
  return RightDirections{static_cast<std::size_t>(n), right / n, std::max(rises, n - rises) / n,
                         !from.empty()};
}

// Errors closer than a step overlap and are correlated under every model: one a step is tested.
std::optional<ErrorMemory> memory_of(const std::vector<double>& errors, int step) {
  if (step < 1) return std::nullopt;
  Series apart;
  apart.name = "error";
  for (std::size_t t = 0; t < errors.size(); t += static_cast<std::size_t>(step))
    apart.values.push_back(errors[t]);
  const std::vector<double> present = apart.present_values();
  const int lags = lags_of_errors(present.size());
  const auto differs = [&](double v) { return v != present.front(); };
  if (lags < 1 || std::none_of(present.begin(), present.end(), differs)) return std::nullopt;
  ErrorMemory memory;
  memory.lag = step;
  memory.autocorrelation = maths::autocorrelations(apart.values, 1)[0];
  memory.test = hypothesis::ljung_box_robust(apart, {.lags = lags});
  memory.test.variant = "errors";
  memory.test.null = step == 1 ? fmt::format("no autocorrelation in the errors up to lag {}", lags)
                               : fmt::format(
                                     "no autocorrelation in the errors of every {} rows up "
                                     "to lag {}",
                                     step, lags);
  memory.test.reading = *memory.test.rejects()
                            ? "the errors have memory: the forecasts leave something unused"
                            : "the errors are white";
  return memory;
}

}  // namespace

Accuracy accuracy(std::span<const double> actual, std::span<const double> forecast,
                  const AccuracyOptions& options) {
  if (actual.size() != forecast.size())
    throw Error(ErrorCode::bad_option, fmt::format("accuracy: {} actual values and {} forecasts",
                                                   actual.size(), forecast.size()));
  for (const std::span<const double> list : {options.baseline, options.from})
    if (!list.empty()) require_same("accuracy", actual.size(), list.size());
  std::vector<double> y, f, e, with_gaps;
  for (std::size_t t = 0; t < actual.size(); ++t) {
    with_gaps.push_back(actual[t] - forecast[t]);
    if (std::isnan(with_gaps.back())) continue;
    y.push_back(actual[t]);
    f.push_back(forecast[t]);
    e.push_back(with_gaps.back());
  }
  if (e.empty())
    throw Error(ErrorCode::too_few_observations,
                "accuracy: no row has both an actual value and a forecast");
  Accuracy a;
  a.n = e.size();
  const auto n = static_cast<double>(e.size());
  double squares = 0;
  for (const double v : e) {
    a.bias += v / n;
    a.mae += std::abs(v) / n;
    squares += v * v;
  }
  a.rmse = std::sqrt(squares / n);
  a.relative = relative_to(actual, forecast, options.baseline, options.baseline_name);
  if (const std::optional<double> step = mean_step(options.training)) a.mase = a.mae / *step;
  judge_percentages(y, f, a);
  if (e.size() > 2) {
    for (double& v : e) v -= a.bias;
    const int bandwidth =
        std::min(static_cast<int>(e.size()) - 1,
                 std::max(options.step - 1, static_cast<int>(4 * std::pow(n / 100, 2. / 9))));
    a.bias_error = std::sqrt(std::max(0.0, maths::long_run_variance(e, bandwidth)) / n);
  }
  a.directions = directions_of(actual, forecast, options.from);
  a.memory = memory_of(with_gaps, options.step);
  return a;
}

std::vector<double> last_before(std::span<const double> values, double before) {
  std::vector<double> out;
  for (const double v : values) {
    out.push_back(before);
    if (!std::isnan(v)) before = v;
  }
  return out;
}

}  // namespace brace::inline v0
