// SPDX-License-Identifier: Apache-2.0
// How fast is the likelihood, as multiples of R: the bare recursion h = w + a e2 + b h over the
// same rows in the same run. Nothing that filters a GARCH variance row by row can be faster than 1
// R.
//   brace_likelihood_bench                       all benchmarks, then a table of ratios
//   brace_likelihood_bench --limit               the same; exit status 1 where a ratio exceeds its
//   limit
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <string>
#include <vector>

#include "brace/model/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/model/simulate.hpp"
#include "model/likelihood.hpp"
#include "ratios.hpp"

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

}  // namespace

int main(int argc, char** argv) {
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
  // Only the whole fit has a limit that is promised; the others are on the way to later goals.
  return brace::bench::run(argc, argv,
                           {{"R",
                             "n = 2,500, in R",
                             {{"L", {}},
                              {"garch-normal-value", {}},
                              {"garch-normal-gradient", {}},
                              {"garch-normal-scoring", {}},
                              {"garch-normal-hessian", {}},
                              {"garch-student-value", {}},
                              {"garch-student-gradient", {}},
                              {"garch-student-scoring", {}},
                              {"garch-student-hessian", {}},
                              {"garch-normal-fit", 300},
                              {"garch-student-fit", {}}}}});
}
