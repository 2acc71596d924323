// SPDX-License-Identifier: Apache-2.0
// The parameters of a model in the three forms in which an estimation meets them, as types that do
// not turn into one another by themselves.
//
//   const ScaledParameters theta = problem.to_scaled(DataParameters(estimates));
//   const WorkingPoint x = problem.coordinates.working(theta);
#pragma once

#include <Eigen/Core>
#include <span>
#include <utility>
#include <vector>

namespace brace::inline v0 {

template <class Form>
struct ParameterVector : Eigen::VectorXd {
  ParameterVector() = default;
  explicit ParameterVector(Eigen::VectorXd values) : Eigen::VectorXd(std::move(values)) {}
  explicit ParameterVector(const std::vector<double>& values)
      : Eigen::VectorXd(Eigen::Map<const Eigen::VectorXd>(
            values.data(), static_cast<Eigen::Index>(values.size()))) {}
};

// What a user types and reads: in the units of the data, in the order of parameter_names().
using DataParameters = ParameterVector<struct InUnitsOfTheData>;
// Of the data divided by their standard deviation and, where a free mu takes it up, less their
// mean: what a likelihood is evaluated at while it is climbed.
using ScaledParameters = ParameterVector<struct OfScaledData>;
// What a climb moves: bounds are plain, held parameters are left out (coordinates.hpp).
using WorkingPoint = ParameterVector<struct OfAClimb>;

// k zeros, or k times the same.
template <class Parameters>
[[nodiscard]] Parameters all_equal(Eigen::Index k, double value) {
  return Parameters(Eigen::VectorXd::Constant(k, value));
}

}  // namespace brace::inline v0
