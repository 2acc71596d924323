// SPDX-License-Identifier: Apache-2.0
// How fast are simulated paths and backtests? 10,000 paths of GARCH-Student, 20 steps, against the
// standard library's generator and law in the same run; quantiles; and a rolling origin.
//   brace_forecast_bench [--limit]
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <random>
#include <vector>

#include "brace/estimation/estimate.hpp"
#include "brace/estimation/rolling.hpp"
#include "brace/evaluate/backtest.hpp"
#include "brace/forecast/tracker.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "forecast/paths.hpp"
#include "maths/quantiles.hpp"
#include "ratios.hpp"

namespace {

constexpr std::size_t kPaths = 10000, kSteps = 20;
constexpr double kOrders[] = {.025, .5, .975};
constexpr double kMu = .03, kOmega = .03, kAlpha = .08, kBeta = .89, kNu = 6;

brace::Series sample(std::size_t n) {
  brace::Series y = brace::simulate(brace::parse_model("const / garch / student"),
                                    {kMu, kOmega, kAlpha, kBeta, kNu}, n, {.seed = 11});
  y.kind = brace::SeriesKind::log_return;
  y.times = brace::dates_after(*brace::parse_date("2015-01-01"), brace::Clock::business_day, n);
  y.clock = brace::Clock::business_day;
  return y;
}

// What a program without draws of its own does.
void standard_paths(benchmark::State& state) {
  std::vector<std::vector<double>> returns(kSteps, std::vector<double>(kPaths)),
      variances = returns;
  std::mt19937_64 engine(1);
  std::student_t_distribution<double> law(kNu);
  const double unit = std::sqrt((kNu - 2) / kNu);
  for (auto _ : state) {
    for (std::size_t p = 0; p < kPaths; ++p) {
      double h = 1;
      for (std::size_t k = 0; k < kSteps; ++k) {
        const double e = std::sqrt(h) * unit * law(engine);
        returns[k][p] = kMu + e;
        variances[k][p] = h;
        h = kOmega + kAlpha * e * e + kBeta * h;
      }
    }
    benchmark::DoNotOptimize(returns.back().back());
  }
}

struct Ours {
  brace::Model model = brace::parse_model("const / garch / student");
  std::vector<double> theta{kMu, kOmega, kAlpha, kBeta, kNu};
  brace::Columns columns{Eigen::MatrixXd::Ones(kSteps, 1), Eigen::MatrixXd(kSteps, 0)};
  brace::PathMaker maker{model, kSteps, columns};
  brace::Past past = brace::Past::before_sample(model, theta, 1);
  brace::ShockSource shocks{brace::shock_law(model.shocks), {}};
  brace::Cloud cloud{kSteps, kPaths, kPaths, false};
  brace::maths::RandomStream stream{1, 0};
  void run() { (void)maker.run(theta, past, shocks, stream, kPaths, cloud, 0); }
};

void paths(benchmark::State& state) {
  Ours ours;
  for (auto _ : state) {
    ours.run();
    benchmark::DoNotOptimize(ours.cloud.returns.back().back());
  }
}

// And three quantiles of every step, for a middle and a 95 % interval.
void paths_and_quantiles(benchmark::State& state) {
  Ours ours;
  for (auto _ : state) {
    ours.run();
    for (std::vector<double>& values : ours.cloud.returns)
      benchmark::DoNotOptimize(brace::maths::quantiles(values, kOrders));
  }
}

void rolling_origin(benchmark::State& state, const std::vector<std::string>& models,
                    std::size_t origins) {
  static const brace::Series y = sample(2004);
  const brace::Executor all(2);
  for (auto _ : state) {
    const brace::Backtest b = brace::backtest(
        models, y, {.window = 1000, .origins = origins, .horizon = 5, .combinations = false}, all);
    benchmark::DoNotOptimize(b.entrants.size());
  }
}

const brace::Fit& long_fit() {
  static const brace::Fit fit =
      brace::estimate("const / garch / student", sample(4600), {.hessian_errors_only = true});
  return fit;
}

// A row that came, and the law of the next with its value at risk.
void tracker(benchmark::State& state, bool with_risk) {
  brace::Tracker follow(long_fit());
  const std::vector<double>& y = long_fit().series->values;
  std::size_t t = 0;
  for (auto _ : state) {
    const brace::NextRow& next = follow.push(y[t]);
    t = t + 1 < y.size() ? t + 1 : 0;
    benchmark::DoNotOptimize(with_risk ? follow.value_at_risk(1) : next.parts.front().variance);
  }
}

void path_of_variances(benchmark::State& state) {
  for (auto _ : state) benchmark::DoNotOptimize(brace::variance_path(long_fit(), 20));
}

// What they stand beside: the same by update(), and by a forecast.
void updated(benchmark::State& state) {
  brace::Series row = long_fit().window();
  row.keep_rows(row.size() - 1, row.size());
  row.times.front() += std::chrono::days(1);
  for (auto _ : state) benchmark::DoNotOptimize(brace::update(long_fit(), row).variances.back());
}
void plug_in(benchmark::State& state, int horizon) {
  for (auto _ : state)
    benchmark::DoNotOptimize(brace::forecast(
        long_fit(), {.horizon = horizon, .method = brace::ForecastMethod::plug_in}));
}

void refits(benchmark::State& state) {
  static const brace::Series y = sample(2004);
  const brace::Model model = brace::parse_model("const / garch / student");
  const brace::Executor all(2);
  for (auto _ : state)
    benchmark::DoNotOptimize(brace::fit_rolling(model, y, {.window = 1000, .last_end = 1999}, all));
}

}  // namespace

