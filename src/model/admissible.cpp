// SPDX-License-Identifier: Apache-2.0
// Admissibility of parameters. Covered by tests/model/estimate_test.cpp.
#include "model/admissible.hpp"

#include <numeric>

#include "brace/maths/lag_polynomial.hpp"
#include "model/families.hpp"
#include "model/lag_product.hpp"

namespace brace {
namespace {

bool inside(const Lags& lags, std::span<const double> coefficients, double sign) {
  if (lags.empty()) return true;
  // A polynomial in B^step has its roots outside the circle where that in B has.
  const int step =
      std::accumulate(lags.begin(), lags.end(), 0, [](int a, int b) { return std::gcd(a, b); });
  std::vector<double> c(static_cast<std::size_t>(lags.back() / step), 0.0);
  for (std::size_t i = 0; i < lags.size(); ++i)
    c[static_cast<std::size_t>(lags[i] / step - 1)] = sign * coefficients[i];
  return partial_autocorrelations(c).has_value();
}

}  // namespace

std::optional<std::string> broken_rule(const Model& model, std::span<const double> theta) {
  const ParameterNames names = parameter_names(model);
  const MeanPositions at = mean_positions(model);
  if (!inside(model.mean.ar, theta.subspan(at.ar), 1)) return "ar is stationary";
  if (!inside(model.mean.ma, theta.subspan(at.ma), -1)) return "ma is invertible";
  if (!inside(model.mean.seasonal_ar, theta.subspan(at.seasonal_ar), 1)) return "sar is stationary";
  if (!inside(model.mean.seasonal_ma, theta.subspan(at.seasonal_ma), -1))
    return "sma is invertible";
  const std::span<const double> variance = theta.subspan(names.mean.size());
  for (const Bound& bound : variance_family(model.variance).bounds(model)) {
    double sum = 0;
    for (const auto& [index, weight] : bound.terms) sum += weight * variance[index];
    // A bound on a level is for scaled data; in natural units it says that the level is positive.
    const bool kept = !bound.of_level ? sum <= bound.limit : bound.limit < 0 ? sum < 0 : sum <= 0;
    if (!kept) return bound.name;
  }
  if (const auto broken = variance_family(model.variance).broken)
    if (const auto rule = broken(model, variance)) return rule;
  const ShockLaw& law = shock_law(model.shocks);
  for (std::size_t s = 0; s < law.shapes.size(); ++s) {
    const double value = theta[names.mean.size() + names.variance.size() + s];
    if (!law.shapes[s].admits(value)) return law.shapes[s].rule;
  }
  return std::nullopt;
}

}  // namespace brace
