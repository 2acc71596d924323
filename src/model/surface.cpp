// SPDX-License-Identifier: Apache-2.0
#include "model/surface.hpp"

#include "model/exact_likelihood.hpp"
#include "model/lanes/surface.hpp"
#include "model/likelihood.hpp"

namespace brace {

Eigen::MatrixXd unpack(const std::vector<double>& lower) {
  Eigen::Index k = 0;
  while (packed_size(static_cast<std::size_t>(k)) < lower.size()) ++k;
  Eigen::MatrixXd full(k, k);
  for (Eigen::Index j = 0; j < k; ++j)
    for (Eigen::Index i = 0; i <= j; ++i)
      full(j, i) = full(i, j) =
          lower[packed(static_cast<std::size_t>(j), static_cast<std::size_t>(i))];
  return full;
}

Eigen::MatrixXd Surface::score_products(std::span<const double> theta, const Eigen::MatrixXd& G) {
  const std::vector<double> by_row = scores(theta);
  const Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> S(
      by_row.data(), static_cast<Eigen::Index>(rows()), static_cast<Eigen::Index>(theta.size()));
  const Eigen::MatrixXd along = S * G;
  return along.transpose() * along;
}

std::unique_ptr<Surface> make_surface(const Model& model, const MeanData& data, bool exact) {
  if (exact) return std::make_unique<ExactLikelihood>(model, data);
  if (LaneSurface::serves(model, data)) return std::make_unique<LaneSurface>(model, data);
  return std::make_unique<ConditionalSurface>(model, data);
}

}  // namespace brace
