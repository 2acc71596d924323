// SPDX-License-Identifier: Apache-2.0
// The news-impact curve. Covered by tests/diagnosis/variance_check_test.cpp.
#include "brace/diagnosis/news_impact.hpp"

#include <fmt/format.h>

#include <cmath>

#include "brace/base/error.hpp"
#include "brace/model/model_line.hpp"
#include "process/stepper.hpp"

namespace brace::inline v0 {

NewsImpact news_impact(const Fit& fit, double reach, int points) {
  if (!fit.usable() || std::holds_alternative<Steady>(fit.model.variance))
    throw Error(ErrorCode::bad_option,
                fmt::format("news impact: '{}' {}", to_string(fit.model),
                            fit.usable() ? "has a steady variance: no shock moves it"
                                         : "must not be used: " + fit.convergence.why));
  if (points < 3 || !(reach > 0))
    throw Error(ErrorCode::bad_option,
                fmt::format("news impact: {} points to {} levels; three points or more are needed, "
                            "and a reach above 0",
                            points, reach));
  require_path(fit, "news impact");
  double sum = 0;
  for (const double h : fit.variances) sum += h;
  const double level = fit.unconditional_variance.value_or(
      fit.typical_variance.value_or(sum / static_cast<double>(fit.variances.size())));
  const std::vector<double> theta = fit.estimates();
  const std::size_t first = parameter_names(fit.model).mean.size(),
                    count = parameter_names(fit.model).variance.size();
  const std::span<const double> all(theta);
  const StepRules rules =
      step_rules(fit.model, all.subspan(first, count), all.subspan(first + count));
  const VarianceFamily& family = variance_family(fit.model.variance);
  const VarianceState rest = Past::before_sample(fit.model, theta, level).variance;
  // Regressors of the variance at their means.
  double columns = 0;
  const std::size_t regressors = fit.model.variance_regressors.size();
  if (regressors > 0) {
    const Eigen::MatrixXd X = mean_data(fit.model, fit.window()).variance_columns;
    for (std::size_t j = 0; j < regressors; ++j)
      columns += rules.theta[count - regressors + j] * X.col(static_cast<Eigen::Index>(j)).mean();
  }
  const auto after = [&](double e) {
    VarianceState state = rest;
    const double x = state.x[0];
    state.push(family.news(rules, level, &e), level, x);
    return std::sqrt(family.next(rules, state, columns));
  };
  NewsImpact out;
  out.level = std::sqrt(level);
  for (int i = 0; i < points; ++i) {
    const double e = out.level * reach * (2.0 * i / (points - 1) - 1);
    out.shock.push_back(e);
    out.volatility.push_back(after(e));
  }
  out.fall = after(-2 * out.level);
  out.rise = after(2 * out.level);
  return out;
}

}  // namespace brace::inline v0
