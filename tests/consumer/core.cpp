// SPDX-License-Identifier: Apache-2.0
// A program that needs the core alone: no files, no charts. Whatever instruction set it is built
// for, results that the library allocates are copied, grown and freed here.
#include <brace/core.hpp>
#include <cmath>
#include <iostream>
#include <vector>

int main() {
  const brace::Model model = brace::parse_model("const / garch / student");
  const brace::Series y = brace::simulate(model, {.03, .03, .08, .89, 6}, 1500, {.seed = 3});
  std::vector<brace::Fit> kept;
  for (int i = 0; i < 3; ++i) kept.push_back(brace::estimate(model, y));
  brace::Matrix V = kept.back().covariance;
  kept.back().covariance = brace::Matrix(40, 40);
  V = kept.front().covariance;
  const double se = std::sqrt(V(2, 2));
  kept.pop_back();
  const std::vector<brace::RollingFit> rolling =
      brace::fit_rolling(model, y, {.window = 1000, .every = 100}, brace::Executor(2));
  const brace::Forecast ahead = brace::forecast(kept.front(), {.horizon = 2, .draws = 200});
  std::cout << brace::check(kept.front()).model << ' ' << brace::text::fixed(se, 6) << ' '
            << rolling.size() << ' ' << ahead.steps.size() << '\n';
  return kept.front().usable() && se == *kept.front().parameters[2].se ? 0 : 1;
}
