// SPDX-License-Identifier: Apache-2.0
// Simulated paths of the coming rows and what they leave behind.
//
//   Cloud cloud = simulate_paths(fit, options, columns, dates, executor);
//   cloud.returns[k];    // of all paths, k steps ahead
#pragma once

#include <Eigen/Dense>
#include <optional>
#include <span>
#include <vector>

#include "brace/forecast/forecast.hpp"
#include "forecast/draws.hpp"
#include "process/stepper.hpp"

namespace brace::inline v0 {

// What the paths leave behind, step by step: `paths` numbers for each.
struct Cloud {
  std::size_t paths, paths_a_draw;
  std::vector<std::vector<double>> returns, variances;  // [step][path]
  std::vector<double> total_return, total_variance;     // [path]
  std::vector<NextRow::Part> next;                      // [draw]
  std::vector<std::vector<double>> original;            // [step][path], where it is asked for
  std::size_t refused = 0, drawn = 0;
  std::optional<double> effective;  // of a LikelihoodSample

  Cloud(std::size_t horizon, std::size_t count, std::size_t by_draw, bool with_original)
      : paths(count),
        paths_a_draw(by_draw),
        returns(horizon, std::vector<double>(count)),
        variances(horizon, std::vector<double>(count)),
        total_return(count),
        total_variance(count),
        next(count / by_draw),
        original(with_original ? horizon : 0, std::vector<double>(count)) {}

  // The paths of another as well, of the same horizon.
  void append(const Cloud& other);
};

// Regressors of the coming rows.
struct Columns {
  Eigen::MatrixXd mean, variance;  // horizon x regressors
};

// Paths from one past under one set of parameters.
class PathMaker {
 public:
  PathMaker(const Model& model, std::size_t horizon, const Columns& columns);

  // Fills paths first .. first + count - 1 of the cloud, a draw's, and the law of its next row;
  // total_return is from `level`, the last value, where the model has differences. `original` is
  // left alone. False where a path left the range of numbers, as parameters far from the estimates
  // may make it: then they say nothing. The stream moves by one draw, and no step depends on how
  // many follow it.
  [[nodiscard]] bool run(std::span<const double> theta, const Past& start,
                         const ShockSource& shocks, maths::RandomStream& stream, std::size_t count,
                         Cloud& cloud, std::size_t first,
                         std::optional<double> first_variance = {});

 private:
  // garch or gjr e1 h1 without lags in the mean: the recursion itself, no state kept.
  void run_plain(std::span<const double> theta, std::size_t count, Cloud& cloud, std::size_t first,
                 double h1);

  const Model& model_;
  std::size_t horizon_;
  const Columns& columns_;
  std::size_t first_shape_, first_variance_;
  bool plain_, levels_;
  std::vector<double> z_;  // [step * paths + path]
  std::vector<double> y_, h_, mu_;
  std::optional<Stepper> step_;  // made by the first draw, which the others use again
};

// Paths under the method asked for. Work is split over maths::kRandomStreams streams, whatever the
// threads: draw d belongs to stream d modulo their number.
[[nodiscard]] Cloud simulate_paths(const Fit& fit, const ForecastOptions& options,
                                   const Columns& columns, const std::vector<Timestamp>& dates,
                                   const Executor& executor);

}  // namespace brace::inline v0
