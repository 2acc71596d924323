// SPDX-License-Identifier: Apache-2.0
// Results as JSON values, shared by the documents (json_*.cpp) and saved_model.cpp:
//   return document("check", fit.window(), {{"tests", to_value(check.tests)}}, check.warnings);
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <vector>

#include "brace/base/warning.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/evaluate/compare.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/test_result.hpp"

namespace brace::inline v0 {

using Json = nlohmann::ordered_json;  // keys in the order of the contract

// null where absent or not finite: NaN and infinity have no place in JSON.
inline Json number(std::optional<double> x) {
  return x && std::isfinite(*x) ? Json(*x) : Json(nullptr);
}

[[nodiscard]] Json date_or_null(std::optional<Timestamp> when);

[[nodiscard]] Json to_value(const TestResult& test);
[[nodiscard]] Json to_value(const std::vector<TestResult>& tests);
[[nodiscard]] Json to_value(const std::vector<PredictionInterval>& intervals);
[[nodiscard]] Json to_value(const std::vector<TailRisk>& tails);
// What the simulation leaves in the ends of each.
[[nodiscard]] Json errors_of(const std::vector<PredictionInterval>& intervals);
[[nodiscard]] Json to_value(const Compared& compared);
[[nodiscard]] Json to_value(const Parameter& parameter);
[[nodiscard]] Json to_value(const Convergence& convergence);
[[nodiscard]] Json to_value(const std::vector<Warning>& warnings);

// The whole of a command's output: its result between what every document says.
[[nodiscard]] std::string document(std::string_view command, const Series& series, Json result,
                                   const std::vector<Warning>& warnings);

}  // namespace brace::inline v0
