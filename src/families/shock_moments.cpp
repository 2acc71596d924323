// SPDX-License-Identifier: Apache-2.0
// Moments of the shock laws. Covered by tests/families/shock_laws_test.cpp.
#include "families/shock_moments.hpp"

#include <boost/math/constants/constants.hpp>
#include <boost/math/special_functions/gamma.hpp>
#include <cmath>
#include <limits>
#include <numbers>

#include "brace/laws/standard.hpp"
#include "families/ged.hpp"
#include "families/shock_law.hpp"
#include "families/skew_student.hpp"
#include "families/student.hpp"

namespace brace::inline v0 {
namespace {

// E f(z) by the trapezoidal rule in u, z = c sinh u, whose error falls exponentially with the
// number of points where f is smooth; `parts` are the points where it is not.
template <class F>
double integrate(F&& f, double from, double to) {
  // Each side on its own: z = origin +- exp(pi/2 sinh u), the rule of Takahasi and Mori (1974).
  const auto side = [&](double origin, double sign, double end) {
    constexpr double kStep = 1.0 / 16;
    double sum = 0;
    for (int i = -64; i <= 64; ++i) {
      const double u = i * kStep, size = std::exp(std::numbers::pi / 2 * std::sinh(u));
      // On a finite part the distance is mapped to (0, end).
      const double z = std::isfinite(end) ? end * size / (1 + size) : size;
      const double slope = std::numbers::pi / 2 * std::cosh(u) *
                           (std::isfinite(end) ? end * size / ((1 + size) * (1 + size)) : size);
      const double value = f(origin + sign * z) * slope;
      if (std::isfinite(value)) sum += value;
    }
    return sum * kStep;
  };
  if (!std::isfinite(from)) return side(to, -1, from);
  return side(from, 1, std::isfinite(to) ? to - from : to);
}

}  // namespace

double law_density(const Shocks& law, std::span<const double> shape, double z) {
  if (std::holds_alternative<Student>(law)) {
    const double nu = shape[0], k = nu - 2;
    return std::exp(log_gamma((nu + 1) / 2) - log_gamma(nu / 2) -
                    0.5 * std::log(std::numbers::pi * k) - (nu + 1) / 2 * std::log1p(z * z / k));
  }
  if (std::holds_alternative<Ged>(law)) return std::exp(GedDensity<double>(shape.data()).value(z));
  if (std::holds_alternative<SkewStudent>(law))
    return std::exp(SkewStudentDensity<double>(shape.data()).value(z));
  return std::exp(-z * z / 2) / std::sqrt(2 * std::numbers::pi);
}

double half_power(const Shocks& law, std::span<const double> shape, double delta, bool negative) {
  if (std::holds_alternative<SkewStudent>(law)) {
    constexpr double kInfinite = std::numeric_limits<double>::infinity();
    const SkewStudentDensity<double> density(shape.data());
    const double kink = density.kink();
    const auto f = [&](double z) {
      return std::pow(std::abs(z), delta) * std::exp(density.value(z));
    };
    if (negative)
      return kink < 0 ? integrate(f, -kInfinite, kink) + integrate(f, kink, 0)
                      : integrate(f, -kInfinite, 0);
    return kink > 0 ? integrate(f, 0, kink) + integrate(f, kink, kInfinite)
                    : integrate(f, 0, kInfinite);
  }
  if (std::holds_alternative<Student>(law)) {
    const double nu = shape[0];
    return 0.5 *
           std::exp(0.5 * delta * std::log(nu - 2) + log_gamma((delta + 1) / 2) +
                    log_gamma((nu - delta) / 2) - log_gamma(nu / 2)) /
           std::sqrt(std::numbers::pi);
  }
  if (std::holds_alternative<Ged>(law)) {
    const double nu = shape[0];
    return 0.5 * std::exp(0.5 * delta * (log_gamma(1 / nu) - log_gamma(3 / nu)) +
                          log_gamma((delta + 1) / nu) - log_gamma(1 / nu));
  }
  return 0.5 * std::exp(0.5 * delta * std::numbers::ln2 + log_gamma((delta + 1) / 2)) /
         std::sqrt(std::numbers::pi);
}

double mean_absolute(const Shocks& law, std::span<const double> shape) {
  // z has mean zero, so both sides weigh the same.
  if (std::holds_alternative<SkewStudent>(law)) return -2 * shock_law(law).mean_below(0, shape);
  return 2 * half_power(law, shape, 1, false);
}

double negative_square(const Shocks& law, std::span<const double> shape) {
  return std::holds_alternative<SkewStudent>(law) ? half_power(law, shape, 2, true) : 0.5;
}

ExponentialMoment::ExponentialMoment(const Shocks& law, std::span<const double> shape)
    : law_(law), shape_(shape.begin(), shape.end()) {
  if (!std::holds_alternative<Ged>(law)) return;
  double factorial = 1;
  for (std::size_t k = 0; k < kTerms; ++k) {
    if (k > 0) factorial *= static_cast<double>(k);
    terms_[k] = 2 * half_power(law, shape, static_cast<double>(k), false) / factorial;
  }
}

double ExponentialMoment::operator()(double a, double b) const {
  if (std::holds_alternative<Normal>(law_)) {
    const auto side = [](double c) { return std::exp(c * c / 2) * laws::normal_cdf(c); };
    return side(a + b) + side(a - b);
  }
  if (!std::holds_alternative<Ged>(law_) || shape_[0] <= 1)
    return std::numeric_limits<double>::infinity();
  // The law is symmetric, so that both signs of z weigh the same: E ((a+b)^k + (a-b)^k)|z|^k / 2.
  const double up = a + b, down = a - b;
  double sum = 0, up_k = 1, down_k = 1, last = 0;
  for (const double term : terms_) {
    last = (up_k + down_k) / 2 * term;
    sum += last;
    up_k *= up;
    down_k *= down;
  }
  if (std::abs(last) < 1e-14) return sum;
  const GedDensity<double> density(shape_.data());
  constexpr double kInfinite = std::numeric_limits<double>::infinity();
  const auto f = [&](double z) { return std::exp(a * std::abs(z) + b * z + density.value(z)); };
  return integrate(f, -kInfinite, 0) + integrate(f, 0, kInfinite);
}

std::vector<double> shape_scales(const Shocks& law, std::span<const double> shape) {
  if (shape.empty()) return {};
  if (std::holds_alternative<Ged>(law)) return {shape[0]};
  std::vector<double> scales{shape[0] - 2};
  if (shape.size() > 1) scales.push_back(0.3 * (1 - std::abs(shape[1])));
  return scales;
}

}  // namespace brace::inline v0
