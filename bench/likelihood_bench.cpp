// SPDX-License-Identifier: Apache-2.0
// How fast is the likelihood, as multiples of R: the bare recursion h = w + a e2 + b h over the
// same rows in the same run. Nothing that filters a GARCH variance row by row can be faster than 1
// R.
//   brace_bench                       all benchmarks, then a table of ratios
//   brace_bench --limit               the same; exit status 1 where a ratio exceeds its limit
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <map>
#include <string>
#include <vector>

#include "brace/model/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/model/simulate.hpp"
#include "model/likelihood.hpp"

namespace {

constexpr std::size_t kRows = 2500;

// A daily-looking series: GARCH(1,1), persistence .97, normal or Student shocks.
brace::Series sample(const char* line, std::vector<double> parameters) {
  brace::Series y = brace::simulate(brace::parse_model(line), parameters, kRows, {.seed = 11});
  y.kind = brace::Kind::log_return;
  return y;
}
const brace::Series& normal_sample() {
  static const brace::Series y = sample("const / garch / normal", {.03, .03, .08, .89});
  return y;
}
const brace::Series& student_sample() {
  static const brace::Series y = sample("const / garch / student", {.03, .03, .08, .89, 6});
  return y;
}

// R: latency-bound, one multiply and two adds a row.
void bare_recursion(benchmark::State& state) {
  std::vector<double> e2;
  for (const double v : normal_sample().values) e2.push_back(v * v);
  for (auto _ : state) {
    double h = 1;
    for (const double x : e2) h = (.03 + .08 * x) + .89 * h;
    benchmark::DoNotOptimize(h);
  }
}

// L: a plain value-only pass with a logarithm and a division a row.
void plain_value(benchmark::State& state) {
  const std::vector<double>& y = normal_sample().values;
  for (auto _ : state) {
    double h = 1, sum = 0;
    for (const double v : y) {
      const double e2 = (v - .03) * (v - .03);
      sum += std::log(h) + e2 / h;
      h = (.03 + .08 * e2) + .89 * h;
    }
    benchmark::DoNotOptimize(sum);
  }
}

void likelihood_pass(benchmark::State& state, const char* line, const brace::Series& y,
                     std::vector<double> theta, brace::Order order) {
  brace::Likelihood<double> likelihood(brace::parse_model(line), y.values);
  brace::Derivatives<double> out;
  for (auto _ : state) {
    likelihood.evaluate(theta, order, out);
    benchmark::DoNotOptimize(out.log_likelihood);
  }
}

void whole_fit(benchmark::State& state, const char* line, const brace::Series& y) {
  const brace::Model model = brace::parse_model(line);
  const auto series = std::make_shared<brace::Series>(y);
  const brace::Executor one(1);
  for (auto _ : state) {
    auto fits = brace::fit_many({{.model = model, .series = series}}, one);
    if (!fits.front().usable()) state.SkipWithError("the fit did not converge");
  }
}

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
  [[nodiscard]] std::optional<double> in_r(const std::string& name) const {
    const auto at = best_.find(name), r = best_.find("R");
    if (at == best_.end() || r == best_.end()) return std::nullopt;
    return at->second / r->second;
  }

 private:
  std::map<std::string, double> best_;
};

}  // namespace

int main(int argc, char** argv) {
  bool judge = false;
  for (int i = 1; i < argc; ++i)
    if (std::string(argv[i]) == "--limit") {
      judge = true;
      for (int j = i; j + 1 < argc; ++j) argv[j] = argv[j + 1];
      --argc;
    }
  const std::vector<double> normal{.03, .03, .08, .89}, student{.03, .03, .08, .89, 6};
  using brace::Order;
  benchmark::RegisterBenchmark("R", bare_recursion);
  benchmark::RegisterBenchmark("L", plain_value);
  for (const auto& [name, order] :
       {std::pair{"value", Order::value}, std::pair{"gradient", Order::gradient},
        std::pair{"scoring", Order::scoring}, std::pair{"hessian", Order::hessian}}) {
    benchmark::RegisterBenchmark(fmt::format("garch-normal-{}", name).c_str(), likelihood_pass,
                                 "const / garch / normal", normal_sample(), normal, order);
    benchmark::RegisterBenchmark(fmt::format("garch-student-{}", name).c_str(), likelihood_pass,
                                 "const / garch / student", student_sample(), student, order);
  }
  benchmark::RegisterBenchmark("garch-normal-fit", whole_fit, "const / garch / normal",
                               normal_sample());
  benchmark::RegisterBenchmark("garch-student-fit", whole_fit, "const / garch / student",
                               student_sample());
  // Repeated and mixed, the fastest kept: a ratio then survives a neighbour's load and a changing
  // clock rate.
  std::vector<std::string> words(argv, argv + argc);
  words.insert(words.begin() + 1, {"--benchmark_repetitions=7", "--benchmark_min_time=0.05",
                                   "--benchmark_enable_random_interleaving=true",
                                   "--benchmark_report_aggregates_only=false"});
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  int count = static_cast<int>(arguments.size());
  benchmark::Initialize(&count, arguments.data());
  Ratios ratios;
  benchmark::RunSpecifiedBenchmarks(&ratios);
  benchmark::Shutdown();

  // Only the whole fit has a limit that is promised; the others are on the way to later goals.
  const std::map<std::string, double> limits{{"garch-normal-fit", 300}};
  bool kept = true;
  fmt::print("\n{:<24}{:>10}{:>10}\n", "n = 2,500, in R", "measured", "limit");
  for (const char* name : {"L", "garch-normal-value", "garch-normal-gradient",
                           "garch-normal-scoring", "garch-normal-hessian", "garch-student-value",
                           "garch-student-gradient", "garch-student-scoring",
                           "garch-student-hessian", "garch-normal-fit", "garch-student-fit"}) {
    const auto ratio = ratios.in_r(name);
    if (!ratio) continue;
    const auto limit = limits.find(name);
    fmt::print("{:<24}{:>10.1f}{:>10}\n", name, *ratio,
               limit == limits.end() ? "" : fmt::format("{:.0f}", limit->second));
    if (limit != limits.end() && *ratio > limit->second) kept = false;
  }
  if (judge && !kept) fmt::print("a limit is exceeded\n");
  return judge && !kept ? 1 : 0;
}
