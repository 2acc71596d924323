// SPDX-License-Identifier: Apache-2.0
// Advice that was tried: models that might take up what a check found are fitted to the same rows,
// and the one with the lowest bic is named where it is lower than the fit's own.
//
//   const Advice advice = advice_on_law(fit);
//   if (advice.better) std::cout << *advice.better << " lowers bic by " << advice.gained;
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "brace/estimation/fit.hpp"

namespace brace::inline v0 {

struct Advice {
  std::vector<std::string> tried;     // model lines; none where nothing is at hand, or too few rows
  std::optional<std::string> better;  // one of them
  double gained = 0;                  // by it, in bic
};

// A lag of its own for what stands out at `lag`, as an AR and as an MA term.
[[nodiscard]] Advice advice_on_mean(const Fit& fit, int lag);
// The lag of z^2 that stands out, signs, a second component; garch where there is no equation.
[[nodiscard]] Advice advice_on_variance(const Fit& fit, int lag);
[[nodiscard]] Advice advice_on_signs(const Fit& fit);
[[nodiscard]] Advice advice_on_law(const Fit& fit);

// Whether a family tells falls from rises.
[[nodiscard]] bool has_signs(const Variance& family);

}  // namespace brace::inline v0
