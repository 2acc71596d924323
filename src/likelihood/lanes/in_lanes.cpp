// SPDX-License-Identifier: Apache-2.0
// Covered by tests/likelihood/lanes_test.cpp.
#include "likelihood/lanes/in_lanes.hpp"

#include "maths/dense.hpp"

namespace brace::inline v0 {

InLanes::InLanes(const Model& model, const MeanData& data, const LaneKernels& kernels)
    : model_(model), data_(data), kernels_(kernels) {
  for (const double v : data.change) {
    mean_ += v;
    square_ += v * v;
  }
  const auto n = static_cast<double>(data.change.size());
  mean_ /= n;
  square_ /= n;
}

JointLikelihood<double>& InLanes::plain() {
  if (!plain_) plain_.emplace(model_, data_);
  return *plain_;
}

void InLanes::evaluate(std::span<const double> theta, Order order, Derivatives<double>& out) {
  if (!run(theta, static_cast<LaneOrder>(order), out)) plain().evaluate(theta, order, out);
}

std::vector<double> InLanes::scores(std::span<const double> theta) {
  return plain().scores(theta);
}

Eigen::MatrixXd InLanes::score_products(std::span<const double> theta, const Eigen::MatrixXd& G) {
  Derivatives<double> out;
  if (!run(theta, LaneOrder::products, out)) return LogLikelihood::score_products(theta, G);
  return maths::cross(G, maths::product(unpack(out.hessian), G));
}

}  // namespace brace::inline v0
