// SPDX-License-Identifier: Apache-2.0
// Benchmarks as ratios to one of their own run, with limits: milliseconds depend on the machine and
// its neighbours, ratios hardly do.
//
//   benchmark::RegisterBenchmark("R", ...); benchmark::RegisterBenchmark("fit", ...);
//   return brace::bench::run(argc, argv, {{"R", "in R", {{"fit", 300}}}});
#pragma once

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace brace::bench {

struct Line {
  std::string name;
  std::optional<double> limit;  // of the ratio
};

// Ratios of several benchmarks to one, the unit.
struct Listing {
  std::string unit, title;
  std::vector<Line> lines;
};

// Keeps the fastest time of each benchmark, to form ratios from.
class Ratios : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    ConsoleReporter::ReportRuns(runs);
    for (const Run& run : runs) {
      if (run.run_type != Run::RT_Iteration || run.error_occurred) continue;
      const double time = run.real_accumulated_time / static_cast<double>(run.iterations);
      auto [at, added] = best_.try_emplace(run.run_name.function_name, time);
      if (!added) at->second = std::min(at->second, time);
    }
  }
  [[nodiscard]] std::optional<double> ratio(const std::string& name, const std::string& to) const {
    const auto at = best_.find(name), unit = best_.find(to);
    if (at == best_.end() || unit == best_.end()) return std::nullopt;
    return at->second / unit->second;
  }

 private:
  std::map<std::string, double> best_;
};

// Runs all that is registered and prints each line's ratio to its unit. With --limit among the
// arguments the exit status is 1 where a limit is exceeded in three runs.
inline int run(int argc, char** argv, const std::vector<Listing>& listings) {
  std::vector<std::string> words(argv, argv + argc);
  const auto asked = std::find(words.begin(), words.end(), "--limit");
  const bool judge = asked != words.end();
  if (judge) words.erase(asked);
  // Repeated and mixed, the fastest kept: a ratio then survives a neighbour's load and a changing
  // clock rate.
  words.insert(words.begin() + 1, {"--benchmark_repetitions=7", "--benchmark_min_time=0.05",
                                   "--benchmark_enable_random_interleaving=true",
                                   "--benchmark_report_aggregates_only=false"});
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  int count = static_cast<int>(arguments.size());
  benchmark::Initialize(&count, arguments.data());
  Ratios ratios;
  const auto kept_by_all = [&] {
    bool kept = true;
    for (const Listing& listing : listings)
      for (const Line& line : listing.lines)
        if (const auto ratio = ratios.ratio(line.name, listing.unit); ratio && line.limit)
          kept = kept && *ratio <= *line.limit;
    return kept;
  };
  // A neighbour's load may outlast a run, and what is too slow stays so in all of them.
  constexpr int kMostRuns = 3;
  for (int runs = 0; runs == 0 || (judge && runs < kMostRuns && !kept_by_all()); ++runs)
    benchmark::RunSpecifiedBenchmarks(&ratios);
  benchmark::Shutdown();

  for (const Listing& listing : listings) {
    fmt::print("\n{:<36}{:>10}{:>10}\n", listing.title, "measured", "limit");
    for (const Line& line : listing.lines)
      if (const auto ratio = ratios.ratio(line.name, listing.unit))
        fmt::print("{:<36}{:>10.1f}{:>10}\n", line.name, *ratio,
                   line.limit ? fmt::format("{:g}", *line.limit) : "");
  }
  const bool kept = kept_by_all();
  if (judge && !kept) fmt::print("a limit is exceeded\n");
  return judge && !kept ? 1 : 0;
}

}  // namespace brace::bench
