// SPDX-License-Identifier: Apache-2.0
// The factors of an ARMA equation multiplied out, with derivatives by their coefficients:
//   a(B) = (1 - sum ar_i B^i)(1 - sum sar_I B^I) = 1 - sum a_l B^l
//   b(B) = (1 + sum ma_j B^j)(1 + sum sma_J B^J) = 1 + sum b_l B^l
//
//   LagProduct ar = ar_product(model);
//   std::vector<double> a = ar.coefficients(theta);     // one for each of ar.lags
#pragma once

#include <Eigen/Dense>
#include <optional>
#include <span>
#include <vector>

#include "brace/model/model.hpp"

namespace brace::inline v0 {

// Where each set of mean parameters begins in the vector of all.
struct MeanPositions {
  std::size_t ar = 0, ma = 0, seasonal_ar = 0, seasonal_ma = 0;
  std::vector<std::size_t> regression;  // mu, trend, cosines and sines, with
  std::size_t count = 0;                // of mean parameters
};
[[nodiscard]] MeanPositions mean_positions(const Model& model);

struct LagProduct {
  // c_at += sign theta_first (theta_second)
  struct Term {
    std::size_t at, first;
    std::optional<std::size_t> second;
    double sign;
  };
  std::vector<int> lags;  // ascending
  std::vector<Term> terms;

  [[nodiscard]] int longest() const { return lags.empty() ? 0 : lags.back(); }
  // One for each of `lags`, into storage that is used again.
  void coefficients(std::span<const double> theta, std::vector<double>& c) const;
  [[nodiscard]] std::vector<double> coefficients(std::span<const double> theta) const;
  // The same by lag: element l - 1 is the coefficient of lag l, 0 where there is none.
  [[nodiscard]] std::vector<double> dense(std::span<const double> theta) const;
  // d c / d theta, lags.size() x `parameters`.
  [[nodiscard]] Eigen::MatrixXd jacobian(std::span<const double> theta,
                                         std::size_t parameters) const;
  // Adds sum_l g_l d2 c_l to H, the curvature of the products themselves.
  void add_curvature(std::span<const double> g, Eigen::MatrixXd& H) const;
};
[[nodiscard]] LagProduct ar_product(const Model& model);
[[nodiscard]] LagProduct ma_product(const Model& model);

// weights[l] of (1 - B^d1)(1 - B^d2)..., weights[0] = 1.
[[nodiscard]] std::vector<double> difference_weights(const Lags& differences);

// psi_0 .. psi_{count-1} of b(B) / (a(B) difference(B)): how a shock enters the level later.
[[nodiscard]] std::vector<double> psi_weights(const Model& model, std::span<const double> theta,
                                              std::size_t count);

}  // namespace brace::inline v0
