// SPDX-License-Identifier: Apache-2.0
// Is one forecast better than another, or than all others, or is the difference chance?
//
//   brace::TestResult same = brace::diebold_mariano(loss_a, loss_b, /*horizon=*/1);
//   brace::ConfidenceSet best = brace::model_confidence_set(losses);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Null: both have the same expected loss. Diebold and Mariano (1995) with the correction of Harvey,
// Leybourne and Newbold (1997, equation 9), t(n - 1); the long-run variance takes horizon - 1
// autocovariances, and Bartlett weights where the plain sum is not positive. Variant "normal" is
// the uncorrected statistic. Throws Error (too_few_observations) for fewer than 10 rows.
[[nodiscard]] TestResult diebold_mariano(std::span<const double> loss_a,
                                         std::span<const double> loss_b, int horizon = 1,
                                         bool corrected = true);

// The models among which the best is with probability 1 - alpha (Hansen, Lunde and Nason 2011: the
// t_max rule, moving-block bootstrap).
struct ConfidenceSet {
  std::vector<double> p_values;  // one a model, of its elimination; 1 for the last that is left
  double floor = 0;              // what the resamples can tell from 0
  std::vector<unsigned char> within;
  std::size_t block = 0;  // rows of a block
};
struct ConfidenceSetOptions {
  double alpha = 0.10;
  int resamples = 2000;
  std::optional<std::size_t>
      block{};  // left out: the cube root of the rows, and at least the horizon
  int horizon = 1;
  std::uint64_t seed = 1;
};
// losses[m][t]; lists of the same length. Throws Error as above.
[[nodiscard]] ConfidenceSet model_confidence_set(const std::vector<std::vector<double>>& losses,
                                                 const ConfidenceSetOptions& options = {});

}  // namespace brace::inline v0
BRACE_API_END
