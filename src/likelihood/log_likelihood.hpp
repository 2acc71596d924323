// SPDX-License-Identifier: Apache-2.0
// What the engine climbs: a log-likelihood with derivatives, exact or conditional.
//
//   std::unique_ptr<LogLikelihood> likelihood = make_log_likelihood(model, data, /*exact=*/true);
//   likelihood->evaluate(theta, Order::hessian, derivatives);
#pragma once

#include <Eigen/Dense>
#include <memory>
#include <span>
#include <vector>

#include "families/stages.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

template <class T>
struct Derivatives {
  bool admitted = false;  // false: some h <= 0 or not finite; nothing else is set
  T log_likelihood = T(0);
  std::vector<T> gradient;     // k
  std::vector<T> hessian;      // packed; Order::hessian
  std::vector<T> information;  // packed; Order::scoring
};

// Eigen's numbers as the likelihood takes them.
[[nodiscard]] inline std::span<const double> span_of(const Eigen::VectorXd& v) {
  return {v.data(), static_cast<std::size_t>(v.size())};
}

// A packed lower triangle as the symmetric matrix that it stands for.
[[nodiscard]] Eigen::MatrixXd unpack(const std::vector<double>& lower);

class LogLikelihood {
 public:
  virtual ~LogLikelihood() = default;
  // Into storage that is used again.
  virtual void evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) = 0;
  // With second derivatives that are good enough to climb by, and may be cheaper.
  virtual void evaluate_rough(std::span<const double> theta, Derivatives<double>& out) {
    evaluate(theta, Order::hessian, out);
  }
  // Gradient of each row's term, rows() x k row by row; zeros where y is missing.
  [[nodiscard]] virtual std::vector<double> scores(std::span<const double> theta) = 0;
  [[nodiscard]] virtual std::size_t rows() const = 0;
  // What a pass costs beside one that goes row by row.
  [[nodiscard]] virtual double work() const { return 1; }
  // Of each row the variance and, in `slopes`, that of the log-likelihood by what its shock leaves
  // behind (VarianceFamily::news_slopes) where the variance has it. False where that is not at hand.
  virtual bool rows_at(std::span<const double> /*theta*/, std::vector<double>& /*h*/,
                       std::vector<double>& /*slopes*/) {
    return false;
  }
  // Sum over rows of the products of their gradients along the columns of G (k x r), r x r.
  [[nodiscard]] virtual Eigen::MatrixXd score_products(std::span<const double> theta,
                                                       const Eigen::MatrixXd& G);
};

[[nodiscard]] std::unique_ptr<LogLikelihood> make_log_likelihood(const Model& model,
                                                                 const MeanData& data, bool exact);

}  // namespace brace::inline v0
