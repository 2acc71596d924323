// SPDX-License-Identifier: Apache-2.0
// Bartlett long-run variance. Covered by tests/maths/maths_test.cpp.
#include "brace/maths/long_run_variance.hpp"

#include <numeric>

namespace brace {

double long_run_variance(std::span<const double> u, int bandwidth) {
  double total = 0;
  for (int j = 0; j <= bandwidth && j < static_cast<int>(u.size()); ++j) {
    const double gamma = std::inner_product(u.begin() + j, u.end(), u.begin(), 0.0);
    total += (j == 0 ? 1 : 2 * (1 - j / (bandwidth + 1.0))) * gamma;
  }
  return total / static_cast<double>(u.size());
}

}  // namespace brace
