// SPDX-License-Identifier: Apache-2.0
// Results as JSON values, shared by json.cpp and saved_model.cpp.
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <vector>

#include "brace/base/warning.hpp"
#include "brace/model/fit.hpp"

namespace brace {

using Json = nlohmann::ordered_json;  // keys in the order of the contract

// null where absent or not finite: NaN and infinity have no place in JSON.
inline Json number(std::optional<double> x) {
  return x && std::isfinite(*x) ? Json(*x) : Json(nullptr);
}

[[nodiscard]] Json to_value(const Parameter& parameter);
[[nodiscard]] Json to_value(const Convergence& convergence);
[[nodiscard]] Json to_value(const std::vector<Warning>& warnings);

}  // namespace brace
