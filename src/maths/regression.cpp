// SPDX-License-Identifier: Apache-2.0
// Least squares by Eigen's pivoted QR. Covered by tests/maths/maths_test.cpp.
#include "maths/regression.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>

#include "brace/base/error.hpp"

namespace brace::inline v0::maths {

Regression regress(const Eigen::MatrixXd& X, const Eigen::VectorXd& y) {
  const Eigen::Index n = X.rows(), k = X.cols();
  if (n <= k)
    throw Error(
        ErrorCode::too_few_observations,
        fmt::format("a regression on {} terms has only {} usable rows; give a longer series "
                    "or fewer lags",
                    k, n));
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(X);
  Regression out;
  out.rank = static_cast<int>(qr.rank());
  out.coefficients = qr.solve(y);
  out.residuals = y - X * out.coefficients;
  out.ssr = out.residuals.squaredNorm();
  if (out.rank < k) return out;
  // (X'X)^-1 = P R^-1 R^-T P': its diagonal is the squared row norms of P R^-1.
  const Eigen::MatrixXd inverse =
      qr.matrixR().topLeftCorner(k, k).triangularView<Eigen::Upper>().solve(
          Eigen::MatrixXd::Identity(k, k));
  const double s2 = out.ssr / static_cast<double>(n - k);
  out.errors = qr.colsPermutation() * (s2 * inverse.rowwise().squaredNorm()).cwiseSqrt();
  return out;
}

PivotedFit pivoted_fit(const Eigen::MatrixXd& X, const Eigen::MatrixXd& Y) {
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(X);
  return {qr.solve(Y), qr.rank()};
}

Eigen::Index pivoted_rank(const Eigen::MatrixXd& X) {
  return Eigen::ColPivHouseholderQR<Eigen::MatrixXd>(X).rank();
}

}  // namespace brace::inline v0::maths
