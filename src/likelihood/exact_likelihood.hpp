// SPDX-License-Identifier: Apache-2.0
// The exact Gaussian log-likelihood of an ARMA equation with regression terms, differences and
// missing values, at about the price of the conditional sum of squares.
//
//   ExactLikelihood likelihood(model, mean_data(model, series));
//   likelihood.evaluate(theta, Order::hessian, derivatives);
//
// With z the differenced data less their regression, e the true shocks and s the r = max(p, q)
// forecasts that the infinite past makes of the first rows,
//   e = e0 - C x,   e0 = b(B)^-1 a(B) z started from zeros,   x = (s, missing values),
// where the columns of C are shifts of the impulse response of 1 / b(B), and filtered pulses. s has
// covariance sigma2 Sigma, which the autocovariances give; missing values are diffuse (the additive
// outlier approach of Gomez, Maravall and Pena 1999). Integrating x out (Ljung and Box 1979 do it
// for s),
//   -2 l = n ln(2 pi sigma2) + ln|Sigma| + ln|C'C + P| + S / sigma2,   P = diag(Sigma^-1, 0)
//   S    = min over x of |e0 - C x|^2 + s' Sigma^-1 s
// so the data are passed once by constant-coefficient filters, and all that is exact happens in the
// few rows until the response has died away. Derivatives follow from S by the envelope theorem;
// those by a lag's coefficient are shifts of the filtered data.
#pragma once

#include <Eigen/Dense>
#include <memory>
#include <span>

#include "likelihood/innovations.hpp"
#include "likelihood/log_likelihood.hpp"
#include "model/lag_product.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

class ExactLikelihood final : public LogLikelihood {
 public:
  // Any variance equation and law of the model are left out of account: steady and normal.
  ExactLikelihood(const Model& model, MeanData data);
  ~ExactLikelihood() override;

  void evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) override;
  void evaluate_rough(std::span<const double> theta, Derivatives<double>& out) override;
  [[nodiscard]] std::vector<double> scores(std::span<const double> theta) override;
  [[nodiscard]] std::size_t rows() const override;

  // What is known at the end of the rows to come, as filter() finds it row by row: here by the
  // unknowns' own law, at the price of one value. False where theta is not admitted.
  [[nodiscard]] bool state_at_end(std::span<const double> theta, ArmaState& out);

  // Values present less those that differencing takes: the n of the likelihood.
  [[nodiscard]] std::size_t counted() const;

 private:
  void evaluate(std::span<const double> theta, Order order, bool start_curvature,
                Derivatives<double>& out);

  struct Work;
  std::unique_ptr<Work> work_;
};

}  // namespace brace::inline v0
