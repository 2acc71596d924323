// SPDX-License-Identifier: Apache-2.0
// The limit laws of the Anderson-Darling and Cramer-von Mises statistics of probability transforms
// u = F(z; estimates), where the parameters of F were estimated by maximum likelihood: the textbook
// laws, which take them as known, reject far too seldom then.
//
//   TransformLaw law(effect, W);             // effect: G(u) at transform_nodes(), a row each
//   double p = law.anderson_darling(1.2);    // P(A^2 > 1.2)
//
// sqrt(n) (F_n(u) - u) tends to a Gaussian process of covariance (Durbin 1973)
//   K(u, v) = min(u, v) - u v - G(u)' W G(v),
// with G(u) the slopes of F at the quantile u by the parameters, and W the inverse of their
// information. The statistics are integrals of its square, weighted by 1 / (u (1 - u)) for
// Anderson-Darling: quadratic forms sum lambda_j chi2_j(1) in the eigenvalues of K. Each is found
// in the eigenfunctions of the process without estimates (sines; associated Legendre functions), in
// which min(u, v) - u v is diagonal, and the tail follows by Imhof's inversion.
#pragma once

#include <Eigen/Core>
#include <vector>

#include "laws/inversion.hpp"

namespace brace::inline v0::laws {

// Tail probability below which the law is not verified.
inline constexpr double kTransformFloor = 1e-6;

// Where G is wanted: nodes in (0, 1), dense at both ends.
[[nodiscard]] const std::vector<double>& transform_nodes();
// Weights that make integrals over u of values at the nodes.
[[nodiscard]] const std::vector<double>& transform_weights();

class TransformLaw {
 public:
  // G: nodes x m, W: m x m and positive semi-definite; m may be 0, where nothing was estimated.
  TransformLaw(const Eigen::MatrixXd& G, const Eigen::MatrixXd& W);

  // P(statistic > x), not below kTransformFloor.
  [[nodiscard]] double anderson_darling(double x) const;
  [[nodiscard]] double cramer_von_mises(double x) const;

 private:
  Spectrum anderson_darling_, cramer_von_mises_;
};

}  // namespace brace::inline v0::laws
