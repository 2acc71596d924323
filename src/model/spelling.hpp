// SPDX-License-Identifier: Apache-2.0
// The words of the model line, as the variants in model.hpp give them, and how one regressor is
// spelt.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <type_traits>

#include "brace/model/model.hpp"

namespace brace::inline v0 {

// The words of all members of a variant, in its order.
template <class... Members>
constexpr auto words_of(std::type_identity<std::variant<Members...>>) {
  return std::array{Members::word...};
}
inline constexpr auto kFamilies = words_of(std::type_identity<Variance>{});
inline constexpr auto kLaws = words_of(std::type_identity<Shocks>{});

// "volume@1", "'open interest'", "step:2019-05-02".
[[nodiscard]] std::string spell(const Regressor& regressor);

}  // namespace brace::inline v0
