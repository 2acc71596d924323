// SPDX-License-Identifier: Apache-2.0
// What the examples at the head of the public headers and of the guide take for granted: series, fits and numbers by
// the names that they use. tests/CMakeLists.txt makes a function of each head and compiles it.
//
//   void example_of_some_header(Names names);
#pragma once

#include <Eigen/Dense>
#include <iostream>
#include <stop_token>

#include "brace/brace.hpp"
#include "brace/batch/batch.hpp"
#include "brace/batch/summary.hpp"
#include "brace/figures/figure.hpp"
#include "brace/report/report.hpp"
#include "brace/laws/change.hpp"
#include "brace/maths/bounded.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/maths/random.hpp"

namespace brace::test {

inline Series returns, prices, monthly, log_level, series, y;
inline Fit fitted, fit;
inline Model model;
inline Forecast ahead;
inline Table table;
inline std::vector<FitJob> jobs;
inline std::vector<double> results, residuals, transforms, squared_errors, forecasts, paths,
    last_values, outcomes, loss_a, loss_b, closes, theta, gradient, hessian;
inline std::vector<Timestamp> days;
inline std::stop_source stop;
inline std::vector<std::vector<double>> losses;
inline std::vector<unsigned char> hits;
inline std::string text;
inline StudyRecord record;
inline BatchPlan plan;
inline ResultStore store("run.sqlite", ResultStore::For::writing);
inline double x = 1, outcome = 0;
inline Timestamp last;
inline BacktestOptions options;
inline double f(std::span<const double>) {
  return 0;
}
inline double run(const FitJob&) {
  return 0;
}
inline void use(std::size_t, const std::vector<double>&) {}
inline void use(const Fit&) {}
inline void show(std::size_t, std::size_t) {}
inline const Executor executor(1);
inline const double tick = .3;

}  // namespace brace::test
