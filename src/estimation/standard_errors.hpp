// SPDX-License-Identifier: Apache-2.0
// Covariances and standard errors of estimates, from what the engine knows at a maximum.
//
//   Maximum maximum{coordinates, x, theta, hessian, free, likelihood, data_by_scaled};
//   write_errors(maximum, /*hessian_only=*/false, fit);
#pragma once

#include <Eigen/Dense>
#include <optional>
#include <vector>

#include "brace/estimation/fit.hpp"
#include "estimation/coordinates.hpp"
#include "likelihood/log_likelihood.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

struct Maximum {
  const Coordinates& coordinates;
  const WorkingPoint& x;
  const ScaledParameters& theta;
  const Eigen::MatrixXd& hessian;  // of -l by x
  const Eigen::MatrixXd& free;     // columns: directions that no bound blocks; at least one
  LogLikelihood& likelihood;
  Eigen::MatrixXd data_by_scaled;  // d parameters in data units / d theta, k x k
  // Coefficients of regressors that are 0 in all but a few rows (`fits_few_rows`), positions in
  // theta.
  std::vector<std::size_t> of_few_rows{};
};

// Which coefficients of the mean fit a few rows alone, such as a pulse: their scores there are 0 or
// near it whatever the value is, so that products of scores take them for known exactly.
[[nodiscard]] std::vector<std::size_t> fits_few_rows(const Model& model, const MeanData& data);

// All three kinds of error, and the covariance of the kind that fit.errors names. With G = J Z, the
// free directions by the scaled parameters: G (Z' H Z)^-1 G', the outer product of scores likewise,
// and the sandwich of both (White 1982); the products of scores of coefficients that fit a few rows
// are not below their part of H, which is what they are expected to be. Held and pinned parameters
// have none.
void write_errors(const Maximum& maximum, bool hessian_only, Fit& fit);

// The same where omega follows from the variance of the sample, by the influence of each row. With
// s2 the target, xi = (1 - sum beta) / share (e^2 - h) is that of n s2, and of the parameters x:
// A (score + C xi / n), C the second derivatives of l by x and s2 (Francq, Horvath and Zakoian 2011,
// as a sum over rows). `data` is scaled.
void write_targeted_errors(const Model& model, const MeanData& data, const Tie& tie,
                           const std::vector<std::optional<double>>& held, const Maximum& maximum,
                           Fit& fit);

}  // namespace brace::inline v0
