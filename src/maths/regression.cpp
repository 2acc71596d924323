// SPDX-License-Identifier: Apache-2.0
// Least squares by Eigen's pivoted QR. Covered by tests/maths/maths_test.cpp.
#include "maths/regression.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>

#include "brace/base/error.hpp"

namespace brace::inline v0::maths {

namespace {

// X with each column divided by its length: what is collinear does not depend on units, and the
// squares of values near 1e-9 are not lost beside a constant.
struct UnitColumns {
  Eigen::VectorXd lengths;  // 1 for a column of zeros
  Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr;

  explicit UnitColumns(const Eigen::MatrixXd& X)
      : lengths(X.colwise().norm().transpose().unaryExpr(
            [](double length) { return length > 0 ? length : 1; })),
        qr(X * lengths.cwiseInverse().asDiagonal()) {}
  [[nodiscard]] Eigen::MatrixXd solve(const Eigen::MatrixXd& Y) const {
    return lengths.cwiseInverse().asDiagonal() * qr.solve(Y);
  }
};

}  // namespace

Regression regress(const Eigen::MatrixXd& X, const Eigen::VectorXd& y) {
  const Eigen::Index n = X.rows(), k = X.cols();
  if (n <= k)
    throw Error(
        ErrorCode::too_few_observations,
        fmt::format("a regression on {} terms has only {} usable rows; give a longer series "
                    "or fewer lags",
                    k, n));
  const UnitColumns columns(X);
  const auto& qr = columns.qr;
  Regression out;
  out.rank = static_cast<int>(qr.rank());
  out.coefficients = columns.solve(y);
  out.residuals = y - X * out.coefficients;
  out.ssr = out.residuals.squaredNorm();
  if (out.rank < k) return out;
  // (X'X)^-1 = P R^-1 R^-T P': its diagonal is the squared row norms of P R^-1.
  const Eigen::MatrixXd inverse =
      qr.matrixR().topLeftCorner(k, k).triangularView<Eigen::Upper>().solve(
          Eigen::MatrixXd::Identity(k, k));
  const double s2 = out.ssr / static_cast<double>(n - k);
  out.errors = (qr.colsPermutation() * (s2 * inverse.rowwise().squaredNorm()).cwiseSqrt())
                   .cwiseQuotient(columns.lengths);
  return out;
}

PivotedFit pivoted_fit(const Eigen::MatrixXd& X, const Eigen::MatrixXd& Y) {
  const UnitColumns columns(X);
  return {columns.solve(Y), columns.qr.rank()};
}

Eigen::Index pivoted_rank(const Eigen::MatrixXd& X) {
  return UnitColumns(X).qr.rank();
}

}  // namespace brace::inline v0::maths
