// SPDX-License-Identifier: Apache-2.0
// How far point forecasts lie from what happened.
//
//   brace::Accuracy a = brace::accuracy(actual, forecast, training);
//   a.rmse;     a.mase;
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace brace {

// Errors are actual less forecast (Hyndman and Koehler 2006; Theil 1966). Rows where either is
// missing are left out.
struct Accuracy {
  std::size_t n = 0;
  double me = 0, rmse = 0, mae = 0;  // unit of the data
  // Percent of the actual value; empty where one is 0 or the sign changes, and `no_percent` says
  // so.
  std::optional<double> mpe, mape;
  std::optional<double> smape;  // percent; empty where both are 0 somewhere
  std::string no_percent;
  // mae over the mean absolute one-step change of the training part.
  std::optional<double> mase;
  std::optional<double> theil_u2;  // over the last value as forecast; below 1 is better than that
  std::optional<double> acf1;      // first autocorrelation of the errors
  // Share of changes from the last actual value whose direction was right; empty for one row.
  std::optional<double> right_direction;
};

// Throws Error (bad_option) for lists of different length, (too_few_observations) where no row is
// left.
[[nodiscard]] Accuracy accuracy(std::span<const double> actual, std::span<const double> forecast,
                                std::span<const double> training = {});

}  // namespace brace
