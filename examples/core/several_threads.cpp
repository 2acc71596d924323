// SPDX-License-Identifier: Apache-2.0
// One fit used from several threads at once: a Fit may be read by all of them, a Tracker and an
// Evaluator belong to one each.
#include <brace/core.hpp>
#include <cstdio>
#include <thread>
#include <vector>

int main() {
  const brace::Model model = brace::parse_model("const / garch / normal");
  const brace::Fit fit =
      brace::estimate(model, brace::simulate(model, {.03, .02, .08, .9}, 1500, {.seed = 5}));

  const std::vector<double> scenarios{-8, -2, 0, 3};  // percent, of the coming row
  std::vector<double> after(scenarios.size()), ahead(scenarios.size());
  std::vector<std::thread> threads;
  for (std::size_t i = 0; i < scenarios.size(); ++i)
    threads.emplace_back([&, i] {
      brace::Tracker mine(fit);
      after[i] = mine.push(scenarios[i]).sd();
      ahead[i] = brace::forecast(fit, {.horizon = 5, .draws = 200, .seed = 9}).horizon_total->sd;
    });
  for (std::thread& thread : threads) thread.join();

  for (std::size_t i = 0; i < scenarios.size(); ++i)
    std::printf("after %+.0f percent: sd %.4f\n", scenarios[i], after[i]);
  for (const double sd : ahead)
    if (sd != ahead.front()) return 1;  // the same call gives the same numbers in every thread
  return 0;
}
