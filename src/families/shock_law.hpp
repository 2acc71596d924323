// SPDX-License-Identifier: Apache-2.0
// What estimation must know of a shock law beyond its kernel: working coordinates of its shape,
// density, distribution, quantiles, draws. One entry a law (shock_law.cpp), found by the variant
// in the model.
//
//   const ShockLaw& law = shock_law(model.shocks);
//   double z = law.quantile(.01, shape);
#pragma once

#include <cmath>
#include <optional>
#include <span>
#include <vector>

#include "brace/maths/random.hpp"
#include "brace/model/model.hpp"

namespace brace::inline v0 {

// A shape parameter in the engine's working coordinate w, in which the likelihood is close to
// quadratic.
struct ShapeCoordinate {
  double (*shape)(double w);
  double (*slope)(double w);  // d shape / d w
  double (*bend)(double w);   // second derivative
  double (*working)(double shape);
  double low, high;  // bounds of w
  double start;
  double plain;        // where the law is the one that it contains
  const char* at_low;  // what it means when a bound binds
  const char* at_high;
  // Whether a value describes a law, and the rule.
  bool (*admits)(double shape);
  const char* rule;
  // Whether so heavy tails as the upper bound's explain any variance, so that a maximum on it may
  // hide higher ones.
  bool high_explains_all = false;
};

// c |x|^power with a weight c for each sign of x, and its first and second derivative; at 0, where
// it may have a kink, the slope that a kernel gives.
struct RoughTerm {
  double value = 0, slope = 0, bend = 0;
};
struct RoughPower {
  double power, rise, fall, at_zero;
  [[nodiscard]] RoughTerm at(double x) const {
    if (x == 0) return {0, at_zero, 0};
    const double size = std::abs(x), weight = x < 0 ? fall : rise;
    if (power == 1) return {weight * size, x < 0 ? -weight : weight, 0};
    const double value = weight * std::pow(size, power), slope = power * value / x;
    return {value, slope, (power - 1) * slope / x};
  }
};

struct ShockLaw {
  std::vector<ShapeCoordinate> shapes;
  // The law that it is where the shapes which that law has not are plain.
  std::optional<Shocks> contains;
  bool symmetric;
  double (*draw)(maths::RandomStream& stream, std::span<const double> shape);
  // As many as z is long, by the quickest way, which gives other numbers than draw.
  void (*draw_many)(maths::RandomStream& stream, std::span<const double> shape,
                    std::span<double> z);
  double (*quantile)(double p, std::span<const double> shape);
  double (*cdf)(double z, std::span<const double> shape);
  double (*log_density)(double z, std::span<const double> shape);
  // E[shock; shock <= z], the partial expectation: over cdf(z) the mean of what lies below z.
  double (*mean_below)(double z, std::span<const double> shape);
  // d ln f / dz.
  double (*score)(double z, std::span<const double> shape);
  // Of a law whose density has a peak: what of ln f no parabola describes near z = 0, and whether
  // it has a kink there. Null for the others.
  RoughPower (*rough)(std::span<const double> shape) = nullptr;
  bool (*kinks)(std::span<const double> shape) = nullptr;
};
[[nodiscard]] const ShockLaw& shock_law(const Shocks& shocks);

}  // namespace brace::inline v0
