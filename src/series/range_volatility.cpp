// SPDX-License-Identifier: Apache-2.0
// Range-based variance. Covered by tests/series/parts_test.cpp.
#include "brace/series/range_volatility.hpp"

#include <cmath>

#include "base/missing.hpp"
#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

constexpr double kPercentSquared = 1e4;

double square(double x) {
  return x * x;
}

struct Sample {
  double sum = 0, squares = 0;
  std::size_t n = 0;
  void add(double x) {
    sum += x;
    squares += x * x;
    ++n;
  }
  [[nodiscard]] double mean() const { return sum / static_cast<double>(n); }
  [[nodiscard]] double variance() const {
    return (squares - sum * mean()) / static_cast<double>(n - 1);
  }
};

// Rogers and Satchell's term: nothing where the price only went one way to its end.
double rogers_satchell(double open, double high, double low, double close) {
  return std::log(high / close) * std::log(high / open) +
         std::log(low / close) * std::log(low / open);
}

// Yang and Zhang (2000), eq. 10: the night's variance, the day's from open to close, and
// Rogers-Satchell, weighted so that the error is least.
std::optional<double> yang_zhang(const Bars& bars) {
  Sample night, day, range;
  for (std::size_t t = 1; t < bars.close.size(); ++t) {
    const double o = std::log(bars.open[t] / bars.close[t - 1]),
                 c = std::log(bars.close[t] / bars.open[t]),
                 r = rogers_satchell(bars.open[t], bars.high[t], bars.low[t], bars.close[t]);
    if (std::isnan(o + c + r)) continue;
    night.add(o);
    day.add(c);
    range.add(r);
  }
  if (range.n < 3) return std::nullopt;
  const auto n = static_cast<double>(range.n);
  const double k = 0.34 / (1.34 + (n + 1) / (n - 1));
  return kPercentSquared * (night.variance() + k * day.variance() + (1 - k) * range.mean());
}

}  // namespace

std::string_view to_string(RangeEstimator estimator) {
  switch (estimator) {
    case RangeEstimator::close_to_close: return "close-to-close";
    case RangeEstimator::parkinson: return "parkinson";
    case RangeEstimator::garman_klass: return "garman-klass";
    case RangeEstimator::rogers_satchell: return "rogers-satchell";
    case RangeEstimator::yang_zhang: return "yang-zhang";
  }
  return "unknown";
}

std::vector<double> range_variances(const Bars& b, RangeEstimator estimator) {
  std::vector<double> out(b.close.size(), kNaN);
  for (std::size_t t = 0; t < out.size(); ++t) {
    double v = kNaN;
    switch (estimator) {
      case RangeEstimator::close_to_close:
        if (t > 0) v = square(std::log(b.close[t] / b.close[t - 1]));
        break;
      case RangeEstimator::parkinson:
        v = square(std::log(b.high[t] / b.low[t])) / (4 * std::log(2.0));
        break;
      case RangeEstimator::garman_klass:
        v = 0.5 * square(std::log(b.high[t] / b.low[t])) -
            (2 * std::log(2.0) - 1) * square(std::log(b.close[t] / b.open[t]));
        break;
      case RangeEstimator::rogers_satchell:
        v = rogers_satchell(b.open[t], b.high[t], b.low[t], b.close[t]);
        break;
      case RangeEstimator::yang_zhang:
        throw Error(ErrorCode::bad_option,
                    "yang-zhang: is a mean over a sample; take garman-klass for single days");
    }
    out[t] = kPercentSquared * v;
  }
  return out;
}

std::optional<double> mean_variance(const Bars& bars, RangeEstimator estimator) {
  if (estimator == RangeEstimator::yang_zhang) return yang_zhang(bars);
  Sample sample;
  for (const double v : range_variances(bars, estimator))
    if (!std::isnan(v)) sample.add(v);
  return sample.n < 3 ? std::nullopt : std::optional(sample.mean());
}

std::optional<std::size_t> first_impossible(const Bars& b) {
  for (std::size_t t = 0; t < b.close.size(); ++t) {
    const bool positive = !(b.open[t] <= 0 || b.high[t] <= 0 || b.low[t] <= 0 || b.close[t] <= 0);
    // Comparisons with a missing price are false, which lets it pass.
    const bool outside = b.high[t] < b.low[t] || b.open[t] > b.high[t] || b.close[t] > b.high[t] ||
                         b.open[t] < b.low[t] || b.close[t] < b.low[t];
    if (!positive || outside) return t;
  }
  return std::nullopt;
}

std::size_t flat_bars(const Bars& b) {
  std::size_t count = 0;
  for (std::size_t t = 1; t < b.close.size(); ++t)
    count += b.open[t] == b.close[t - 1] && b.high[t] == b.open[t] && b.low[t] == b.open[t] &&
             b.close[t] == b.open[t];
  return count;
}

}  // namespace brace::inline v0
