// SPDX-License-Identifier: Apache-2.0
// What is doubtful about a fit, said with it.
//
//   add_warnings(fit, fit.window(), data);
#pragma once

#include "brace/estimation/fit.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

// Doubts about data that hold for one of the models: a level is none to those with a trend or
// differences, and rows that outweigh the others are none to those with a dummy for each.
[[nodiscard]] std::vector<Warning> data_warnings(const std::vector<Model>& models,
                                                 const Series& series);

// `window` is the series that was fitted, `data` its rows as the mean takes them.
void add_warnings(Fit& fit, const Series& window, const MeanData& data);

}  // namespace brace::inline v0
