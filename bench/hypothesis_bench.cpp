// SPDX-License-Identifier: Apache-2.0
// The unit-root battery and the break tests, n = 2,500, in multiples of a plain pass over the data
// in the same run. `--limit` runs each once more and exits 1 where one misses its limit.
#include <benchmark/benchmark.h>

#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <functional>
#include <vector>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "hypothesis/unit_root_statistics.hpp"

namespace {

using namespace brace;

constexpr int kRows = 2500;

const Series& walk() {
  static const Series series = [] {
    maths::RandomStream random(3, 0);
    std::vector<double> y(kRows);
    double level = 0;
    for (double& v : y) v = level += random.normal();
    return make_series(std::move(y), "level");
  }();
  return series;
}

const Series& noise() {
  static const Series series = differences(walk());
  return series;
}

// The same search with a regression for every candidate, as it would be written first.
int refitted_lags(const std::vector<double>& y, int most) {
  int best = 0;
  double least = 1e300;
  for (int k = 0; k <= most; ++k) {
    const auto fit = hypothesis::unit_root::autoregress(y, k, Deterministic::constant, most);
    const auto N = static_cast<double>(fit.rows);
    const double bic = N * std::log(fit.ssr / N) + std::log(N) * (2 + k);
    if (bic < least) {
      least = bic;
      best = k;
    }
  }
  return best;
}

struct Job {
  const char* name;
  std::function<void()> run;
  double limit_ms;  // 0: no limit of its own
};

const std::vector<Job>& jobs() {
  static const std::vector<Job> all{
      {"unit-root battery with lag search",
       [] { benchmark::DoNotOptimize(unit_root_battery(walk())); }, 50},
      {"two-break test", [] { benchmark::DoNotOptimize(hypothesis::two_breaks(walk())); }, 2000},
      {"variance ratio, 999 draws",
       [] { benchmark::DoNotOptimize(hypothesis::variance_ratio(walk())); }, 2000},
      {"Bai-Perron, 5 breaks", [] { benchmark::DoNotOptimize(hypothesis::bai_perron(noise())); },
       200},
      {"lag search by one factorisation",
       [] {
         benchmark::DoNotOptimize(hypothesis::unit_root::choose_lags(
             walk().values, Deterministic::constant, hypothesis::LagRule::bic, 26));
       },
       0},
      {"lag search by refitting",
       [] { benchmark::DoNotOptimize(refitted_lags(walk().values, 26)); }, 0},
      {"breaks of all kinds", [] { benchmark::DoNotOptimize(find_breaks(noise())); }, 0},
  };
  return all;
}

double milliseconds(const std::function<void()>& run, int times) {
  double best = 1e300;
  for (int i = 0; i < times; ++i) {
    const auto start = std::chrono::steady_clock::now();
    run();
    best = std::min(
        best, std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start)
                  .count());
  }
  return best;
}

int check_limits() {
  int missed = 0;
  std::vector<double> took;
  for (const Job& job : jobs()) {
    took.push_back(milliseconds(job.run, 3));
    const bool late = job.limit_ms > 0 && took.back() > job.limit_ms;
    missed += late;
    std::printf("%-34s %8.1f ms%s\n", job.name, took.back(), late ? "  over its limit" : "");
  }
  const double ratio = took[5] / took[4];
  std::printf("refitting takes %.1f times one factorisation (at least 4)\n", ratio);
  return missed > 0 || ratio < 4 ? 1 : 0;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 1 && std::strcmp(argv[1], "--limit") == 0) return check_limits();
  for (const Job& job : jobs())
    benchmark::RegisterBenchmark(job.name, [&job](benchmark::State& state) {
      for (auto _ : state) job.run();
    })->Unit(benchmark::kMillisecond);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  return 0;
}
