// SPDX-License-Identifier: Apache-2.0
// One model, one step ahead at a time: what simulation and forecasting share.
//
//   Stepper step(model, theta, Past::before_sample(model, presample));
//   step.advance(z);      // y, e and h of the next row, for a unit-variance shock z
#pragma once

#include <span>
#include <vector>

#include "brace/model/model.hpp"
#include "model/families.hpp"

namespace brace {

// What the next row depends on, newest first.
struct Past {
  std::vector<double> dev, e;
  VarianceHistory variance;

  // Deviations and shocks 0, squares and variances `presample`.
  static Past before_sample(const Model& model, double presample);
  // The last rows of a filtered path of data y (NaN where missing); rows before its first are as
  // before_sample.
  static Past after(const Model& model, std::span<const double> dev, std::span<const double> e,
                    std::span<const double> h, std::span<const double> y, double presample);
};

class Stepper {
 public:
  Stepper(const Model& model, std::span<const double> theta, Past past)
      : model_(&model),
        theta_(theta),
        variance_theta_(theta.subspan(parameter_names(model).mean.size())),
        past_(std::move(past)) {}

  // Starts again from another past with other parameters; no allocation.
  void reset(std::span<const double> theta, const Past& past);

  struct Row {
    double mean;  // of y given the past
    double h, e, y;
  };
  // The row for a shock z of unit variance.
  Row advance(double z);
  // The row whose shock and its square take their expectations: the path of forecasts. Exact for
  // recursions linear in e and e^2.
  Row expect();

 private:
  [[nodiscard]] double mean_deviation() const;

  const Model* model_;
  std::span<const double> theta_, variance_theta_;
  Past past_;
};

}  // namespace brace
