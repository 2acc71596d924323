// SPDX-License-Identifier: Apache-2.0
// From prices to the series that may be modelled. Missing stays missing: a missing close kills both
// of its returns, it is never filled with zero.
//
//   auto returns = brace::log_returns(prices);                             // percent
//   auto decimal = brace::log_returns(prices, brace::Unit::decimal);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <string>

#include "brace/base/api.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Throws Error (not_positive) naming the date of a value <= 0, which has no `what`.
void require_positive(const Series& prices, const std::string& what);

// ln(p_t / p_{t-1}), times 100 in percent; n - 1 values dated by the later day. Throws Error
// (not_positive) naming the date of a price <= 0.
[[nodiscard]] Series log_returns(const Series& prices, Unit unit = Unit::percent);

// p_t / p_{t-1} - 1, times 100 in percent.
[[nodiscard]] Series simple_returns(const Series& prices, Unit unit = Unit::percent);

// ln p_t, natural.
[[nodiscard]] Series log_level(const Series& prices);

// Whether every value that is there has a logarithm.
[[nodiscard]] bool all_positive(const Series& series);

// y_t - y_{t-1}; n - 1 values.
[[nodiscard]] Series differences(const Series& series);

// (y_t - mean)^2 over the values present, whose memory tells of ARCH effects.
[[nodiscard]] Series squares(const Series& series);

// |y_t - mean|.
[[nodiscard]] Series absolute_values(const Series& series);

}  // namespace brace::inline v0
BRACE_API_END
