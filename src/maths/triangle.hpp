// SPDX-License-Identifier: Apache-2.0
// A least-squares regression on lags from sums of products, without a row of its matrix.
//
//   Eigen::MatrixXd G = lag_products(u.data() + p, rows, p);   // of u_t, u_{t-1} .. u_{t-p}
//   std::optional<Triangle> of = triangle_of(G, order);        // the response last
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <optional>
#include <vector>

namespace brace::inline v0::maths {

// f(from, count) of blocks that stay in the first cache while many lags pass over them.
template <class F>
void for_each_block(Eigen::Index rows, F&& f) {
  constexpr Eigen::Index kRowsInCache = 1024;
  for (Eigen::Index at = 0; at < rows; at += kRowsInCache) f(at, std::min(kRowsInCache, rows - at));
}

// Sums over `rows` rows from `first` on of u[t-i] u[t-j], lower triangle, (lags + 1) squared. Those
// of two lagged values are those of one lag less but for a row at either end: rows x lags
// operations.
[[nodiscard]] Eigen::MatrixXd lag_products(const double* first, Eigen::Index rows,
                                           Eigen::Index lags);

// R of X = Q R, Q' y, and the sum of squares of what is left of y; leading columns are those of the
// smaller regressions.
struct Triangle {
  Eigen::MatrixXd R;
  Eigen::VectorXd rotated;
  double rest = 0;
};
// From the products G (lower triangle) of columns that are taken in this order, y last. Empty where
// columns are nearer to collinear than squares can tell.
[[nodiscard]] std::optional<Triangle> triangle_of(const Eigen::MatrixXd& G,
                                                  const std::vector<Eigen::Index>& order);

// Rows from which sums of products are worth it: below, reflections keep twice the digits and cost
// little.
inline constexpr Eigen::Index kManyRows = 10000;

}  // namespace brace::inline v0::maths
