// SPDX-License-Identifier: Apache-2.0
// P-values from quantile surfaces. Covered by tests/laws/laws_test.cpp.
#include "brace/laws/simulated.hpp"

#include <fmt/format.h>
#include <math.h>  // NOLINT: Boost 1.74's pchip calls isnan without std::

#include <algorithm>
#include <boost/math/interpolators/pchip.hpp>
#include <cmath>
#include <vector>

#include "brace/base/error.hpp"
#include "brace/laws/standard.hpp"
#include "laws/response_surfaces.hpp"

namespace brace::inline v0 {

std::string_view to_string(Deterministic terms) {
  switch (terms) {
    case Deterministic::none: return "none";
    case Deterministic::constant: return "constant";
    case Deterministic::trend: return "trend";
  }
  return "none";
}

namespace laws {
namespace {

const ResponseSurface& surface_of(SimulatedLaw law) {
  return kResponseSurfaces[static_cast<std::size_t>(law)];
}

// Quantiles of the levels at sample size T, strictly increasing.
std::vector<double> quantiles_at(const ResponseSurface& surface, int T) {
  if (T < surface.least_T)
    throw Error(
        ErrorCode::too_few_observations,
        fmt::format("a unit-root test has {} usable rows; its law ({}) is known from {} up: "
                    "give a longer series or fewer lags",
                    T, surface.name, surface.least_T));
  std::vector<double> power;
  for (const double e : surface.exponents) power.push_back(std::pow(1.0 / T, e));
  std::vector<double> q(surface.levels.size());
  for (std::size_t i = 0; i < q.size(); ++i)
    for (std::size_t j = 0; j < power.size(); ++j)
      q[i] += power[j] * surface.coefficients[i * power.size() + j];
  // Simulation noise may swap neighbours by less than their standard error: put them in order
  // again, from the middle outwards, so that an outermost quantile that errs moves no other.
  const std::size_t middle = q.size() / 2;
  for (std::size_t i = middle + 1; i < q.size(); ++i) q[i] = std::max(q[i], q[i - 1] + 1e-10);
  for (std::size_t i = middle; i-- > 0;) q[i] = std::min(q[i], q[i + 1] - 1e-10);
  return q;
}

// The levels of each law in the normal scale, computed once.
const std::vector<double>& normal_scale(SimulatedLaw law) {
  static const std::vector<std::vector<double>> all = [] {
    std::vector<std::vector<double>> scales;
    for (const ResponseSurface& surface : kResponseSurfaces) {
      std::vector<double>& z = scales.emplace_back();
      for (const double level : surface.levels) z.push_back(normal_quantile(level));
    }
    return scales;
  }();
  return all[static_cast<std::size_t>(law)];
}

// Outside the table z goes on linearly, with the slope over the outermost eight levels.
double beyond(double x, double x_edge, double z_edge, double x_inner, double z_inner) {
  return z_edge + (z_edge - z_inner) / (x_edge - x_inner) * (x - x_edge);
}

double normal_score(SimulatedLaw law, double x, int T) {
  std::vector<double> q = quantiles_at(surface_of(law), T);
  std::vector<double> z = normal_scale(law);
  const std::size_t last = q.size() - 1;
  if (x < q.front()) return beyond(x, q[0], z[0], q[7], z[7]);
  if (x > q.back()) return beyond(x, q[last], z[last], q[last - 7], z[last - 7]);
  return boost::math::interpolators::pchip<std::vector<double>>(std::move(q), std::move(z))(x);
}

}  // namespace

std::string_view to_string(SimulatedLaw law) {
  return surface_of(law).name;
}

double lower_tail(SimulatedLaw law, double x, int T) {
  return normal_cdf(normal_score(law, x, T));
}

double upper_tail(SimulatedLaw law, double x, int T) {
  return normal_cdf(-normal_score(law, x, T));
}

double quantile(SimulatedLaw law, double p, int T) {
  const ResponseSurface& surface = surface_of(law);
  if (!(p >= surface.levels.front() && p <= surface.levels.back()))
    throw Error(ErrorCode::bad_option,
                fmt::format("p = {}: the table of {} spans {} to {}", p, surface.name,
                            surface.levels.front(), surface.levels.back()));
  return boost::math::interpolators::pchip<std::vector<double>>(
      std::vector<double>(normal_scale(law)), quantiles_at(surface, T))(normal_quantile(p));
}

double floor_of(SimulatedLaw law) {
  return surface_of(law).floor;
}

int least_T(SimulatedLaw law) {
  return surface_of(law).least_T;
}

}  // namespace laws
}  // namespace brace::inline v0
