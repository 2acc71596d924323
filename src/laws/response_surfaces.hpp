// SPDX-License-Identifier: Apache-2.0
// The response surfaces behind simulated.hpp; the numbers are in response_surfaces_table.inc, which
// tools/laws/tables_to_cpp writes from tools/laws/*.json.
#pragma once

#include <span>
#include <string_view>

namespace brace::inline v0::laws {

struct ResponseSurface {
  std::string_view name;
  std::span<const double> levels;        // lower-tail probabilities, increasing
  std::span<const double> exponents;     // of 1/T; the first is 0
  std::span<const double> coefficients;  // a row a level
  int least_T, most_T;                   // the range that was simulated
  double floor;                          // p-values are verified down to here
};

extern const std::span<const ResponseSurface> kResponseSurfaces;  // in the order of SimulatedLaw

}  // namespace brace::inline v0::laws
