// SPDX-License-Identifier: Apache-2.0
// The exact likelihood in units of C, the plain conditional sum of squares of the same model in the
// same run: one pass, its derivatives, whole fits and a whole search.
#include <cmath>
#include <string>
#include <vector>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "likelihood/exact_likelihood.hpp"
#include "ratios.hpp"

namespace {

using brace::Order;

constexpr std::size_t kRows = 2500;

struct Case {
  const char* name;
  const char* line;
  std::vector<double> theta;
};
const std::vector<Case>& cases() {
  static const std::vector<Case> all{
      {"arma11", "zero ar1 ma1", {.7, .3, 1}},
      {"arma11_edge", "zero ar1 ma1", {.5, -.98, 1}},
      {"arma22", "zero ar1,2 ma1,2", {.5, .3, .4, .2, 1}},
      {"arma55", "zero ar1..5 ma1..5", {.3, .2, .1, -.1, .15, .3, .2, -.1, .1, .05, 1}}};
  return all;
}

const std::vector<double>& data() {
  static const std::vector<double> y =
      brace::simulate(brace::parse_model("zero ar1 ma1"), {.7, .3, 1}, kRows, {.seed = 3}).values;
  return y;
}

// The unit: AR part in loops over the rows, then the recursion of the shocks with its lags in
// registers.
template <std::size_t P, std::size_t Q>
double conditional_sum(const double* ar, const double* ma, std::vector<double>& w) {
  const std::vector<double>& y = data();
  for (std::size_t t = 0; t < P; ++t) {
    w[t] = y[t];
    for (std::size_t i = 0; i < t; ++i) w[t] -= ar[i] * y[t - 1 - i];
  }
  for (std::size_t t = P; t < kRows; ++t) {
    double v = y[t];
    for (std::size_t i = 0; i < P; ++i) v -= ar[i] * y[t - 1 - i];
    w[t] = v;
  }
  double e[Q]{}, sum = 0;
  for (std::size_t t = 0; t < kRows; ++t) {
    double v = w[t];
    for (std::size_t j = Q; j-- > 0;) v -= ma[j] * e[j];
    for (std::size_t j = Q - 1; j > 0; --j) e[j] = e[j - 1];
    e[0] = v;
    sum += v * v;
  }
  return sum;
}

void plain(benchmark::State& state, const Case& c) {
  std::vector<double> w(kRows);
  const std::size_t p = (c.theta.size() - 1) / 2;
  for (auto _ : state) {
    const double* ar = c.theta.data();
    benchmark::DoNotOptimize(p == 1   ? conditional_sum<1, 1>(ar, ar + p, w)
                             : p == 2 ? conditional_sum<2, 2>(ar, ar + p, w)
                                      : conditional_sum<5, 5>(ar, ar + p, w));
  }
}

void pass(benchmark::State& state, const Case& c, Order order) {
  const brace::Model model = brace::canonical(brace::parse_model(c.line));
  brace::ExactLikelihood likelihood(model, brace::mean_data(model, data()));
  brace::Derivatives<double> out;
  for (auto _ : state) {
    likelihood.evaluate(c.theta, order, out);
    benchmark::DoNotOptimize(out.log_likelihood);
  }
}

void fit(benchmark::State& state, const char* line, const brace::Series& y) {
  for (auto _ : state) benchmark::DoNotOptimize(brace::estimate(line, y).log_likelihood);
}

// The same rows, every third or so missing.
const brace::Series& with_gaps() {
  static const brace::Series y = [] {
    brace::Series made = brace::make_series(data());
    brace::maths::RandomStream stream(9, 1);
    for (double& v : made.values)
      if (stream.uniform() < 1. / 3) v = std::nan("");
    return made;
  }();
  return y;
}

const brace::Series& months() {
  static const brace::Series y = brace::simulate(brace::parse_model("diff1 diff12 ma1 sma12"),
                                                 {-.4, -.6, 1}, 240, {.seed = 4});
  return y;
}

// A clock to hold 5 ms (725 of it where the goal was set) against: a thousand dependent square
// roots, 6.9 us there, slow down with the machine as a fit does.
void roots(benchmark::State& state) {
  for (auto _ : state) {
    double x = 2;
    for (int i = 0; i < 1000; ++i) x = std::sqrt(x + 1);
    benchmark::DoNotOptimize(x);
  }
}

void whole_search(benchmark::State& state) {
  const brace::Series y = brace::make_series(data());
  const brace::Executor two(2);
  for (auto _ : state)
    benchmark::DoNotOptimize(brace::search(y, {.differences = 0}, two).candidates.size());
}

}  // namespace

int main(int argc, char** argv) {
  static const brace::Series series = brace::make_series(data());
  std::vector<brace::bench::Listing> listings;
  for (const Case& c : cases()) {
    const std::string name = c.name;
    benchmark::RegisterBenchmark(("C_" + name).c_str(), [&c](auto& s) { plain(s, c); });
    for (const auto& [order, word] :
         {std::pair{Order::value, "value"}, std::pair{Order::gradient, "gradient"},
          std::pair{Order::hessian, "hessian"}})
      benchmark::RegisterBenchmark((name + "_" + word).c_str(),
                                   [&c, order = order](auto& s) { pass(s, c, order); });
    // 2 C for a value well inside, 4 C near the circle. Of gradients the goals are 3, 4 and 10 C:
    // 2.7 and 3.5 are measured for the first two, too near for a limit that must hold on any day.
    const double value = name == "arma11_edge" ? 4 : 2;
    const std::optional<double> gradient =
        name == "arma55" ? std::optional<double>(10) : std::nullopt;
    listings.push_back(
        {"C_" + name,
         "C of " + name,
         {{name + "_value", value}, {name + "_gradient", gradient}, {name + "_hessian", {}}}});
  }
  benchmark::RegisterBenchmark("fit_arma11", [](auto& s) { fit(s, "const ar1 ma1", series); });
  listings.push_back({"C_arma11", "C, whole fit", {{"fit_arma11", 150}}});
  benchmark::RegisterBenchmark("fit_gaps", [](auto& s) { fit(s, "const ar1 ma1", with_gaps()); });
  listings.push_back({"fit_arma11", "whole fit without gaps", {{"fit_gaps", {}}}});
  benchmark::RegisterBenchmark("roots", roots);
  benchmark::RegisterBenchmark("fit_months",
                               [](auto& s) { fit(s, "diff1 diff12 ma1 sma12", months()); });
  benchmark::RegisterBenchmark("search_36", whole_search)->Unit(benchmark::kMillisecond);
  // The goal of the first is 5 ms. The search took 264 ms before its candidates were climbed from
  // smaller ones and from pairs of factors; one maximum for one line costs twice that or more.
  listings.push_back(
      {"roots", "thousand square roots", {{"fit_months", 725}, {"search_36", 170000}}});
  return brace::bench::run(argc, argv, listings);
}
