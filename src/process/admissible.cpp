// SPDX-License-Identifier: Apache-2.0
// Admissibility of parameters. Covered by tests/estimation/estimate_test.cpp.
#include "process/admissible.hpp"

#include <cmath>
#include <numeric>

#include "brace/maths/lag_polynomial.hpp"
#include "families/shock_law.hpp"
#include "maths/newton.hpp"

namespace brace::inline v0 {
namespace {

bool inside(const Lags& lags, std::span<const double> coefficients, double sign) {
  if (lags.empty()) return true;
  // A polynomial in B^step has its roots outside the circle where that in B has.
  const int step = std::accumulate(lags.begin() + 1, lags.end(), lags.front(),
                                   [](int a, int b) { return std::gcd(a, b); });
  std::vector<double> c(static_cast<std::size_t>(lags.back() / step), 0.0);
  for (std::size_t i = 0; i < lags.size(); ++i)
    c[static_cast<std::size_t>(lags[i] / step - 1)] = sign * coefficients[i];
  return maths::partial_autocorrelations(c).has_value();
}

}  // namespace

AdmissionRules::AdmissionRules(const Model& model)
    : model_(model),
      at_(mean_positions(model)),
      bounds_(variance_family(model.variance).bounds(model)) {
  const ParameterNames names = parameter_names(model);
  first_variance_ = names.mean.size();
  first_shape_ = first_variance_ + names.variance.size();
}

std::optional<std::string> AdmissionRules::broken_by(std::span<const double> theta) const {
  const Mean& mean = model_.mean;
  if (!inside(mean.ar, theta.subspan(at_.ar), 1)) return "ar is stationary";
  if (!inside(mean.ma, theta.subspan(at_.ma), -1)) return "ma is invertible";
  if (!inside(mean.seasonal_ar, theta.subspan(at_.seasonal_ar), 1)) return "sar is stationary";
  if (!inside(mean.seasonal_ma, theta.subspan(at_.seasonal_ma), -1)) return "sma is invertible";
  const std::span<const double> variance = theta.subspan(first_variance_);
  for (const Bound& bound : bounds_) {
    double sum = 0;
    for (const auto& [index, weight] : bound.terms) sum += weight * variance[index];
    // A bound on a level is for scaled data; in data units it says that the level is positive.
    // A fit on a bound lies on it but for the last digits, and its estimates are parameters.
    const bool kept = !bound.of_level   ? sum <= bound.limit + maths::rounding_at(bound.limit)
                      : bound.limit < 0 ? sum < 0
                                        : sum <= 0;
    if (!kept) return bound.name;
  }
  if (const auto broken = variance_family(model_.variance).broken)
    if (auto rule = broken(model_, variance)) return rule;
  const ShockLaw& law = shock_law(model_.shocks);
  for (std::size_t s = 0; s < law.shapes.size(); ++s)
    if (!law.shapes[s].admits(theta[first_shape_ + s])) return law.shapes[s].rule;
  return std::nullopt;
}

}  // namespace brace::inline v0
