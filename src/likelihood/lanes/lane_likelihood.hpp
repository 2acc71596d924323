// SPDX-License-Identifier: Apache-2.0
// The conditional likelihood of the model that is fitted most, in lanes: garch e1 h1 with a zero or
// constant mean, normal or Student shocks, no gaps. Equal to PlainLikelihood to rounding,
// several times as fast (bench).
//
//   if (brace::LaneLikelihood::serves(model, data))
//     likelihood = std::make_unique<brace::LaneLikelihood>(model, data);
#pragma once

#include <optional>
#include <vector>

#include "likelihood/joint_likelihood.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/log_likelihood.hpp"

namespace brace::inline v0 {

// Which of the kernels' laws the shocks have.
[[nodiscard]] std::optional<LaneLaw> lane_law(const Shocks& shocks);
// garch e1 h1 / normal or student with a mean of at most a constant.
[[nodiscard]] bool lanes_serve(const Model& model);

// Sums of a pass over n rows, as they come from a kernel, with the law's constants: -l of the
// engine is not formed here. `k` is 3, 4 or 5: mu and nu where the model has them.
struct LaneModel {
  LaneLaw law;
  bool constant;  // whether mu is a parameter; else it is 0
  [[nodiscard]] std::size_t parameters() const {
    return 3 + (constant ? 1 : 0) + (law == LaneLaw::student ? 1 : 0);
  }
  // The model's parameters among those of a kernel: theta[i] belongs at first() + i.
  [[nodiscard]] std::size_t first() const { return constant ? 0 : 1; }
  // `sums` hold every `step`-th number. Products go where the Hessian would.
  void finish(const double* sums, std::size_t step, std::size_t n, double nu, LaneOrder order,
              Derivatives<double>& out) const;
};

class LaneLikelihood final : public LogLikelihood {
 public:
  // Rows below which cutting does not pay.
  static constexpr std::size_t kFewest = 64;

  [[nodiscard]] static bool serves(const Model& model, const MeanData& data);
  // Both outlive the likelihood.
  LaneLikelihood(const Model& model, const MeanData& data,
                 const LaneKernels& kernels = lane_kernels());
  void evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) override;
  [[nodiscard]] std::vector<double> scores(std::span<const double> theta) override;
  [[nodiscard]] Eigen::MatrixXd score_products(std::span<const double> theta,
                                               const Eigen::MatrixXd& G) override;
  [[nodiscard]] std::size_t rows() const override { return data_.change.size(); }

 private:
  // False where the kernels, which ask no row whether its variance is positive, have no say.
  bool run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out);
  JointLikelihood<double>& plain();

  const Model& model_;
  const MeanData& data_;
  const LaneKernels& kernels_;
  LaneModel of_;
  std::vector<double> storage_;
  double* lanes_ = nullptr;  // in storage_, aligned
  double mean_ = 0, square_ = 0;
  std::optional<JointLikelihood<double>> plain_;  // made where it is asked
};

}  // namespace brace::inline v0
