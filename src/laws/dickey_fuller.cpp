// SPDX-License-Identifier: Apache-2.0
// P-values from quantile surfaces; tests/laws/laws_test.cpp.
#include "brace/laws/dickey_fuller.hpp"

#include <fmt/format.h>
#include <math.h>  // Boost 1.74's pchip calls isnan without std::

#include <algorithm>
#include <boost/math/interpolators/pchip.hpp>
#include <cmath>
#include <vector>

#include "brace/base/error.hpp"
#include "brace/laws/standard.hpp"
#include "laws/dickey_fuller_table.hpp"

namespace brace {

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

const Surface& surface_of(Deterministic terms) {
  switch (terms) {
    case Deterministic::none: return kTauNone;
    case Deterministic::constant: return kTauConstant;
    case Deterministic::trend: return kTauTrend;
  }
  return kTauNone;
}

// Quantiles of the 221 levels at sample size T, strictly increasing.
std::vector<double> quantiles_at(int T, Deterministic terms) {
  if (T < kDickeyFullerLeastT)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("a Dickey-Fuller test has {} usable rows; its law is known from {} up: "
                            "give a longer series or fewer lags",
                            T, kDickeyFullerLeastT));
  const double x = 1.0 / T;
  std::vector<double> q;
  q.reserve(kSurfaceLevels);
  for (const auto& [b0, b1, b2] : surface_of(terms)) q.push_back(b0 + x * (b1 + x * b2));
  // Simulation noise may swap neighbours by less than their standard error: put them in order
  // again.
  for (std::size_t i = 1; i < q.size(); ++i) q[i] = std::max(q[i], q[i - 1] + 1e-10);
  return q;
}

// The levels in the normal scale, computed once.
const std::vector<double>& normal_scale() {
  static const std::vector<double> scale = [] {
    std::vector<double> z;
    for (const double level : kLevels) z.push_back(normal_quantile(level));
    return z;
  }();
  return scale;
}

// Outside the table z goes on linearly, with the slope over the outermost eight levels.
double beyond(double x, double x_edge, double z_edge, double x_inner, double z_inner) {
  return z_edge + (z_edge - z_inner) / (x_edge - x_inner) * (x - x_edge);
}

}  // namespace

double dickey_fuller_p(double statistic, int T, Deterministic terms) {
  std::vector<double> q = quantiles_at(T, terms);
  std::vector<double> z = normal_scale();
  const std::size_t last = kSurfaceLevels - 1;
  double at = 0;
  if (statistic < q.front())
    at = beyond(statistic, q[0], z[0], q[7], z[7]);
  else if (statistic > q.back())
    at = beyond(statistic, q[last], z[last], q[last - 7], z[last - 7]);
  else
    at = boost::math::interpolators::pchip<std::vector<double>>(std::move(q),
                                                                std::move(z))(statistic);
  return normal_cdf(at);
}

double dickey_fuller_quantile(double p, int T, Deterministic terms) {
  if (!(p >= kLevels.front() && p <= kLevels.back()))
    throw Error(ErrorCode::bad_option, fmt::format("p = {}: the Dickey-Fuller table spans {} to {}",
                                                   p, kLevels.front(), kLevels.back()));
  return boost::math::interpolators::pchip<std::vector<double>>(
      std::vector<double>(normal_scale()), quantiles_at(T, terms))(normal_quantile(p));
}

}  // namespace laws
}  // namespace brace
