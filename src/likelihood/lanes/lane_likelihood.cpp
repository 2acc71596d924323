// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/lane_likelihood.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "families/normal.hpp"
#include "families/student.hpp"

namespace brace::inline v0 {

std::optional<LaneLaw> lane_law(const Shocks& shocks) {
  if (std::holds_alternative<Normal>(shocks)) return LaneLaw::normal;
  if (std::holds_alternative<Student>(shocks)) return LaneLaw::student;
  return std::nullopt;
}

std::optional<LaneFamily> lane_family(const Variance& variance) {
  if (variance == Variance(Garch{})) return LaneFamily::garch;
  if (variance == Variance(Gjr{})) return LaneFamily::gjr;
  return std::nullopt;
}

namespace {
bool constant_at_most(const Model& model) {
  return model.variance_regressors.empty() && !model.mean.risk &&
         parameter_names(model).mean.size() == (model.mean.constant ? 1U : 0U);
}
}  // namespace

bool lanes_serve(const Model& model) {
  return lane_family(model.variance) && lane_law(model.shocks) && constant_at_most(model);
}

bool lanes_may_serve(const Model& model, const MeanData& data) {
  return constant_at_most(model) && data.change.size() >= LaneLikelihood::kFewest &&
         std::none_of(data.change.begin(), data.change.end(),
                      [](double v) { return std::isnan(v); });
}

void LaneModel::finish(const double* sums, std::size_t step, std::size_t n, double nu,
                       LaneOrder order, Derivatives<double>& out) const {
  const auto rows = static_cast<double>(n);
  const std::size_t k = parameters();
  const bool student = law == LaneLaw::student;
  const auto sum = [&](std::size_t i) { return sums[i * step]; };
  const auto constant_of = [&]() -> StudentConstant<double> {
    if (!student) return {-0.5 * kLogTwoPi, 0, 0};
    switch (order) {
      case LaneOrder::value: return student_constant<Order::value>(nu);
      case LaneOrder::hessian: return student_constant<Order::hessian>(nu);
      default: return student_constant<Order::gradient>(nu);
    }
  }();
  out.log_likelihood = sum(0) + rows * constant_of.value;
  out.admitted = std::isfinite(out.log_likelihood);
  if (order == LaneOrder::value) return;
  out.gradient.resize(k);
  for (std::size_t j = 0; j < k; ++j) out.gradient[j] = sum(1 + place(j));
  const double nu_without_constant = out.gradient[k - 1];
  if (student) out.gradient[k - 1] += rows * constant_of.slope;
  if (order == LaneOrder::gradient) return;
  std::vector<double>& second = order == LaneOrder::scoring ? out.information : out.hessian;
  second.resize(packed_size(k));
  for (std::size_t j = 0; j < k; ++j)
    for (std::size_t i = 0; i <= j; ++i)
      second[packed(j, i)] = sum(
          1 + kLaneParameters + packed(std::max(place(j), place(i)), std::min(place(j), place(i))));
  if (!student) return;
  if (order == LaneOrder::hessian) second.back() += rows * constant_of.curvature;
  if (order == LaneOrder::scoring) second.back() += rows * student_information<double>(&nu).ss[0];
  if (order == LaneOrder::products) {  // each row's gradient by nu has the constant too
    for (std::size_t i = 0; i + 1 < k; ++i)
      second[packed(k - 1, i)] += constant_of.slope * out.gradient[i];
    second.back() += constant_of.slope * (nu_without_constant + out.gradient[k - 1]);
  }
}

bool LaneLikelihood::serves(const Model& model, const MeanData& data) {
  return lanes_serve(model) && lanes_may_serve(model, data);
}

LaneLikelihood::LaneLikelihood(const Model& model, const MeanData& data, const LaneKernels& kernels)
    : InLanes(model, data, kernels),
      of_{*lane_family(model.variance), *lane_law(model.shocks), model.mean.constant},
      lanes_(in_lanes(data.change, static_cast<std::size_t>(kernels.width))) {}

bool LaneLikelihood::run(std::span<const double> theta, LaneOrder order, Derivatives<double>& out) {
  std::array<double, kLaneParameters> point{0, 0, 0, 0, 8, 0};
  for (std::size_t i = 0; i < theta.size(); ++i) point[of_.place(i)] = theta[i];
  if (!(point[1] > 0 && point[2] >= 0 && point[3] >= 0 && point[2] + point[5] >= 0)) return false;
  std::array<double, kLaneSums> sums;
  const auto width = static_cast<std::size_t>(kernels_.width);
  const std::vector<double>& y = data_.change;
  kernels_.chunked(of_.family, of_.law, order,
                   {lanes_.data(), y.data() + y.size() / width * width, y.size()}, point.data(),
                   presample(point[0]), sums.data());
  of_.finish(sums.data(), 1, y.size(), point[4], order, out);
  // Products of variances over many rows may leave the range of a double where their logarithms
  // do not.
  return out.admitted;
}

}  // namespace brace::inline v0
