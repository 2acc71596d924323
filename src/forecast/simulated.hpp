// SPDX-License-Identifier: Apache-2.0
// What simulated values say: intervals and tails, and the error that the simulation leaves in each.
//
//   Simulated of_return(cloud.returns[k], cloud.paths_a_draw, /*with_errors=*/true);
//   step.return_interval = of_return.intervals({50, 95}, [](double v) { return v; });
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

#include "brace/forecast/forecast.hpp"
#include "brace/maths/random.hpp"
#include "maths/quantiles.hpp"

namespace brace::inline v0 {

// Simulated values of one quantity, and the batches of whole draws (those of one stream) by which
// the simulation's own error shows; none where it is not asked for.
class Simulated {
 public:
  // The values must outlive it.
  Simulated(const std::vector<double>& values, std::size_t paths_a_draw, bool with_errors)
      : values_(values) {
    for (std::size_t b = 0; with_errors && b < maths::kRandomStreams; ++b) {
      std::vector<double> batch;
      for (std::size_t d = b; d * paths_a_draw < values_.size(); d += maths::kRandomStreams)
        batch.insert(batch.end(), values_.begin() + static_cast<std::ptrdiff_t>(d * paths_a_draw),
                     values_.begin() + static_cast<std::ptrdiff_t>((d + 1) * paths_a_draw));
      if (!batch.empty()) batches_.push_back(std::move(batch));
    }
  }

  template <class F>
  std::vector<PredictionInterval> intervals(const std::vector<double>& percents, F map) {
    std::vector<double> orders;
    for (const double percent : percents)
      for (const double side : {-1.0, 1.0}) orders.push_back(0.5 + side * percent / 200.0);
    const auto ends_of = [&](const std::vector<double>& values) {
      std::vector<double> ends = maths::quantiles(values, orders);
      for (double& end : ends) end = map(end);
      return ends;
    };
    const std::vector<double> ends = ends_of(values_), errors = errors_of(ends_of);
    std::vector<PredictionInterval> out;
    for (std::size_t i = 0; i < percents.size(); ++i)
      out.push_back({.percent = percents[i],
                     .low = ends[2 * i],
                     .high = ends[2 * i + 1],
                     .error = larger(errors, i)});
    return out;
  }

  // Lowest first.
  std::vector<TailRisk> tails(const std::vector<double>& percents) {
    if (percents.empty()) return {};
    std::vector<double> orders;
    for (const double percent : percents) orders.push_back(percent / 100);
    const auto tails_of = [&](const std::vector<double>& values) {
      const std::vector<double> at_risk = maths::quantiles(values, orders);
      std::vector<std::size_t> ranks;  // of the last value in each tail
      for (const double order : orders)
        ranks.push_back(std::max<std::size_t>(1, static_cast<std::size_t>(
                                                     order * static_cast<double>(values.size()))) -
                        1);
      const std::vector<double> last = maths::order_statistics(values, ranks);
      std::vector<double> tails;
      for (std::size_t i = 0; i < orders.size(); ++i) {
        tails.push_back(at_risk[i]);
        tails.push_back(maths::mean_of_lowest(values, ranks[i] + 1, last[i]));
      }
      return tails;
    };
    const std::vector<double> errors = errors_of(tails_of), tails = tails_of(values_);
    std::vector<TailRisk> out;
    for (std::size_t i = 0; i < percents.size(); ++i)
      out.push_back({.percent = percents[i],
                     .value_at_risk = tails[2 * i],
                     .shortfall = tails[2 * i + 1],
                     .error = errors.empty() ? 0 : errors[2 * i],
                     .shortfall_error = errors.empty() ? 0 : errors[2 * i + 1]});
    return out;
  }

 private:
  // Of every figure that `figures` makes of values, by how far batches are apart; empty without
  // them.
  template <class F>
  std::vector<double> errors_of(F figures) {
    if (batches_.size() < 2) return {};
    std::vector<std::vector<double>> of_batch;
    for (const std::vector<double>& batch : batches_) of_batch.push_back(figures(batch));
    std::vector<double> errors;
    const auto n = static_cast<double>(of_batch.size());
    for (std::size_t f = 0; f < of_batch[0].size(); ++f) {
      double mean = 0, squares = 0;
      for (const std::vector<double>& figure : of_batch) mean += figure[f] / n;
      for (const std::vector<double>& figure : of_batch)
        squares += (figure[f] - mean) * (figure[f] - mean);
      errors.push_back(std::sqrt(squares / (n - 1) / n));
    }
    return errors;
  }
  static double larger(const std::vector<double>& errors, std::size_t pair) {
    return errors.empty() ? 0 : std::max(errors[2 * pair], errors[2 * pair + 1]);
  }

  const std::vector<double>& values_;
  std::vector<std::vector<double>> batches_;
};

}  // namespace brace::inline v0
