// SPDX-License-Identifier: Apache-2.0
// How fast is the likelihood, as multiples of R: the bare recursion h = w + a e2 + b h over the
// same rows in the same run. Nothing that filters a GARCH variance row by row can be faster than 1
// R.
//   brace_likelihood_bench                       all benchmarks, then a table of ratios
//   brace_likelihood_bench --limit               the same; exit status 1 where a ratio exceeds its
//   limit
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <nlopt.h>
#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <string>
#include <vector>

#include "brace/estimation/estimate.hpp"
#include "brace/estimation/evaluator.hpp"
#include "brace/estimation/rolling.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "likelihood/log_likelihood.hpp"
#include "ratios.hpp"

namespace {

constexpr std::size_t kRows = 2500;

// A daily-looking series: GARCH(1,1), persistence .97, normal or Student shocks.
brace::Series sample(const char* line, std::vector<double> parameters) {
  brace::Series y = brace::simulate(brace::parse_model(line), parameters, kRows, {.seed = 11});
  y.kind = brace::SeriesKind::log_return;
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

// Rises do not move the variance, or less than falls do.
const brace::Series& equity_sample() {
  static const brace::Series y =
      sample("const / egarch / skew-student", {.03, 0, .01, -.14, .98, 7, -.15});
  return y;
}
const brace::Series& gjr_sample() {
  static const brace::Series y = sample("const / gjr / student", {.03, .03, .04, .12, .87, 7});
  return y;
}

// R: latency-bound, one multiply and two adds a row or, where the machine fuses them, half the
// wait. The kernels are measured against the R of the instruction set that they are compiled for.
template <bool Fused>
[[gnu::always_inline]] inline double recursion(const std::vector<double>& e2) {
  double h = 1;
  for (const double x : e2)
    h = Fused ? __builtin_fma(.89, h, __builtin_fma(.08, x, .03)) : (.03 + .08 * x) + .89 * h;
  return h;
}
#if defined(__x86_64__)
[[gnu::target("avx2,fma")]] double fused_recursion(const std::vector<double>& e2) {
  return recursion<true>(e2);
}
#else
double fused_recursion(const std::vector<double>& e2) {
  return recursion<true>(e2);
}
#endif
void bare_recursion(benchmark::State& state) {
  const bool fused = &brace::lane_kernels() != brace::runnable_lane_kernels().front();
  std::vector<double> e2;
  for (const double v : normal_sample().values) e2.push_back(v * v);
  for (auto _ : state) benchmark::DoNotOptimize(fused ? fused_recursion(e2) : recursion<false>(e2));
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
  const brace::Model model = brace::parse_model(line);
  const brace::MeanData data = brace::mean_data(model, y);
  const auto likelihood = brace::make_log_likelihood(model, data, /*exact=*/false);
  brace::Derivatives<double> out;
  for (auto _ : state) {
    likelihood->evaluate(theta, order, out);
    benchmark::DoNotOptimize(out.log_likelihood);
  }
}

// The same through the public interface.
void evaluator(benchmark::State& state, brace::Order order) {
  brace::Evaluator of(brace::parse_model("const / garch / normal"), normal_sample());
  const std::vector<double> theta{.03, .03, .08, .89};
  std::vector<double> gradient(4), hessian(16);
  for (auto _ : state)
    benchmark::DoNotOptimize(order == brace::Order::value ? of.value(theta)
                             : order == brace::Order::gradient
                                 ? of.gradient(theta, gradient)
                                 : of.hessian(theta, gradient, hessian));
}

// The recursion of one lag each by the kernel that keeps the row before in registers, and by the
// general one, which a gap at the end asks for.
void without_lanes(benchmark::State& state, bool general) {
  std::vector<double> y = normal_sample().values;
  if (general) y.push_back(std::numeric_limits<double>::quiet_NaN());
  brace::JointLikelihood<double> likelihood(brace::parse_model("const / garch / normal"), y);
  const std::vector<double> theta{.03, .03, .08, .89};
  brace::Derivatives<double> out;
  for (auto _ : state) {
    likelihood.evaluate(theta, brace::Order::gradient, out);
    benchmark::DoNotOptimize(out.log_likelihood);
  }
}

// What an engine without derivatives of its own does: central differences of a plain value pass
// under a library's sequential quadratic programme, from one fixed point.
double plain_minus_l(const std::vector<double>& y, const std::vector<double>& x, bool student) {
  double h = 0, sum = 0;
  for (const double v : y) h += (v - x[0]) * (v - x[0]);
  h /= static_cast<double>(y.size());
  double e2 = h;
  const double nu = student ? x[4] : 0;
  for (const double v : y) {
    h = (x[1] + x[2] * e2) + x[3] * h;
    e2 = (v - x[0]) * (v - x[0]);
    sum += student ? .5 * std::log(h) + .5 * (nu + 1) * std::log1p(e2 / (h * (nu - 2)))
                   : .5 * (std::log(h) + e2 / h);
  }
  if (student)
    sum -= static_cast<double>(y.size()) *
           (std::lgamma((nu + 1) / 2) - std::lgamma(nu / 2) - .5 * std::log(nu - 2));
  return sum;
}

void by_differences(benchmark::State& state, const brace::Series& y, bool student) {
  struct Problem {
    const std::vector<double>& y;
    bool student;
  } problem{y.values, student};
  const nlopt_func f = [](unsigned k, const double* at, double* g, void* data) {
    const auto& p = *static_cast<Problem*>(data);
    std::vector<double> x(at, at + k);
    for (unsigned j = 0; g && j < k; ++j) {
      const double step = 1e-6 * std::max(std::abs(at[j]), .01);
      x[j] = at[j] + step;
      const double up = plain_minus_l(p.y, x, p.student);
      x[j] = at[j] - step;
      g[j] = (up - plain_minus_l(p.y, x, p.student)) / (2 * step);
      x[j] = at[j];
    }
    return plain_minus_l(p.y, x, p.student);
  };
  const nlopt_func below_one = [](unsigned k, const double* x, double* g, void*) {
    if (g) {
      std::fill(g, g + k, 0.0);
      g[2] = g[3] = 1;
    }
    return x[2] + x[3] - .99999;
  };
  const unsigned k = student ? 5 : 4;
  const double low[] = {-10, 1e-6, 1e-6, 1e-6, 2.1}, high[] = {10, 10, 1, 1, 200};
  for (auto _ : state) {
    const std::unique_ptr<nlopt_opt_s, decltype(&nlopt_destroy)> search(
        nlopt_create(NLOPT_LD_SLSQP, k), &nlopt_destroy);
    nlopt_set_min_objective(search.get(), f, &problem);
    nlopt_set_lower_bounds(search.get(), low);
    nlopt_set_upper_bounds(search.get(), high);
    nlopt_add_inequality_constraint(search.get(), below_one, nullptr, 1e-10);
    nlopt_set_ftol_rel(search.get(), 1e-10);
    nlopt_set_maxeval(search.get(), 500);
    double x[] = {0, .05, .05, .9, 8}, least = 0;
    nlopt_optimize(search.get(), x, &least);
    benchmark::DoNotOptimize(least);
  }
}

constexpr std::size_t kWindow = 1000, kWindows = 1000;

// R of one window, as often as there are windows.
void recursion_of_windows(benchmark::State& state) {
  const bool fused = &brace::lane_kernels() != brace::runnable_lane_kernels().front();
  std::vector<double> e2;
  for (std::size_t t = 0; t < kWindow; ++t)
    e2.push_back(normal_sample().values[t] * normal_sample().values[t]);
  for (auto _ : state)
    for (std::size_t w = 0; w < kWindows; ++w)
      benchmark::DoNotOptimize(fused ? fused_recursion(e2) : recursion<false>(e2));
}

void rolling(benchmark::State& state, const char* line, const brace::Series& y, bool lanes) {
  const brace::Model model = brace::parse_model(line);
  const brace::Executor one(1);
  for (auto _ : state) {
    const auto fits = brace::fit_rolling(
        model, y, {.window = kWindow, .last_end = kWindow + kWindows - 1, .lanes = lanes}, one);
    for (const brace::RollingFit& f : fits)
      if (f.status == brace::FitStatus::failed) state.SkipWithError("a window did not converge");
  }
}

void whole_fit(benchmark::State& state, const char* line, const brace::Series& y) {
  const brace::Model model = brace::parse_model(line);
  const auto series = std::make_shared<brace::Series>(y);
  const brace::Executor one(1);
  for (auto _ : state) {
    auto fits = brace::values_of(brace::fit_many({{.model = model, .series = series}}, {}, one));
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
  // As equity returns are: rises do not move the variance, so that gjr ends with alpha on its
  // bound.
  for (const auto& [name, order] :
       {std::pair{"value", Order::value}, std::pair{"gradient", Order::gradient},
        std::pair{"hessian", Order::hessian}}) {
    benchmark::RegisterBenchmark(fmt::format("gjr-student-{}", name).c_str(), likelihood_pass,
                                 "const / gjr / student", equity_sample(),
                                 std::vector<double>{.03, .02, .01, .15, .9, 7}, order);
    benchmark::RegisterBenchmark(fmt::format("egarch-student-{}", name).c_str(), likelihood_pass,
                                 "const / egarch / student", equity_sample(),
                                 std::vector<double>{.03, 0, .1, -.12, .98, 7}, order);
    benchmark::RegisterBenchmark(fmt::format("egarch-skewed-{}", name).c_str(), likelihood_pass,
                                 "const / egarch / skew-student", equity_sample(),
                                 std::vector<double>{.03, 0, .1, -.12, .98, 7, -.1}, order);
    benchmark::RegisterBenchmark(fmt::format("aparch-student-{}", name).c_str(), likelihood_pass,
                                 "const / aparch / student", equity_sample(),
                                 std::vector<double>{.03, .03, .07, .6, .9, 1.3, 7}, order);
    benchmark::RegisterBenchmark(fmt::format("twocomp-student-{}", name).c_str(), likelihood_pass,
                                 "const / twocomp / student", equity_sample(),
                                 std::vector<double>{.03, .01, .08, .7, .99, .04, 7}, order);
    benchmark::RegisterBenchmark(fmt::format("longmem-student-{}", name).c_str(), likelihood_pass,
                                 "const / longmem / student", equity_sample(),
                                 std::vector<double>{.03, .05, .2, .4, .5, 7}, order);
    benchmark::RegisterBenchmark(fmt::format("garch-skewed-{}", name).c_str(), likelihood_pass,
                                 "const / garch / skew-student", equity_sample(),
                                 std::vector<double>{.03, .03, .08, .89, 7, -.1}, order);
    benchmark::RegisterBenchmark(fmt::format("garch-ged-{}", name).c_str(), likelihood_pass,
                                 "const / garch / ged", equity_sample(),
                                 std::vector<double>{.03, .03, .08, .89, 1.4}, order);
  }
  for (const char* line :
       {"const / garch / student", "const / gjr / student", "const / egarch / student",
        "const / aparch / student", "const / twocomp / student", "const / longmem / student"})
    benchmark::RegisterBenchmark(fmt::format("equity {}", std::string_view(line).substr(8)).c_str(),
                                 whole_fit, line, equity_sample());
  benchmark::RegisterBenchmark("evaluator-value", evaluator, Order::value);
  benchmark::RegisterBenchmark("evaluator-gradient", evaluator, Order::gradient);
  benchmark::RegisterBenchmark("evaluator-hessian", evaluator, Order::hessian);
  benchmark::RegisterBenchmark("general-kernel", without_lanes, true);
  benchmark::RegisterBenchmark("one-lag-kernel", without_lanes, false);
  benchmark::RegisterBenchmark("garch-normal-fit", whole_fit, "const / garch / normal",
                               normal_sample());
  benchmark::RegisterBenchmark("garch-student-fit", whole_fit, "const / garch / student",
                               student_sample());
  benchmark::RegisterBenchmark("rolling-gjr", rolling, "const / gjr / student", gjr_sample(), true)
      ->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("rolling-egarch", rolling, "const / egarch / student",
                               student_sample(), true)
      ->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("differences-normal-fit", by_differences, normal_sample(), false);
  benchmark::RegisterBenchmark("differences-student-fit", by_differences, student_sample(), true);
  benchmark::RegisterBenchmark("R-of-1000-windows", recursion_of_windows);
  for (const bool lanes : {true, false})
    for (const auto& [law, y] :
         {std::pair{"normal", &normal_sample()}, {"student", &student_sample()}})
      benchmark::RegisterBenchmark(
          fmt::format("rolling-{}{}", law, lanes ? "" : "-alone").c_str(), rolling,
          law == std::string("normal") ? "const / garch / normal" : "const / garch / student", *y,
          lanes)
          ->Unit(benchmark::kMillisecond);
  fmt::print("kernels: {}\n", brace::lane_kernels().name);
  // Limits are one and a half times what was measured on a server processor with AVX-512 beside
  // neighbours (docs/estimation.md has the goals).
  return brace::bench::run(
      argc, argv,
      {{"R",
        "n = 2,500, in R",
        {{"L", {}},
         {"garch-normal-value", 2.4},
         {"garch-normal-gradient", 5},
         {"garch-normal-scoring", {}},
         {"garch-normal-hessian", 12},
         {"garch-student-value", {}},
         {"garch-student-gradient", {}},
         {"garch-student-scoring", {}},
         {"garch-student-hessian", {}},
         {"gjr-student-value", 3},
         {"gjr-student-gradient", 4},
         {"gjr-student-hessian", 10},
         {"egarch-student-value", 10},
         {"egarch-student-gradient", 12},
         {"egarch-student-hessian", 20},
         {"egarch-skewed-value", 10},
         {"egarch-skewed-gradient", 30},
         {"egarch-skewed-hessian", 40},
         {"aparch-student-value", 14},
         {"aparch-student-gradient", 18},
         {"aparch-student-hessian", 32},
         {"twocomp-student-value", 5},
         {"twocomp-student-gradient", 8},
         {"twocomp-student-hessian", 24},
         {"longmem-student-value", 160},
         {"longmem-student-gradient", 430},
         {"longmem-student-hessian", 1300},
         {"garch-skewed-value", 4},
         {"garch-skewed-gradient", 7},
         {"garch-skewed-hessian", 16},
         {"garch-ged-value", 9},
         {"garch-ged-gradient", 14},
         {"garch-ged-hessian", 28},
         {"garch-normal-fit", 130},
         {"garch-student-fit", 170}}},
       {"equity garch / student",
        "alpha of gjr on its bound, in fits of garch",
        {{"equity gjr / student", 2.5},
         {"equity egarch / student", 10},
         {"equity aparch / student", {}},
         {"equity twocomp / student", {}},
         {"equity longmem / student", {}}}},
       {"garch-normal-value", "in the kernel's own", {{"evaluator-value", 2}}},
       {"garch-normal-gradient", "in the kernel's own", {{"evaluator-gradient", 2}}},
       {"garch-normal-hessian", "in the kernel's own", {{"evaluator-hessian", 2}}},
       {"general-kernel",
        "gradient of garch e1 h1, in the general kernel's",
        {{"one-lag-kernel", .5}, {"garch-normal-gradient", .3}}},
       {"R-of-1000-windows",
        "1,000 windows of 1,000 rows, in R",
        {{"rolling-normal", 25},
         {"rolling-student", 45},
         {"rolling-gjr", 60},
         {"rolling-egarch", {}},
         {"rolling-normal-alone", {}},
         {"rolling-student-alone", {}}}},
       {"garch-normal-fit", "by differences, in normal fits", {{"differences-normal-fit", {}}}},
       {"garch-student-fit",
        "by differences, in Student fits",
        {{"differences-student-fit", {}}}}});
}
