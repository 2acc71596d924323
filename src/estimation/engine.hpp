// SPDX-License-Identifier: Apache-2.0
// The estimation engine: from data to the maximum, its status and its errors.
//
//   run_engine(model, data, options, fit, smaller);   // fills n, estimated, parameters,
//   covariance, convergence
#pragma once

#include "brace/estimation/estimate.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

class SmallerModels;

// Whether the kind asked for, or else the model, means the exact likelihood. Throws Error
// (bad_option) where that is asked for and does not exist.
[[nodiscard]] bool is_exact(const Model& model, LikelihoodKind kind);

// `model` is resolved and built, the data hold enough observations and are not constant, fit.errors
// is the kind of errors to put beside the estimates, fit.exact tells which likelihood.
// `smaller` holds the maxima of models that this one contains, on the same rows.
void run_engine(const Model& model, const MeanData& data, const EstimateOptions& options, Fit& fit,
                SmallerModels& smaller);

}  // namespace brace::inline v0
