// SPDX-License-Identifier: Apache-2.0
// Simulation by stepping the model forward. Covered by tests/model/estimate_test.cpp.
#include "brace/model/simulate.hpp"

#include <fmt/format.h>

#include "brace/base/error.hpp"
#include "brace/model/model_line.hpp"
#include "model/admissible.hpp"
#include "model/mean_data.hpp"
#include "model/spelling.hpp"
#include "model/stepper.hpp"

namespace brace {

Simulated simulate_path(const Model& model, const std::vector<double>& parameters, std::size_t n,
                        const SimulateOptions& options) {
  const Model tidy = canonical(model);
  std::vector<Regressor> columns_of = tidy.mean.regressors;
  columns_of.insert(columns_of.end(), tidy.variance_regressors.begin(),
                    tidy.variance_regressors.end());
  for (const Regressor& r : columns_of)
    throw Error(ErrorCode::not_built,
                fmt::format("model line: 'with {}' needs a column of a file; simulation takes "
                            "harmonics and a trend, no columns",
                            spell(r)));
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
  RandomStream stream(options.seed, options.stream);
  const ShockLaw& law = shock_law(tidy.shocks);
  // The burn-in forgets the start of the process; levels then begin at zero, and regression terms
  // with the first row that is kept.
  const std::size_t lost = difference_weights(tidy.mean.differences).size() - 1;
  const Eigen::MatrixXd columns =
      mean_data(tidy, make_series(std::vector<double>(n + 2 * lost + 3, 0.0))).columns;
  const auto mu_of = [&](std::size_t row) {
    return step.regression(columns.row(static_cast<Eigen::Index>(row < lost ? 0 : row - lost)));
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
    const Stepper::Row row = step.advance(z, mu_of(t));
    out.series.values.push_back(row.y);
    out.variances.push_back(row.h);
    out.shocks.push_back(row.e);
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

}  // namespace brace
