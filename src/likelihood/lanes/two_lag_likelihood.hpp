// SPDX-License-Identifier: Apache-2.0
// The conditional likelihood of variances that are linear in two lags of e^2 and of themselves, in
// lanes: garch and arch of lags up to 2, and twocomp, which is a garch of two lags in parameters of
// its own (Engle and Lee 1999). Any law, a zero or constant mean, no gaps. Equal to
// PlainLikelihood to rounding, several times as fast (bench).
//
//   if (brace::TwoLagLikelihood::serves(model, data))
//     likelihood = std::make_unique<brace::TwoLagLikelihood>(model, data);
#pragma once

#include <Eigen/Dense>
#include <array>
#include <optional>
#include <vector>

#include "likelihood/lanes/in_lanes.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/lane_series.hpp"
#include "likelihood/lanes/law_terms.hpp"

namespace brace::inline v0 {

class TwoLagLikelihood final : public InLanes {
 public:
  [[nodiscard]] static bool serves(const Model& model, const MeanData& data);
  TwoLagLikelihood(const Model& model, const MeanData& data,
                   const LaneKernels& kernels = lane_kernels());

 private:
  bool run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out) override;
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

  std::size_t first_;  // of the variance's parameters: 1 with a constant
  LaneRows series_, storage_;
  StateWork work_;
  LawTerms terms_;

  // Of one evaluation.
  std::span<const double> x_;
  LanePresample m_{};
  TwoLagPoint point_{};
  Eigen::MatrixXd J_;  // kTwoLagParameters x parameters
  struct Bend {
    std::size_t of, a, b;
    double value;
  };
  std::vector<Bend> bends_;  // second derivatives, each pair once
};

}  // namespace brace::inline v0
