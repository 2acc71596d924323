// SPDX-License-Identifier: Apache-2.0
// Whether parameters in natural units describe a process: variance bounds, stationarity,
// invertibility, shape.
#pragma once

#include <optional>
#include <span>
#include <string>

#include "brace/model/model.hpp"

namespace brace {

// Empty when admissible, else the rule that is broken, such as "alpha1 + beta1 < 1".
[[nodiscard]] std::optional<std::string> broken_rule(const Model& model,
                                                     std::span<const double> theta);

}  // namespace brace
