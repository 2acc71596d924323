// SPDX-License-Identifier: Apache-2.0
// What comparison and backtest share of judging and printing point forecasts.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <span>
#include <string>

#include "base/missing.hpp"
#include "brace/base/text.hpp"
#include "brace/evaluate/accuracy.hpp"

namespace brace::inline v0 {

// NaN where none is.
inline double last_present(std::span<const double> values) {
  for (std::size_t i = values.size(); i > 0; --i)
    if (!std::isnan(values[i - 1])) return values[i - 1];
  return kNaN;
}

// "0.692"; "3.4e+09" where it is beyond a column.
inline std::string ratio_in_words(const Accuracy& a) {
  if (!a.relative) return "-";
  return a.relative->rmse < 1000 ? text::fixed(a.relative->rmse, 3)
                                 : text::significant(a.relative->rmse, 2);
}

// "-0.12 (0.05)", within 15 signs.
inline std::string bias_in_words(const Accuracy& a) {
  if (!a.bias_error) return text::significant(a.bias, 3);
  constexpr std::size_t kWidth = 15;
  const std::string usual = fmt::format("{} ({})", text::estimate(a.bias, a.bias_error),
                                        text::estimate(*a.bias_error, a.bias_error));
  return usual.size() <= kWidth ? usual : fmt::format("{:.2g} ({:.1g})", a.bias, *a.bias_error);
}

// "58 (54)": percent right, and of the commoner direction.
inline std::string directions_in_words(const Accuracy& a) {
  return a.directions ? fmt::format("{} ({})", text::fixed(100 * a.directions->right, 1),
                                    text::fixed(100 * a.directions->commoner, 1))
                      : "-";
}

}  // namespace brace::inline v0
