// SPDX-License-Identifier: Apache-2.0
// A nightly run in code: two models for every instrument of a long file, the better one checked and
// forecast, all of it in a results file; then the riskiest names by a query of one's own.
//   example_nightly_batch data/exchange.csv night.sqlite
#include <brace/batch/batch.hpp>
#include <brace/batch/summary.hpp>
#include <brace/brace.hpp>

#include <algorithm>
#include <iostream>

int main(int argc, char** argv) {
  try {
    const std::string path = argc > 1 ? argv[1] : "data/exchange.csv",
                      out = argc > 2 ? argv[2] : "night.sqlite";
    const auto universe = brace::open_universe(path, {.value = "price"}, "symbol");
    brace::ResultStore store(out, brace::ResultStore::For::writing);

    brace::BatchPlan plan;
    plan.make = brace::log_returns_made();
    plan.made = "log returns in percent";
    plan.models = {brace::parse_model("const / garch / student"),
                   brace::parse_model("const / gjr / student")};
    plan.forecast = brace::ForecastOptions{
        .horizon = 5, .method = brace::ForecastMethod::plug_in, .draws = 400};
    const brace::BatchRun run =
        brace::run_batch(*universe, plan, store, {.source = path}, brace::Executor::all_cores());

    const brace::BatchSummary summary = brace::summarise(store, store.last_run());
    std::cout << summary << '\n';
    std::vector<std::pair<double, std::string>> risks;
    for (const brace::SeriesResult& series : store.results(run.run))
      for (const brace::TailRow& tail : series.tails)
        if (tail.step == 1 && tail.percent == 1)
          risks.emplace_back(tail.value_at_risk, series.series.name);
    std::sort(risks.begin(), risks.end());
    for (std::size_t i = 0; i < std::min<std::size_t>(3, risks.size()); ++i)
      std::cout << "one day in a hundred below " << brace::text::fixed(risks[i].first, 1)
                << " percent: " << risks[i].second << '\n';
    return 0;
  } catch (const brace::Error& error) {
    std::cerr << error.what() << '\n';
    return brace::exit_status(error);
  }
}
