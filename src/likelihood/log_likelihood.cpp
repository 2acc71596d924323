// SPDX-License-Identifier: Apache-2.0
#include "likelihood/log_likelihood.hpp"

#include "likelihood/exact_likelihood.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "likelihood/lanes/lane_likelihood.hpp"
#include "likelihood/lanes/state_likelihood.hpp"
#include "likelihood/lanes/two_lag_likelihood.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {

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

Eigen::MatrixXd LogLikelihood::score_products(std::span<const double> theta,
                                              const Eigen::MatrixXd& G) {
  const std::vector<double> by_row = scores(theta);
  const Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> S(
      by_row.data(), static_cast<Eigen::Index>(rows()), static_cast<Eigen::Index>(theta.size()));
  const Eigen::MatrixXd along = maths::product(S, G);
  return maths::cross(along, along);
}

std::unique_ptr<LogLikelihood> make_log_likelihood(const Model& model, const MeanData& data,
                                                   bool exact) {
  if (exact) return std::make_unique<ExactLikelihood>(model, data);
  if (LaneLikelihood::serves(model, data)) return std::make_unique<LaneLikelihood>(model, data);
  if (StateLikelihood::serves(model, data)) return std::make_unique<StateLikelihood>(model, data);
  if (TwoLagLikelihood::serves(model, data)) return std::make_unique<TwoLagLikelihood>(model, data);
  return std::make_unique<PlainLikelihood>(model, data);
}

}  // namespace brace::inline v0
