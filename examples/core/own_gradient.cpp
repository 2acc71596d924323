// SPDX-License-Identifier: Apache-2.0
// Checks the gradient of a likelihood by central differences, as a user who trusts no library
// would: at a good point, and at one outside the admissible region, where nothing is thrown.
#include <algorithm>
#include <brace/core.hpp>
#include <cmath>
#include <cstdio>
#include <vector>

int main() {
  const brace::Model model = brace::parse_model("const / garch / student");
  const brace::Series y = brace::simulate(model, {.03, .02, .08, .9, 6}, 1500, {.seed = 2});
  brace::Evaluator likelihood(model, y);

  std::vector<double> theta{.02, .03, .1, .85, 7}, gradient(theta.size());
  const double at = likelihood.gradient(theta, gradient);
  double worst = 0;
  for (std::size_t j = 0; j < theta.size(); ++j) {
    const double kept = theta[j], step = 1e-5 * std::max(1.0, std::abs(kept));
    theta[j] = kept + step;
    const double up = likelihood.value(theta);
    theta[j] = kept - step;
    const double slope = (up - likelihood.value(theta)) / (2 * step);
    theta[j] = kept;
    worst = std::max(worst, std::abs(slope / gradient[j] - 1));
    std::printf("%-8s %12.3f %12.3f\n", likelihood.names()[j].c_str(), gradient[j], slope);
  }
  theta[1] = -5;
  std::printf("log-likelihood %.3f; at omega = -5: %g\n", at, likelihood.value(theta));
  return worst < 1e-5 ? 0 : 1;
}
