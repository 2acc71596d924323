// SPDX-License-Identifier: Apache-2.0
// A batch in units of the same fits alone in one loop of one thread, in the same run: what sharing
// among threads gains, and what reading, checking, forecasting and writing cost beside the fit.
#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <string>
#include <vector>

#include "brace/batch/batch.hpp"
#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "ratios.hpp"

namespace {

constexpr std::size_t kSeries = 24, kRows = 2500;

// Returns with volatility that clusters, Student shocks with 6 degrees of freedom.
const std::vector<brace::Series>& all() {
  static const std::vector<brace::Series> made = [] {
    std::vector<brace::Series> out;
    for (std::size_t i = 0; i < kSeries; ++i) {
      brace::maths::RandomStream random(5, i);
      std::vector<double> y(kRows);
      double h = 1;
      for (double& v : y) {
        v = std::sqrt(h) * random.student(6);
        h = .04 + (.05 + (v < 0 ? .04 : 0)) * v * v + .90 * h;
      }
      out.push_back(brace::make_series(std::move(y), fmt::format("S{:03}", i)));
    }
    return out;
  }();
  return made;
}

// One long file of prices that have those returns.
const std::string& long_file() {
  static const std::string path = [] {
    std::string text = "symbol,date,price\n";
    for (const brace::Series& s : all()) {
      double price = 100;
      auto day = *brace::parse_date("2014-01-06");
      for (const double r : s.values) {
        text += fmt::format("{},{},{:.6f}\n", s.name, brace::format_date(day),
                            price *= std::exp(r / 100));
        const bool friday = (day.time_since_epoch() / std::chrono::days(1) + 4) % 7 == 5;
        day += std::chrono::days(friday ? 3 : 1);
      }
    }
    const std::string at =
        (std::filesystem::temp_directory_path() / fmt::format("brace-bench-{}.csv", ::getpid()))
            .string();
    brace::write_whole(at, text);
    return at;
  }();
  return path;
}

std::vector<brace::FitJob> jobs(const std::string& line) {
  std::vector<brace::FitJob> out;
  for (const brace::Series& s : all())
    out.push_back(
        {.model = brace::parse_model(line), .series = std::make_shared<const brace::Series>(s)});
  return out;
}

void alone(benchmark::State& state, const std::string& line) {
  const brace::Model model = brace::parse_model(line);
  for (auto _ : state)
    for (const brace::Series& s : all()) benchmark::DoNotOptimize(brace::estimate(model, s));
}
void many(benchmark::State& state, const std::string& line, int threads) {
  const brace::Executor executor(threads);
  const std::vector<brace::FitJob> work = jobs(line);
  for (auto _ : state) benchmark::DoNotOptimize(brace::fit_many(work, {}, executor));
}

brace::BatchPlan plan(bool whole) {
  brace::BatchPlan out;
  out.make = brace::log_returns_made();
  out.models = {brace::parse_model("const / garch / student")};
  if (!whole) {
    out.check.reset();
    return out;
  }
  out.forecast =
      brace::ForecastOptions{.horizon = 10, .method = brace::ForecastMethod::plug_in, .draws = 400};
  return out;
}
void batch(benchmark::State& state, bool whole, int threads) {
  const brace::Executor executor(threads);
  const std::string store = long_file() + ".sqlite";
  for (auto _ : state) {
    {
      const auto universe = brace::open_universe(long_file(), {.value = "price"}, "symbol");
      brace::ResultStore results(store, brace::ResultStore::For::writing);
      brace::run_batch(*universe, plan(whole), results, {.source = "bench"}, executor);
    }
    for (const char* end : {"", "-lock", "-wal", "-shm"}) std::remove((store + end).c_str());
  }
}
void read_alone(benchmark::State& state) {
  for (auto _ : state) {
    const auto universe = brace::open_universe(long_file(), {.value = "price"}, "symbol");
    while (auto found = universe->next()) benchmark::DoNotOptimize(found->read());
  }
}

}  // namespace

int main(int argc, char** argv) {
  const std::string garch = "const / garch / student", gjr = "const / gjr / student";
  benchmark::RegisterBenchmark("alone", alone, garch);
  benchmark::RegisterBenchmark("alone_gjr", alone, gjr);
  for (const int threads : {1, 2}) {
    benchmark::RegisterBenchmark(fmt::format("many_{}", threads).c_str(), many, garch, threads);
    benchmark::RegisterBenchmark(fmt::format("many_gjr_{}", threads).c_str(), many, gjr, threads);
    benchmark::RegisterBenchmark(fmt::format("fits_stored_{}", threads).c_str(), batch, false,
                                 threads);
    benchmark::RegisterBenchmark(fmt::format("whole_{}", threads).c_str(), batch, true, threads);
  }
  benchmark::RegisterBenchmark("read", read_alone);
  const int status = brace::bench::run(
      argc, argv,
      {{"alone",
        "24 series of 2,500 rows, garch-Student, in units of the fits alone in one loop",
        {{"many_1", 1.3},
         {"many_2", {}},
         {"read", {}},
         {"fits_stored_1", {}},
         {"fits_stored_2", {}},
         {"whole_1", {}},
         {"whole_2", {}}}},
       {"alone_gjr", "gjr-Student", {{"many_gjr_1", 1.3}, {"many_gjr_2", {}}}}});
  std::remove(long_file().c_str());
  return status;
}
