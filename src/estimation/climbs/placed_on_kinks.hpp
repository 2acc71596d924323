// SPDX-License-Identifier: Apache-2.0
// A maximum on kinks has rows whose shock is 0, which the end of a climb and the change of units
// leave a hair beside it: here the terms of the mean are moved onto them.
//
//   place_on_kinks(model, data, {0, 1}, theta);        // mu and ar1, in the units of the data
#pragma once

#include <span>
#include <vector>

#include "brace/model/model.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

// `terms` are the places of those in theta; the others stay.
void place_on_kinks(const Model& model, const MeanData& data, const std::vector<std::size_t>& terms,
                    std::span<double> theta);

}  // namespace brace::inline v0
