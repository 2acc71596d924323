// SPDX-License-Identifier: Apache-2.0
// What likelihoods in lanes share: where a kernel has no say, the plain likelihood's numbers are
// given.
//
//   class LaneLikelihood final : public InLanes { bool run(...) override; };
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "likelihood/joint_likelihood.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/log_likelihood.hpp"

namespace brace::inline v0 {

class InLanes : public LogLikelihood {
 public:
  void evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) final;
  [[nodiscard]] std::vector<double> scores(std::span<const double> theta) final;
  [[nodiscard]] Eigen::MatrixXd score_products(std::span<const double> theta,
                                               const Eigen::MatrixXd& G) final;
  [[nodiscard]] std::size_t rows() const final { return data_.change.size(); }
  // Twenty to forty times as fast as row by row, with what an evaluation costs beside its pass.
  [[nodiscard]] double work() const final { return 0.05; }

 protected:
  // Both outlive the likelihood.
  InLanes(const Model& model, const MeanData& data, const LaneKernels& kernels);
  // False where the kernel refuses. Products of gradients go where the Hessian would.
  virtual bool run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out) = 0;

  // The mean of e^2 with its first and second derivative by mu.
  [[nodiscard]] LanePresample presample(double mu) const {
    return {square_ - mu * (2 * mean_ - mu), -2 * (mean_ - mu), 2};
  }

  const Model& model_;
  const MeanData& data_;
  const LaneKernels& kernels_;

 private:
  JointLikelihood<double>& plain();

  double mean_ = 0, square_ = 0;                  // of y
  std::optional<JointLikelihood<double>> plain_;  // made where it is asked
};

}  // namespace brace::inline v0
