// SPDX-License-Identifier: Apache-2.0
// A loop of 10,000 ticks: each is pushed, and the value at risk of the next is there at once.
// Counts how often a tick fell below the 1 % that was said before it came.
#include <brace/core.hpp>
#include <cstdio>

int main() {
  const brace::Model model = brace::parse_model("const / gjr / student");
  const brace::Series ticks =
      brace::simulate(model, {.01, .02, .04, .06, .9, 7}, 12000, {.seed = 11});
  const brace::Fit fit = brace::estimate(model, brace::rows_between(ticks, 0, 2000));
  if (!fit.usable()) return 1;

  brace::Tracker tracker(fit);
  int below = 0;
  for (std::size_t t = 2000; t < ticks.size(); ++t) {
    below += ticks.values[t] < tracker.value_at_risk(1);
    tracker.push(ticks.values[t]);
  }
  std::printf("%zu ticks, %d below the 1 %% value at risk; next: sd %.4f, shortfall %.4f\n",
              tracker.rows(), below, tracker.next().sd(), tracker.shortfall(1));
  return 0;
}
