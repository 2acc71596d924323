// SPDX-License-Identifier: Apache-2.0
// The estimation engine: from data to the maximum, its status and its errors.
//
//   run_engine(model, y, options, fit);   // fills n, estimated, parameters, covariance,
//   convergence
#pragma once

#include <span>

#include "brace/model/estimate.hpp"

namespace brace {

// `model` is canonical and built, y has enough observations and is not constant, fit.errors is the
// kind of errors to put beside the estimates.
void run_engine(const Model& model, std::span<const double> y, const EstimateOptions& options,
                Fit& fit);

}  // namespace brace
