// SPDX-License-Identifier: Apache-2.0
// Fits 500 series on all processors. Five of them are bad (constant, short, infinite): each of
// those has an Error of its own and costs no other its result.
#include <brace/core.hpp>
#include <cstdio>
#include <limits>
#include <memory>
#include <vector>

int main() {
  const brace::Model model = brace::parse_model("const / garch / normal");
  std::vector<brace::FitJob> jobs;
  for (std::size_t i = 0; i < 500; ++i) {
    brace::Series y = brace::simulate(model, {.03, .02, .08, .9}, 400, {.seed = 7, .stream = i});
    if (i % 100 == 0) y.values.assign(400, 1.5);  // 0, 100, .. 400: nothing varies
    if (i == 100) y.keep_rows(0, 3);
    if (i == 200) y.values[17] = std::numeric_limits<double>::infinity();
    jobs.push_back({.model = model,
                    .series = std::make_shared<brace::Series>(std::move(y)),
                    .options = {.keep_path = false}});
  }
  std::size_t told = 0;
  const auto outcomes =
      brace::fit_many(jobs, {.report = [&](std::size_t done, std::size_t) { told = done; }},
                      brace::Executor::all_cores());

  std::size_t usable = 0;
  for (std::size_t i = 0; i < outcomes.size(); ++i)
    if (outcomes[i])
      usable += outcomes[i]->usable();
    else
      std::printf("series %zu: %s\n", i, outcomes[i].error().what());
  std::printf("%zu of %zu usable, %zu told\n", usable, outcomes.size(), told);
  return 0;
}
