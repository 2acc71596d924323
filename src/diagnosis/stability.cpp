// SPDX-License-Identifier: Apache-2.0
// Constancy of a fit's parameters. Covered by tests/diagnosis/stability_test.cpp.
#include "brace/diagnosis/stability.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <memory>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/laws/change.hpp"
#include "brace/laws/kpss.hpp"
#include "brace/model/model_line.hpp"
#include "likelihood/log_likelihood.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

void require_fit(const Fit& fit, const char* task) {
  if (!fit.usable())
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: the fit of '{}' must not be used ({})", task, to_string(fit.model),
                            fit.convergence.why));
  require_path(fit, task);
}

// Errors of the one-step forecasts, missing where the likelihood has no term.
Series shocks_of(const Fit& fit) {
  Series shocks = fit.window();
  for (std::size_t t = 0; t < shocks.size(); ++t)
    shocks.values[t] = fit.counted[t] ? fit.shocks[t] : kNaN;
  return shocks;
}

TestResult nyblom_test(const std::string& variant, const std::string& what, double statistic,
                       int dimension, std::size_t n) {
  TestResult test;
  test.test = "nyblom";
  test.variant = variant;
  test.null = fmt::format("{} constant", what);
  test.statistic = statistic;
  test.dof = {static_cast<double>(dimension)};
  test.observations = n;
  test.p_value = laws::nyblom_p(statistic, dimension);
  test.p_floor = 1e-12;
  test.p_value = std::max(*test.p_value, *test.p_floor);
  test.reading = *test.rejects() ? "not constant" : "no sign of a change";
  return test;
}

}  // namespace

std::vector<TestResult> nyblom(const Fit& fit) {
  require_fit(fit, "nyblom");
  const std::vector<double> theta = fit.estimates();
  const std::vector<double> by_row =
      make_log_likelihood(fit.model, mean_data(fit.model, fit.window()), fit.exact)->scores(theta);
  const auto k = static_cast<Index>(theta.size());
  const Eigen::Map<const RowMajor> all(by_row.data(), static_cast<Index>(by_row.size()) / k, k);
  std::vector<Index> free;
  for (Index j = 0; j < k; ++j) {
    const Parameter& p = fit.parameters[static_cast<std::size_t>(j)];
    if (!p.held && !p.at_bound) free.push_back(j);
  }
  const auto m = static_cast<Index>(free.size());
  if (m == 0 || m > laws::kMostNyblom)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("nyblom: {} free parameters; 1 to {} can be tested", m, laws::kMostNyblom));
  const Eigen::MatrixXd S = all(Eigen::all, free), V = maths::cross(S, S);
  const std::optional<Eigen::MatrixXd> root = maths::lower_root(V);
  if (!root)
    throw Error(ErrorCode::bad_option, "nyblom: the scores of the free parameters are collinear");
  Eigen::VectorXd sum = Eigen::VectorXd::Zero(m), squares = Eigen::VectorXd::Zero(m);
  double joint = 0;
  for (Index t = 0; t < S.rows(); ++t) {
    sum += S.row(t).transpose();
    squares += sum.cwiseAbs2();
    joint += maths::solve_lower(*root, sum).squaredNorm();
  }
  const auto n = static_cast<double>(fit.n);
  std::vector<TestResult> tests{
      nyblom_test("joint", "all parameters are", joint / n, static_cast<int>(m), fit.n)};
  for (Index j = 0; j < m; ++j) {
    const std::string& name =
        fit.parameters[static_cast<std::size_t>(free[static_cast<std::size_t>(j)])].name;
    tests.push_back(nyblom_test(name, name + " is", squares(j) / (n * V(j, j)), 1, fit.n));
  }
  return tests;
}