int main(int argc, char** argv) {
  using benchmark::kMillisecond;
  benchmark::RegisterBenchmark("standard-paths", standard_paths)->Unit(kMillisecond);
  benchmark::RegisterBenchmark("paths", paths)->Unit(kMillisecond);
  benchmark::RegisterBenchmark("paths-quantiles", paths_and_quantiles)->Unit(kMillisecond);
  benchmark::RegisterBenchmark("tracker-push", tracker, false);
  benchmark::RegisterBenchmark("tracker-push-risk", tracker, true);
  benchmark::RegisterBenchmark("update", updated);
  benchmark::RegisterBenchmark("variance-path-20", path_of_variances);
  benchmark::RegisterBenchmark("plug-in-1", plug_in, 1)->Unit(kMillisecond);
  benchmark::RegisterBenchmark("plug-in-20", plug_in, 20)->Unit(kMillisecond);
  benchmark::RegisterBenchmark("backtest-refits", refits)->Unit(kMillisecond)->UseRealTime();
  benchmark::RegisterBenchmark("backtest-one", rolling_origin,
                               std::vector<std::string>{"const / garch / student"}, 1000)
      ->Unit(kMillisecond)
      ->UseRealTime();
  // As many origins as share a fresh start, so that it is soon done.
  benchmark::RegisterBenchmark(
      "backtest-five", rolling_origin,
      std::vector<std::string>{"const / garch / student", "const / gjr / student",
                               "const / egarch / student", "const / garch / normal",
                               "const / steady / normal"},
      64)
      ->Unit(kMillisecond)
      ->UseRealTime()
      ->Iterations(1);
  // Goals: paths three times as fast as the standard library's, 10 ms with quantiles; refits .1 s,
  // a model 2 s, five models 10 s (.64 s for 64 origins), on two cores.
  return brace::bench::run(
      argc, argv,
      {{"tracker-push", "in a tracker's row", {{"tracker-push-risk", {}}, {"update", {}}}},
       {"update", "in an update", {{"tracker-push", .01}}},
       {"variance-path-20", "in a closed path of 20", {{"plug-in-1", {}}, {"plug-in-20", {}}}},
       {"plug-in-20", "in a forecast of 20", {{"variance-path-20", .05}, {"plug-in-1", {}}}},
       {"paths", "10,000 paths x 20, in ours", {{"standard-paths", {}}, {"paths-quantiles", 4}}},
       {"standard-paths",
        "in the standard library's",
        {{"paths", .5}, {"backtest-refits", {}}, {"backtest-one", 250}, {"backtest-five", 120}}}});
}
