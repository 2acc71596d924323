// SPDX-License-Identifier: Apache-2.0
// Admissibility of parameters. Covered by tests/model/estimate_test.cpp.
#include "model/admissible.hpp"

#include <fmt/format.h>

#include <cmath>

#include "brace/maths/lag_polynomial.hpp"
#include "model/families.hpp"

namespace brace {
namespace {

bool inside(const Lags& lags, std::span<const double> coefficients, double sign) {
  if (lags.empty()) return true;
  std::vector<double> c(static_cast<std::size_t>(lags.back()), 0.0);
  for (std::size_t i = 0; i < lags.size(); ++i)
    c[static_cast<std::size_t>(lags[i] - 1)] = sign * coefficients[i];
  return partial_autocorrelations(c).has_value();
}

}  // namespace

std::optional<std::string> broken_rule(const Model& model, std::span<const double> theta) {
  const ParameterNames names = parameter_names(model);
  const std::size_t constant = model.mean.constant ? 1 : 0;
  if (!inside(model.mean.ar, theta.subspan(constant), 1)) return "ar is stationary";
  if (!inside(model.mean.ma, theta.subspan(constant + model.mean.ar.size()), -1))
    return "ma is invertible";
  const std::span<const double> variance = theta.subspan(names.mean.size());
  for (const Bound& bound : variance_family(model.variance).bounds(model)) {
    double sum = 0;
    for (const auto& [index, weight] : bound.terms) sum += weight * variance[index];
    // The bound on omega is for scaled data; in natural units it says that omega is positive.
    const bool level = bound.terms.size() == 1 && bound.terms[0].first == 0;
    if (level ? !(variance[0] > 0) : !(sum <= bound.limit)) return bound.name;
  }
  const ShockLaw& law = shock_law(model.shocks);
  for (std::size_t s = 0; s < law.shapes.size(); ++s) {
    const double value = theta[names.mean.size() + names.variance.size() + s];
    const double w = law.shapes[s].working(value);
    if (!std::isfinite(value) || !(w > 0) || w > law.shapes[s].high)
      return fmt::format("{} is at least {:.3g}", names.shocks[s],
                         law.shapes[s].natural(law.shapes[s].high));
  }
  return std::nullopt;
}

}  // namespace brace
