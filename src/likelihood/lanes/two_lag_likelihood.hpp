// SPDX-License-Identifier: Apache-2.0
// The conditional likelihood of variances that are linear in two lags of e^2 and of themselves, in
// lanes: garch and arch of lags up to 2, and twocomp, which is a garch of two lags in parameters of
// its own (Engle and Lee 1999, equation 5). Any law, a zero or constant mean, no gaps. Equal to
// PlainLikelihood to rounding, several times as fast (bench).
//
//   if (brace::TwoLagLikelihood::serves(model, data))
//     likelihood = std::make_unique<brace::TwoLagLikelihood>(model, data);
#pragma once

#include <Eigen/Dense>
#include <array>
#include <optional>
#include <vector>

#include "likelihood/joint_likelihood.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/lane_series.hpp"
#include "likelihood/lanes/law_terms.hpp"
#include "likelihood/log_likelihood.hpp"

namespace brace::inline v0 {

class TwoLagLikelihood final : public LogLikelihood {
 public:
  [[nodiscard]] static bool serves(const Model& model, const MeanData& data);
  // Both outlive the likelihood.
  TwoLagLikelihood(const Model& model, const MeanData& data,
                   const LaneKernels& kernels = lane_kernels());
  void evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) override;
  [[nodiscard]] std::vector<double> scores(std::span<const double> theta) override;
  [[nodiscard]] Eigen::MatrixXd score_products(std::span<const double> theta,
                                               const Eigen::MatrixXd& G) override;
  [[nodiscard]] std::size_t rows() const override { return data_.change.size(); }
  [[nodiscard]] double work() const override { return 0.1; }

 private:
  bool run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out);
  // The kernel's parameters with their derivatives by the model's.
  void map(std::span<const double> theta);
  void map_garch(std::span<const double> theta);
  void map_two_components(std::span<const double> theta);
  // Adds c x_a and c x_a x_b to the kernel's parameter `to`, x being the variance's parameters.
  void add(std::size_t to, std::size_t a, double c);
  void add(std::size_t to, std::size_t a, std::size_t b, double c);
  // Adds c x_a m and c x_a x_b m, m being the mean of e^2, which moves with mu.
  void add_presample(std::size_t to, std::size_t a, double c);
  void add_presample(std::size_t to, std::size_t a, std::size_t b, double c);
  JointLikelihood<double>& plain();

  const Model& model_;
  const MeanData& data_;
  const LaneKernels& kernels_;
  std::size_t first_;  // of the variance's parameters: 1 with a constant
  LaneRows series_, storage_;
  StateWork work_;
  double mean_ = 0, square_ = 0;  // of y
  LawTerms terms_;

  // Of one evaluation.
  std::span<const double> x_;
  double m_ = 0, m1_ = 0, m2_ = 0;
  TwoLagPoint point_{};
  Eigen::MatrixXd J_;  // kTwoLagParameters x parameters
  struct Bend {
    std::size_t of, a, b;
    double value;
  };
  std::vector<Bend> bends_;                       // second derivatives, each pair once
  std::optional<JointLikelihood<double>> plain_;  // made where it is asked
};

}  // namespace brace::inline v0
