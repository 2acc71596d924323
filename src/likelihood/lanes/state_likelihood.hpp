// SPDX-License-Identifier: Apache-2.0
// The conditional likelihood of the variance equations of one state, in lanes: garch, gjr, egarch
// and aparch of one lag each, and their cases steady, arch, igarch and ewma, under every law, with
// a zero or constant mean and no gaps. Equal to PlainLikelihood to rounding, several times as fast
// (bench).
//
//   if (brace::StateLikelihood::serves(model, data))
//     likelihood = std::make_unique<brace::StateLikelihood>(model, data);
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "likelihood/lanes/in_lanes.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/lane_series.hpp"
#include "likelihood/lanes/law_terms.hpp"

namespace brace::inline v0 {

class StateLikelihood final : public InLanes {
 public:
  [[nodiscard]] static bool serves(const Model& model, const MeanData& data);
  StateLikelihood(const Model& model, const MeanData& data,
                  const LaneKernels& kernels = lane_kernels());
  bool rows_at(std::span<const double> theta, std::vector<double>& h,
               std::vector<double>& slopes) override;

 private:
  bool run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out) override;
  // Parameters as the kernel orders them, the first state, the law's numbers.
  bool set_point(std::span<const double> theta, LaneOrder order);
  void set_first_state();

  StateFamily family_;
  StateLaw law_;
  std::vector<std::size_t> places_;  // of the model's parameters among the kernel's
  // Of igarch and ewma: the kernel's parameter `is` is 1 less that at `of`.
  struct Complement {
    std::size_t is, of;
  };
  std::optional<Complement> complement_;
  LaneRows series_;
  LaneRows storage_;
  StateWork work_;
  StatePoint point_{};
  LawTerms terms_;
};

}  // namespace brace::inline v0
