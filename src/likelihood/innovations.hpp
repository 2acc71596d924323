// SPDX-License-Identifier: Apache-2.0
// Errors of the exact one-step forecasts of an ARMA equation, and the forecasts ahead of its end:
// the prediction-error form of the exact likelihood, which skips missing values.
//
//   Innovations found;
//   bool stationary = filter(model, mean_data(model, series), theta, found);
//   std::vector<LevelAhead> ahead = levels_ahead(model, theta, found.end, columns);
#pragma once

#include <Eigen/Dense>
#include <memory>
#include <span>
#include <vector>

#include "model/mean_data.hpp"

namespace brace::inline v0 {

// What is known of the rows to come: s (as in exact_likelihood.hpp) and the last `lost` levels,
// newest first, with their covariance over sigma2.
struct ArmaState {
  Eigen::VectorXd mean;
  Eigen::MatrixXd covariance;
};

struct Innovations {
  // One for each row of MeanData::change.
  std::vector<double> error;   // y less its forecast from the rows before; 0 where y is missing
  std::vector<double> spread;  // variance of the error over sigma2; 0 where the row does not count
  ArmaState end;
};

// Kalman (1960) in innovations form: y_t = s_1t + e_t, s_{t+1} = T s_t + K e_t, which costs no more
// than the shocks' own recursion once the start is forgotten. With differences and missing values
// the levels are part of the state. False where the process is not stationary.
[[nodiscard]] bool filter(const Model& model, const MeanData& data, std::span<const double> theta,
                          Innovations& out);

// The same filter after its last row, one row at a time; no allocation once nothing but the shock
// is uncertain.
//
//   LevelFilter follow(model, theta, found.end);
//   follow.push(y, mu);                  // mu: the regression's part of the row
class LevelFilter {
 public:
  LevelFilter(const Model& model, std::span<const double> theta, ArmaState end);
  ~LevelFilter();
  LevelFilter(const LevelFilter& other);

  // Of the coming row, its regression apart: its mean, and its variance over sigma2.
  [[nodiscard]] double mean() const;
  [[nodiscard]] double spread() const;
  // The row came; NaN: it is missing.
  void push(double y, double mu);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// Mean and variance of y at each row ahead, for regression columns of those rows.
struct LevelAhead {
  double mean = 0, variance = 0;
};
[[nodiscard]] std::vector<LevelAhead> levels_ahead(const Model& model,
                                                   std::span<const double> theta, ArmaState end,
                                                   const Eigen::MatrixXd& columns);

}  // namespace brace::inline v0
