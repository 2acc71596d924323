// SPDX-License-Identifier: Apache-2.0
// An option that may be left to a rule.
//
//   const int lags = given_or(options.lags, default_whiteness_lags(n), "lags");
#pragma once

#include <fmt/format.h>

#include <optional>

#include "brace/base/error.hpp"

namespace brace::inline v0 {

// What was given, else what the rule says; throws Error (bad_option) for less than `least`.
template <class T>
T given_or(const std::optional<T>& given, T rule, const char* name, T least = 1) {
  if (!given) return rule;
  if (!(*given >= least))
    throw Error(ErrorCode::bad_option,
                fmt::format("{} = {}: must be {} or more, or be left out", name, *given, least));
  return *given;
}

}  // namespace brace::inline v0
