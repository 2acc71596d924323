// SPDX-License-Identifier: Apache-2.0
// A mixture of shock laws. Covered by tests/forecast/tracker_test.cpp.
#include "brace/forecast/next_row.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <limits>

#include "brace/base/error.hpp"
#include "families/shock_law.hpp"
#include "maths/log_mean_exp.hpp"
#include "maths/quantiles.hpp"

namespace brace::inline v0 {
namespace {

double mean_over(const std::vector<NextRow::Part>& parts, auto&& of) {
  double sum = 0;
  for (const NextRow::Part& part : parts) sum += of(part);
  return sum / static_cast<double>(parts.size());
}

double standardised(const NextRow::Part& part, double value) {
  return (value - part.mean) / std::sqrt(part.variance);
}

double require_share(double share, const char* what, double given, double highest) {
  if (!(share > 0 && share < 1))
    throw Error(ErrorCode::bad_option,
                fmt::format("{} {}: must lie between 0 and {}", what, given, highest));
  return share;
}

}  // namespace

double NextRow::mean() const {
  return mean_over(parts, [](const Part& p) { return p.mean; });
}

double NextRow::variance() const {
  const double centre = mean();
  return mean_over(
      parts, [&](const Part& p) { return p.variance + (p.mean - centre) * (p.mean - centre); });
}

double NextRow::sd() const {
  return std::sqrt(variance());
}

double NextRow::cdf(double value) const {
  const ShockLaw& law = shock_law(shocks);
  return mean_over(parts, [&](const Part& p) { return law.cdf(standardised(p, value), p.shape); });
}

double NextRow::log_density(double value) const {
  const ShockLaw& law = shock_law(shocks);
  const auto of = [&](const Part& p) {
    return law.log_density(standardised(p, value), p.shape) - 0.5 * std::log(p.variance);
  };
  if (parts.size() == 1) return of(parts.front());
  std::vector<double> logs;
  for (const Part& p : parts) logs.push_back(of(p));
  return maths::log_mean_exp(logs);
}

double NextRow::quantile(double p) const {
  require_share(p, "the quantile of", p, 1);
  const ShockLaw& law = shock_law(shocks);
  const auto of = [&](const Part& part) {
    return part.mean + std::sqrt(part.variance) * law.quantile(p, part.shape);
  };
  if (parts.size() == 1) return of(parts.front());
  // The mixture's quantile lies between the least and the largest of its parts.
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (const Part& part : parts) {
    const double q = of(part);
    low = std::min(low, q);
    high = std::max(high, q);
  }
  const auto off = [&](double value) { return cdf(value) - p; };
  const double at_low = off(low), at_high = off(high);
  if (!(at_low < 0)) return low;
  if (!(at_high > 0)) return high;
  std::uintmax_t evaluations = 200;
  const auto [a, b] = boost::math::tools::toms748_solve(
      off, low, high, at_low, at_high, boost::math::tools::eps_tolerance<double>(42), evaluations);
  return 0.5 * (a + b);
}

double NextRow::value_at_risk(double percent) const {
  require_share(percent / 100, "the lowest percent of a row,", percent, 100);
  return quantile(percent / 100);
}

double NextRow::shortfall(double percent) const {
  const double edge = value_at_risk(percent);
  const ShockLaw& law = shock_law(shocks);
  const double below = mean_over(parts, [&](const Part& p) {
    const double z = standardised(p, edge);
    return p.mean * law.cdf(z, p.shape) + std::sqrt(p.variance) * law.mean_below(z, p.shape);
  });
  return below / cdf(edge);
}

}  // namespace brace::inline v0
