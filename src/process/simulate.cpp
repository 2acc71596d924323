// SPDX-License-Identifier: Apache-2.0
// Simulation by stepping the model forward. Covered by tests/estimation/estimate_test.cpp.
#include "brace/process/simulate.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "families/shock_law.hpp"
#include "model/mean_data.hpp"
#include "model/spelling.hpp"
#include "process/admissible.hpp"
#include "process/stepper.hpp"

namespace brace::inline v0 {

Simulated simulate_path(const Model& model, const std::vector<double>& parameters, std::size_t n,
                        const SimulateOptions& options) {
  Model tidy = canonical(model);
  std::vector<Regressor> columns_of = tidy.mean.regressors;
  columns_of.insert(columns_of.end(), tidy.variance_regressors.begin(),
                    tidy.variance_regressors.end());
  if (!columns_of.empty() && !options.rows)
    throw Error(ErrorCode::bad_option,
                fmt::format("model line: 'with {}' needs the rows that are to be made: a file with "
                            "their dates and columns (`columns`)",
                            spell(columns_of.front())));
  if (options.rows) {
    if (options.rows->size() != n)
      throw Error(ErrorCode::bad_option, fmt::format("rows holds {} rows, and {} are to be made",
                                                     options.rows->size(), n));
    tidy = resolved(tidy, *options.rows);
  }
  const ParameterNames names = parameter_names(tidy);
  const auto require = [&](const std::vector<double>& theta) {
    if (theta.size() != names.all().size())
      throw Error(ErrorCode::bad_option,
                  fmt::format("{} parameters given; '{}' has {}: {}", theta.size(), to_string(tidy),
                              names.all().size(), fmt::join(names.all(), ", ")));
    if (const auto rule = broken_rule(tidy, theta))
      throw Error(ErrorCode::bad_option,
                  fmt::format("parameters of '{}': the rule is {}", to_string(tidy), *rule));
  };
  require(parameters);
  std::size_t before = 0;
  for (const SimulatedBreak& change : options.breaks) {
    require(change.parameters);
    if (change.row >= n || change.row < before)
      throw Error(ErrorCode::bad_option,
                  fmt::format("SimulatedBreak::row = {}: rows must ascend and lie within the {} of "
                              "the series",
                              change.row, n));
    before = change.row;
  }

  const std::span<const double> theta(parameters);
  const std::span<const double> variance = theta.subspan(names.mean.size(), names.variance.size());
  const std::span<const double> shape = theta.subspan(names.mean.size() + variance.size());
  // The burn-in begins at the long-run level or, where there is none, at one.
  const Dynamics dynamics = variance_family(tidy.variance).dynamics(tidy, variance, shape);
  const double level =
      dynamics.typical_variance.value_or(dynamics.unconditional_variance.value_or(1));
  Stepper step(tidy, theta, Past::before_sample(tidy, theta, level));
  maths::RandomStream stream(options.seed, options.stream);
  const ShockLaw& law = shock_law(tidy.shocks);
  // The burn-in forgets the start of the process; levels then begin at zero, and regression terms
  // with the first row that is kept.
  const std::size_t lost = difference_weights(tidy.mean.differences).size() - 1;
  Series like = options.rows.value_or(make_series(std::vector<double>(n + 2 * lost + 3, 0.0)));
  std::fill(like.values.begin(), like.values.end(), 0.0);
  const MeanData data = mean_data(tidy, like);
  const auto at = [&](std::size_t row) {
    return static_cast<Eigen::Index>(row < lost ? 0 : row - lost);
  };
  const auto mu_of = [&](std::size_t row) { return step.regression(data.columns, at(row)); };
  const auto columns_of_variance = [&](std::size_t row) {
    return step.variance_regression(data.variance_columns, at(row));
  };
  for (std::size_t t = 0; t < options.burn_in; ++t) step.advance(law.draw(stream, shape), 0);
  step.begin_levels();
  Simulated out;
  out.series = make_series({}, "simulated");
  out.series.values.reserve(n);
  out.variances.reserve(n);
  std::span<const double> present = theta;
  auto change = options.breaks.begin();
  for (std::size_t t = 0; t < n; ++t) {
    for (; change != options.breaks.end() && change->row == t; ++change) {
      present = change->parameters;
      step.change(present);
    }
    const double z = law.draw(stream, present.subspan(names.mean.size() + names.variance.size()));
    const Stepper::Row row = step.advance(z, mu_of(t), columns_of_variance(t));
    out.series.values.push_back(row.y);
    out.variances.push_back(row.h);
    out.shocks.push_back(row.e);
  }
  if (options.rows) {
    out.series.times = options.rows->times;
    out.series.clock = options.rows->clock;
    out.series.companions = options.rows->companions;
    return out;
  }
  const Stepper::Row next = step.expect(mu_of(n));
  out.next_mean = next.mean;
  out.next_variance = next.h;
  return out;
}

Series simulate(const Model& model, const std::vector<double>& parameters, std::size_t n,
                const SimulateOptions& options) {
  return simulate_path(model, parameters, n, options).series;
}

}  // namespace brace::inline v0
