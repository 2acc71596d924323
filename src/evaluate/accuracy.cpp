// SPDX-License-Identifier: Apache-2.0
// Accuracy of point forecasts. Covered by tests/evaluate/evaluate_test.cpp.
#include "brace/evaluate/accuracy.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/hypothesis/autocorrelation.hpp"

namespace brace {

Accuracy accuracy(std::span<const double> actual, std::span<const double> forecast,
                  std::span<const double> training) {
  if (actual.size() != forecast.size())
    throw Error(ErrorCode::bad_option, fmt::format("accuracy: {} actual values and {} forecasts",
                                                   actual.size(), forecast.size()));
  std::vector<double> y, f, e;
  for (std::size_t t = 0; t < actual.size(); ++t)
    if (!std::isnan(actual[t]) && !std::isnan(forecast[t])) {
      y.push_back(actual[t]);
      f.push_back(forecast[t]);
      e.push_back(actual[t] - forecast[t]);
    }
  if (e.empty())
    throw Error(ErrorCode::too_few_observations,
                "accuracy: no row has both an actual value and a forecast");
  Accuracy a;
  a.n = e.size();
  const auto n = static_cast<double>(e.size());
  double squares = 0, percent = 0, absolute_percent = 0, symmetric = 0;
  bool zero = false, both_zero = false;
  for (std::size_t t = 0; t < e.size(); ++t) {
    a.me += e[t] / n;
    a.mae += std::abs(e[t]) / n;
    squares += e[t] * e[t];
    zero = zero || y[t] == 0;
    percent += 100 * e[t] / y[t];
    absolute_percent += std::abs(100 * e[t] / y[t]);
    const double size = std::abs(y[t]) + std::abs(f[t]);
    both_zero = both_zero || size == 0;
    symmetric += 200 * std::abs(e[t]) / size;
  }
  a.rmse = std::sqrt(squares / n);
  const auto [least, most] = std::minmax_element(y.begin(), y.end());
  if (zero)
    a.no_percent = "an actual value is 0";
  else if (*least < 0 && *most > 0)
    a.no_percent = "the actual values change sign";
  if (a.no_percent.empty()) {
    a.mpe = percent / n;
    a.mape = absolute_percent / n;
  }
  if (!both_zero) a.smape = symmetric / n;
  double steps = 0;
  std::size_t count = 0;
  for (std::size_t t = 1; t < training.size(); ++t)
    if (const double step = std::abs(training[t] - training[t - 1]); !std::isnan(step)) {
      steps += step;
      ++count;
    }
  if (count > 0 && steps > 0) a.mase = a.mae / (steps / static_cast<double>(count));
  if (y.size() > 1) {
    double ours = 0, last = 0;
    std::size_t right = 0;
    for (std::size_t t = 0; t + 1 < y.size(); ++t) {
      ours += std::pow((f[t + 1] - y[t + 1]) / y[t], 2);
      last += std::pow((y[t + 1] - y[t]) / y[t], 2);
      right += (f[t + 1] - y[t]) * (y[t + 1] - y[t]) > 0 ? 1 : 0;
    }
    if (a.no_percent.empty() && last > 0) a.theil_u2 = std::sqrt(ours / last);
    a.right_direction = static_cast<double>(right) / static_cast<double>(y.size() - 1);
  }
  if (e.size() > 2 && std::any_of(e.begin(), e.end(), [&](double v) { return v != e[0]; }))
    a.acf1 = autocorrelations(e, 1)[0];
  return a;
}

}  // namespace brace
