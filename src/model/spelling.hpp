// SPDX-License-Identifier: Apache-2.0
// The words of the model line, in the order of the variants in model.hpp, and how one regressor is
// spelt.
#pragma once

#include <array>
#include <string>
#include <string_view>

#include "brace/model/model.hpp"

namespace brace {

inline constexpr std::array<std::string_view, std::variant_size_v<Variance>> kFamilies{
    "steady", "arch", "garch", "igarch", "gjr", "egarch", "aparch", "twocomp", "longmem", "ewma"};
inline constexpr std::array<std::string_view, std::variant_size_v<Shocks>> kLaws{
    "normal", "student", "ged", "skew-student"};

// "volume@1", "'open interest'", "step:2019-05-02".
[[nodiscard]] std::string spell(const Regressor& regressor);

}  // namespace brace
