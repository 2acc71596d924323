// SPDX-License-Identifier: Apache-2.0
// Covered by tests/maths/maths_test.cpp and tests/hypothesis/unit_root_test.cpp.
#include "maths/triangle.hpp"

#include <algorithm>
#include <cmath>

#include "maths/dense.hpp"

namespace brace::inline v0::maths {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

MatrixXd lag_products(const double* first, Index rows, Index lags) {
  MatrixXd G = MatrixXd::Zero(lags + 1, lags + 1);
  for_each_block(rows, [&](Index at, Index count) {
    const Eigen::Map<const VectorXd> now(first + at, count);
    for (Index j = 0; j <= lags; ++j)
      G(j, 0) += now.dot(Eigen::Map<const VectorXd>(first + at - j, count));
  });
  for (Index i = 1; i <= lags; ++i)
    for (Index j = i; j <= lags; ++j)
      G(j, i) = G(j - 1, i - 1) + first[-i] * first[-j] - first[rows - i] * first[rows - j];
  return G;
}

std::optional<Triangle> triangle_of(const MatrixXd& G, const std::vector<Index>& order) {
  // The least diagonal of the factor of columns of length one.
  constexpr double kLeastDiagonal = 1e-5;
  const auto width = static_cast<Index>(order.size()), columns = width - 1;
  MatrixXd unit(width, width);
  VectorXd length(width);
  for (Index i = 0; i < width; ++i) {
    const Index from = order[static_cast<std::size_t>(i)];
    length(i) = std::sqrt(G(from, from));
    if (!(length(i) > 0)) return std::nullopt;
    for (Index j = 0; j <= i; ++j) {
      const Index other = order[static_cast<std::size_t>(j)];
      unit(i, j) = unit(j, i) =
          G(std::max(from, other), std::min(from, other)) / (length(i) * length(j));
    }
  }
  const std::optional<MatrixXd> L = lower_root(unit);
  if (!L || (columns > 0 && L->diagonal().head(columns).minCoeff() < kLeastDiagonal))
    return std::nullopt;
  const MatrixXd R = L->transpose() * length.asDiagonal();
  return Triangle{.R = R.topLeftCorner(columns, columns),
                  .rotated = R.col(columns).head(columns),
                  .rest = R(columns, columns) * R(columns, columns)};
}

}  // namespace brace::inline v0::maths
