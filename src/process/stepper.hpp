// SPDX-License-Identifier: Apache-2.0
// One model, one step ahead at a time: what simulation and forecasting share.
//
//   Stepper step(model, theta, Past::before_sample(model, presample));
//   step.advance(z, mu);  // y, e and h of the next row, for a unit-variance shock z
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "brace/model/model.hpp"
#include "families/variance_family.hpp"
#include "likelihood/innovations.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {

// What the next row depends on.
struct Past {
  std::vector<double> ahead;   // s: what the past means for the next rows of the ARMA part
  std::vector<double> levels;  // of y, newest first, as many as differencing takes
  VarianceState variance;

  // Deviations and shocks 0, squares and variances `presample`, levels 0.
  static Past before_sample(const Model& model, std::span<const double> theta, double presample);
  // The end of a filtered path of the differenced series, `counted` where present; rows before its
  // first are as before_sample. `levels` newest first.
  static Past after(const Model& model, std::span<const double> theta, std::span<const double> dev,
                    std::span<const double> e, std::span<const double> h,
                    std::span<const unsigned char> counted, double presample,
                    std::vector<double> levels);
  // The end of the exact filter.
  static Past after(const Model& model, std::span<const double> theta, const ArmaState& end,
                    double sigma2);
};

class Stepper {
 public:
  Stepper(const Model& model, std::span<const double> theta, Past past);

  // Starts again from another past of the same model; no allocation.
  void restart(const Past& past) { past_ = past; }

  // What the next row depends on now.
  [[nodiscard]] const Past& past() const { return past_; }

  // Goes on with other parameters.
  void change(std::span<const double> theta);

  // Levels 0 from here on.
  void begin_levels() { past_.levels.assign(past_.levels.size(), 0.0); }

  // The next row's variance is h, whatever the past says.
  void begin_at(double h) { forced_ = h; }

  struct Row {
    double mean;  // of y given the past
    double h, e, y;
  };
  // The row for a shock z of unit variance, whose regression terms (differenced like y) add up to
  // `mu` and those of its variance to `columns`.
  Row advance(double z, double mu, double columns = 0);
  // The next row before it comes, its shock 0; and that row once its value is known.
  [[nodiscard]] Row ahead(double mu, double columns = 0);
  void accept(const Row& ahead, double y) { leave(ahead, y - ahead.mean, true); }
  // The row whose shock and what it leaves behind take their expectations: the path of forecasts.
  // Exact for recursions linear in e and e^2; in other families the typical path.
  Row expect(double mu, double columns = 0);

  // The regression's part of a row of these columns, 0 where the model has none.
  [[nodiscard]] double regression(const Eigen::MatrixXd& columns, Eigen::Index row) const {
    double mu = 0;
    for (std::size_t j = 0; j < at_.regression.size(); ++j)
      mu += theta_[at_.regression[j]] * columns(row, static_cast<Eigen::Index>(j));
    return mu;
  }
  // And of its variance.
  [[nodiscard]] double variance_regression(const Eigen::MatrixXd& columns, Eigen::Index row) const {
    const std::size_t count = model_->variance_regressors.size();
    double sum = 0;
    for (std::size_t j = 0; j < count; ++j)
      sum += rules_.theta[rules_.theta.size() - count + j] *
             columns(row, static_cast<Eigen::Index>(j));
    return sum;
  }

 private:
  // The row of variance h, without a shock.
  [[nodiscard]] Row row_of(double h, double mu) const;
  // Becomes the past with a shock e; `known` tells whether it is one or an expectation.
  void leave(const Row& row, double e, bool known);
  Row take(double e, double h, bool known, double mu);
  void set_coefficients();
  double next_variance(double columns);

  const Model* model_;
  std::size_t first_variance_, variances_;  // of the parameters
  MeanPositions at_;
  LagProduct ar_, ma_;
  std::vector<double> weights_;  // of the difference
  std::vector<double> a_, b_;    // by lag, as long as Past::ahead
  std::span<const double> theta_;
  StepRules rules_;
  Past past_;
  std::optional<double> forced_;
};

}  // namespace brace::inline v0
