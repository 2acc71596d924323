// SPDX-License-Identifier: Apache-2.0
// Covariances and standard errors of estimates, from what the engine knows at a maximum.
//
//   Maximum maximum{chart, x, theta, hessian, free, surface, to_natural};
//   write_errors(maximum, /*hessian_only=*/false, fit);
#pragma once

#include <Eigen/Dense>
#include <optional>
#include <vector>

#include "brace/model/fit.hpp"
#include "model/chart.hpp"
#include "model/mean_data.hpp"
#include "model/surface.hpp"

namespace brace {

struct Maximum {
  const Chart& chart;
  const Eigen::VectorXd& x;        // working coordinates
  const Eigen::VectorXd& theta;    // natural, of the scaled data
  const Eigen::MatrixXd& hessian;  // of -l by x
  const Eigen::MatrixXd& free;     // columns: directions that no bound blocks; at least one
  Surface& surface;
  Eigen::MatrixXd to_natural;  // of the parameters in the units of the data by theta
};

// All three kinds of error, and the covariance of the kind that fit.errors names. With G = J Z, the
// free directions in natural parameters: G (Z' H Z)^-1 G', the outer product of scores likewise,
// and the sandwich of both (White 1982). Held and pinned parameters have none.
void write_errors(const Maximum& maximum, bool hessian_only, Fit& fit);

// The same where omega follows from the variance of the sample, by the influence of each row. With
// s2 the target, xi = (1 - sum beta) / share (e^2 - h) is that of n s2, and of the parameters x:
// A (score + C xi / n), C the second derivatives of l by x and s2 (Francq, Horvath and Zakoian
// 2011, theorem 2.1, as a sum over rows). `data` is scaled.
void write_targeted_errors(const Model& model, const MeanData& data, const Tie& tie,
                           const std::vector<std::optional<double>>& held, const Maximum& maximum,
                           Fit& fit);

}  // namespace brace
