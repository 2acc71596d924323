// SPDX-License-Identifier: Apache-2.0
// Laws of break statistics. Covered by tests/laws/laws_test.cpp.
#include "brace/laws/change.hpp"

#include <algorithm>
#include <array>
#include <boost/math/special_functions/gamma.hpp>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <mutex>
#include <numbers>
#include <optional>
#include <vector>

#include "brace/laws/standard.hpp"
#include "laws/inversion.hpp"

namespace brace::inline v0::laws {
namespace {

using std::numbers::pi;

constexpr double kOvershoot = 0.5826;

double shifted(double x, std::optional<int> n) {
  return n ? x + kOvershoot / std::sqrt(*n) : x;
}

double root_of(const auto& f, double low, double high) {
  boost::math::tools::eps_tolerance<double> close(48);
  std::uintmax_t steps = 200;
  const auto [a, b] = boost::math::tools::toms748_solve(f, low, high, close, steps);
  return (a + b) / 2;
}

// Kummer's M(a, b, x) and its derivative in a, by the series; for x up to 60 and moderate a < 0.
struct Kummer {
  double value = 1, by_a = 0;
};

Kummer kummer(double a, double b, double x) {
  Kummer k;
  double term = 1, derivative = 0;
  for (int n = 0; n < 2000; ++n) {
    const double r = x / ((b + n) * (n + 1));
    derivative = derivative * (a + n) * r + term * r;
    term *= (a + n) * r;
    k.value += term;
    k.by_a += derivative;
    if (n > x + std::abs(a) + 10 && std::abs(term) < 1e-17 * std::abs(k.value) + 1e-300 &&
        std::abs(derivative) < 1e-17 * std::abs(k.by_a))
      break;
  }
  return k;
}

}  // namespace

double bridge_tail(double x, std::optional<int> n) {
  x = shifted(x, n);
  if (x <= 0) return 1;
  double sum = 0;
  if (x < 1) {
    for (int k = 1; k < 30; ++k) {
      const double odd = (2 * k - 1) * pi;
      sum += std::exp(-odd * odd / (8 * x * x));
    }
    return std::clamp(1 - std::sqrt(2 * pi) / x * sum, 0.0, 1.0);
  }
  for (int k = 1; k <= 100; ++k) sum += (k % 2 == 1 ? 2 : -2) * std::exp(-2.0 * k * k * x * x);
  return sum;
}

double cusum_tail(double a, std::optional<int> n) {
  a = shifted(a, n);
  if (a < 0.1) return 1;  // to within 1e-15
  const double b = 2 * a, end = a + b;
  const int terms = static_cast<int>(std::ceil(8 / std::sqrt(2 * a * b))) + 2;
  double sum = 0;
  for (int k = 1; k <= terms; ++k) {
    const double inside = normal_cdf(end - 2 * k * a) - normal_cdf(-end - 2 * k * a);
    const double other = normal_cdf(end + 2 * k * a) - normal_cdf(-end + 2 * k * a);
    sum += (k % 2 == 0 ? 1 : -1) * std::exp(-2.0 * k * k * a * b) * (inside + other);
  }
  return std::clamp(2 * normal_cdf(-end) - sum, 0.0, 1.0);
}

double sup_wald_tail(double x, int p, double trim, int n) {
  if (x <= 0) return 1;
  const double span = std::log((1 - trim) / trim), half = span / 2;
  if (n > 0) {
    const double root = std::sqrt(x) + kOvershoot * 2 * std::sinh(half) / half / std::sqrt(n);
    x = root * root;
  }
  const double b = p / 2.0, X = x / 2;
  const double density = std::exp(b * std::log(X) - X - boost::math::lgamma(b));
  const double far = density * (2 * span * (1 - p / x) + 2 / x);
  if (x > p && far < 1e-9) return far;
  const auto f = [&](double nu) { return kummer(-nu, b, X).value; };
  double nu = 0, total = 0;
  for (int j = 0; j < 60; ++j) {
    double low = nu + (j > 0 ? 1e-9 : 0), high = low + 0.25;
    while (f(low) * f(high) > 0) {
      low = high;
      high += 0.25;
    }
    const double root = root_of(f, low, high);
    if (2 * root * span > 42) break;
    const double weight =
        density / (b * root) * kummer(1 - root, b + 1, X).value / kummer(-root, b, X).by_a;
    total += weight * std::exp(-2 * root * span);
    if (2 * root * span > 38) break;
    nu = root + 0.5;
  }
  return std::clamp(1 - total, 0.0, 1.0);
}

double ave_wald_tail(double x, int p) {
  // Of the kernel (min(s,t) - s t) / sqrt(s (1-s) t (1-t)) on [.15, .85].
  static const Spectrum spectrum{
      {.63782513,  .16654177,  .066318064, .033788076, .020092555, .013217773, .009322057,
       .006914347, .005327036, .004227288, .003434807, .002845286, .002395083, .002043621,
       .001764059, .001538076, .001352829, .001199097, .001070127, .000960877, .000867528,
       .000787139, .000717421, .000656566, .000603135, .000555967, .000514123, .000476829,
       .00044345,  .000413457, .000386407, .000361927, .000339702, .000319463, .000300981,
       .000284058, .000268524, .000254231, .000241049, .000228867},
      .008801215,
      6.58118e-07};
  if (x <= 0) return 1;
  // One inversion a dimension, made when first asked for.
  static std::array<std::once_flag, kMostBroken> made;
  static std::array<std::optional<Inversion>, kMostBroken> laws;
  const auto at = static_cast<std::size_t>(p - 1);
  std::call_once(made.at(at), [&] { laws[at] = invert(spectrum, p); });
  return (*laws[at])(x);
}

}  // namespace brace::inline v0::laws
