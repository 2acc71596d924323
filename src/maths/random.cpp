// SPDX-License-Identifier: Apache-2.0
// Random streams over std::mt19937_64, whose output the C++ standard fixes. Covered by
// tests/maths/maths_test.cpp.
#include "brace/maths/random.hpp"

#include <boost/random/normal_distribution.hpp>
#include <cmath>
#include <numbers>

namespace brace::inline v0::maths {
namespace {

// One step of SplitMix64 (Steele, Lea and Flood 2014): spreads seed and stream number over 64 bits,
// so that neighbouring seeds do not give neighbouring engine states.
std::uint64_t spread(std::uint64_t x) {
  x += 0x9e3779b97f4a7c15ULL;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
  return x ^ (x >> 31);
}

}  // namespace

RandomStream::RandomStream(std::uint64_t seed, std::uint64_t number)
    : engine_(spread(spread(seed) ^ number)) {}

RandomStream RandomStream::branch() {
  return {engine_(), 0};
}

double RandomStream::uniform() {
  return (static_cast<double>(engine_() >> 11) + 0.5) * 0x1.0p-53;
}

double RandomStream::normal() {
  const double u = uniform();
  return std::sqrt(-2 * std::log(u)) * std::cos(2 * std::numbers::pi * uniform());
}

double RandomStream::student(double nu) {
  const double u = uniform();
  // expm1 keeps the digits for large nu, where u^(-2/nu) is close to 1. The variance of t is
  // nu / (nu - 2), which cancels the nu under the root.
  const double radius = std::sqrt((nu - 2) * std::expm1(-2 / nu * std::log(u)));
  return radius * std::cos(2 * std::numbers::pi * uniform());
}

double RandomStream::quick_normal() {
  return boost::random::normal_distribution<double>()(engine_);
}

double RandomStream::gamma_over(double d, double c) {
  for (;;) {
    const double x = quick_normal(), root = 1 + c * x;
    if (!(root > 0)) continue;
    const double v = root * root * root, u = uniform(), x2 = x * x;
    if (u < 1 - 0.0331 * x2 * x2 || std::log(u) < 0.5 * x2 + d * (1 - v + std::log(v))) return v;
  }
}

double RandomStream::quick_gamma(double shape) {
  // Below shape 1 by the power of a uniform that leads there from shape + 1.
  if (shape < 1) {
    const double above = quick_gamma(shape + 1);
    return above * std::pow(uniform(), 1 / shape);
  }
  const double d = shape - 1. / 3;
  return d * gamma_over(d, 1 / std::sqrt(9 * d));
}

double RandomStream::quick_student(double nu) {
  double out = 0;
  quick_student(nu, {&out, 1});
  return out;
}

void RandomStream::quick_student(double nu, std::span<double> out) {
  // chi-squared / 2 is a gamma of shape nu / 2 > 1; the root of its unit variance is kept apart.
  const double d = nu / 2 - 1. / 3, c = 1 / std::sqrt(9 * d), unit = (nu / 2 - 1) / d;
  for (double& v : out) {
    const double normal = quick_normal();
    v = normal * std::sqrt(unit / gamma_over(d, c));
  }
}

}  // namespace brace::inline v0::maths
