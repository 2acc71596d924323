// SPDX-License-Identifier: Apache-2.0
// The data of a mean equation, differenced and with its regression columns, as both likelihoods
// take them.
//
//   MeanData data = mean_data(model, fit.window());      // model resolved
//   JointLikelihood<double>(model, data);   ExactLikelihood(model, data);
#pragma once

#include <Eigen/Dense>
#include <cstddef>
#include <span>
#include <vector>

#include "brace/model/model.hpp"

namespace brace::inline v0 {

// What is left of a temporary change (`fade:`) after each row, as Chen and Liu (1993) take it.
inline constexpr double kFade = 0.7;

struct MeanData {
  std::size_t lost = 0;        // first rows that differencing takes
  std::vector<double> level;   // y; NaN where missing; empty where a variance is modelled
  std::vector<double> change;  // differenced y, n - lost rows; NaN where a term of it is missing
  // The same with each missing y replaced by the present one before it, for methods that take the
  // missing ones as unknowns; empty where a variance is modelled.
  std::vector<double> filled;
  std::vector<std::size_t> missing;  // rows of y, 0-based
  std::vector<double> weights;       // of the difference, weights[0] = 1
  Eigen::MatrixXd columns;           // rows of `change` x regression coefficients, differenced too
  Eigen::MatrixXd variance_columns;  // rows of `change` x regressors of the variance, as they are
};

// A row of y counts as missing where one of its regressors is, and at the start where a regressor
// of the variance reaches back before the sample. Throws Error (bad_model_line) where columns are
// collinear, or where a regressor of the variance is missing or, in a family that needs it,
// negative, naming term and row.
[[nodiscard]] MeanData mean_data(const Model& model, const Series& series);

// For y alone: no differences, no column but the constant's.
[[nodiscard]] MeanData mean_data(const Model& model, std::span<const double> y);

// Rows of the regression columns after the end of `series`, differenced, `ahead` of them. `future`
// holds the coming values of the companions, whose rows are those ahead; it may be empty where the
// model has no columns. Throws Error (bad_option) where a value is wanted and missing.
[[nodiscard]] Eigen::MatrixXd columns_ahead(const Model& model, const Series& series,
                                            const std::vector<Timestamp>& dates,
                                            const std::vector<Companion>& future,
                                            std::size_t ahead);

// The regressors of the variance in those rows.
[[nodiscard]] Eigen::MatrixXd variance_columns_ahead(const Model& model, const Series& series,
                                                     const std::vector<Timestamp>& dates,
                                                     const std::vector<Companion>& future,
                                                     std::size_t ahead);

}  // namespace brace::inline v0
