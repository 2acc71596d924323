// SPDX-License-Identifier: Apache-2.0
// The conditional likelihood of the models that are fitted most, in lanes: garch e1 h1 and gjr e1
// h1 with a zero or constant mean, normal or Student shocks, no gaps. Equal to PlainLikelihood to
// rounding, several times as fast (bench).
//
//   if (brace::LaneLikelihood::serves(model, data))
//     likelihood = std::make_unique<brace::LaneLikelihood>(model, data);
#pragma once

#include <optional>
#include <vector>

#include "likelihood/lanes/in_lanes.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/lane_series.hpp"

namespace brace::inline v0 {

// Which of the kernels' laws the shocks have.
[[nodiscard]] std::optional<LaneLaw> lane_law(const Shocks& shocks);
// And which of their families the variance is.
[[nodiscard]] std::optional<LaneFamily> lane_family(const Variance& variance);
// No gap, no regressor, a mean of at most a constant, rows enough.
[[nodiscard]] bool lanes_may_serve(const Model& model, const MeanData& data);
// garch e1 h1 or gjr e1 h1 / normal or student with a mean of at most a constant.
[[nodiscard]] bool lanes_serve(const Model& model);

// Sums of a pass over n rows, as they come from a kernel, with the law's constants: -l of the
// engine is not formed here. `k` is 3 to 6: mu, gamma and nu where the model has them.
struct LaneModel {
  LaneFamily family;
  LaneLaw law;
  bool constant;  // whether mu is a parameter; else it is 0
  [[nodiscard]] std::size_t parameters() const {
    return 3 + (constant ? 1 : 0) + (family == LaneFamily::gjr ? 1 : 0) +
           (law == LaneLaw::student ? 1 : 0);
  }
  // Where the model's i-th parameter stands among those of a kernel.
  [[nodiscard]] std::size_t place(std::size_t i) const {
    constexpr std::size_t kOfGjr[] = {0, 1, 2, 5, 3, 4};
    const std::size_t at = constant ? i : i + 1;
    return family == LaneFamily::gjr ? kOfGjr[at] : at;
  }
  // The model's omega.
  [[nodiscard]] std::size_t omega() const { return constant ? 1 : 0; }
  // `sums` hold every `step`-th number. Products go where the Hessian would.
  void finish(const double* sums, std::size_t step, std::size_t n, double nu, LaneOrder order,
              Derivatives<double>& out) const;
};

class LaneLikelihood final : public InLanes {
 public:
  // Rows below which cutting does not pay.
  static constexpr std::size_t kFewest = 64;

  [[nodiscard]] static bool serves(const Model& model, const MeanData& data);
  LaneLikelihood(const Model& model, const MeanData& data,
                 const LaneKernels& kernels = lane_kernels());

 private:
  // The kernels ask no row whether its variance is positive.
  bool run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out) override;

  LaneModel of_;
  LaneRows lanes_;
};

}  // namespace brace::inline v0