TestResult variance_break_test(const Fit& fit, const VarianceBreakOptions& options,
                               const Executor& executor) {
  require_fit(fit, "variance-break");
  constexpr double kTrim = 0.15;
  constexpr std::size_t kRowsOfAScan = 300;
  if (options.dates < 10 || fit.count < kRowsOfAScan)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("variance-break: {} dates on {} observations; 10 or more on {} or "
                            "more are needed",
                            options.dates, fit.count, kRowsOfAScan));
  // Only the variance equation may differ between the sides. Where the mean does not rest on it,
  // its shocks are all that either side sees; with the terms of a mean each fit takes a hundred
  // times as long.
  Model part = fit.model;
  const auto series =
      std::make_shared<const Series>(part.mean.risk ? fit.window() : shocks_of(fit));
  if (!part.mean.risk) part.mean = {.constant = false};
  const ParameterNames names = parameter_names(part);
  const std::vector<std::string> all_names = names.all();
  const auto is_of = [](const std::vector<std::string>& some, const std::string& name) {
    return std::find(some.begin(), some.end(), name) != some.end();
  };
  part.held.clear();
  for (const Parameter& p : fit.parameters)
    if (is_of(all_names, p.name) && (!is_of(names.variance, p.name) || p.held || p.at_bound))
      part.held.push_back({p.name, p.estimate});
  const int p = static_cast<int>(all_names.size() - part.held.size());
  if (p == 0)
    throw Error(ErrorCode::bad_option,
                "variance-break: no free parameter in the variance equation");
  Model whole = part;
  const auto n = static_cast<double>(fit.count);
  std::vector<std::size_t> dates;
  for (int i = 0; i < options.dates; ++i)
    dates.push_back(static_cast<std::size_t>(
        std::lround(n * (kTrim + (1 - 2 * kTrim) * i / (options.dates - 1)))));
  const auto ratios = [&](const std::vector<std::size_t>& at) {
    std::vector<FitJob> jobs{{whole, series, 0, fit.count, {}}};
    for (const std::size_t b : at) {
      jobs.push_back({part, series, 0, b, {}});
      jobs.push_back({part, series, b, fit.count - b, {}});
    }
    const std::vector<Fit> fits = values_of(fit_many(jobs, {}, executor));
    std::vector<double> out;
    for (std::size_t i = 0; i < at.size(); ++i) {
      const Fit &left = fits[2 * i + 1], &right = fits[2 * i + 2];
      const bool usable = fits[0].usable() && left.usable() && right.usable();
      out.push_back(usable ? std::max(0.0, 2 * (*left.log_likelihood + *right.log_likelihood -
                                                *fits[0].log_likelihood))
                           : kNaN);
    }
    return out;
  };
  std::vector<double> coarse = ratios(dates);
  // The largest of few of them has another law.
  const auto lost = static_cast<std::size_t>(
      std::count_if(coarse.begin(), coarse.end(), [](double x) { return std::isnan(x); }));
  if (10 * lost > coarse.size())
    throw Error(ErrorCode::too_few_observations,
                fmt::format("variance-break: at {} of {} dates a side has no maximum of its own; "
                            "give a longer series or a plainer model",
                            lost, coarse.size()));
  std::replace_if(
      coarse.begin(), coarse.end(), [](double x) { return std::isnan(x); }, 0.);
  const auto best =
      static_cast<std::size_t>(std::max_element(coarse.begin(), coarse.end()) - coarse.begin());
  // The date more finely; the statistic stays that of the evenly spaced dates, whose law is known.
  std::vector<std::size_t> fine;
  const std::size_t step = dates[1] - dates[0];
  for (int i = -4; i <= 4; ++i)
    fine.push_back(static_cast<std::size_t>(static_cast<std::ptrdiff_t>(dates[best]) +
                                            i * static_cast<std::ptrdiff_t>(step) / 5));
  std::vector<double> near = ratios(fine);
  std::replace_if(
      near.begin(), near.end(), [](double x) { return std::isnan(x); }, 0.);
  const std::size_t at =
      fine[static_cast<std::size_t>(std::max_element(near.begin(), near.end()) - near.begin())];

  TestResult test;
  test.test = "variance-break";
  test.variant = "likelihood";
  test.null = "the variance equation is constant";
  test.statistic = coarse[best];
  test.dof = {static_cast<double>(p)};
  test.observations = fit.n;
  test.p_value = laws::sup_wald_tail(test.statistic, p, kTrim,
                                     static_cast<int>(options.dates / (1 - 2 * kTrim)));
  const std::size_t row = fit.first + at - 1;
  test.break_at = TestResult::Break{
      row, fit.series->times.empty() ? std::nullopt : std::optional(fit.series->times[row])};
  test.reading = *test.rejects() ? "the variance equation changes" : "no sign of a change";
  return test;
}

}  // namespace brace::inline v0
