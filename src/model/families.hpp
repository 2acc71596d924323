// SPDX-License-Identifier: Apache-2.0
// What the engine must know of a variance family and of a shock law beyond their kernels: bounds,
// starting values, persistence, one step ahead, draws. One table entry a member, found by the
// variant in the model.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "brace/maths/random.hpp"
#include "brace/model/model.hpp"

namespace brace {

// sum_j weight_j theta_j <= limit over the variance parameters (index 0 is the first of them).
struct Bound {
  std::string name;  // "alpha1 >= 0"
  std::vector<std::pair<std::size_t, double>> terms;
  double limit;
};

// Makes room at the front of a fixed-length history by dropping its oldest value.
void push_front(std::vector<double>& newest_first, double value);

// Past shocks and variances, newest first, as far back as the model reaches.
struct VarianceHistory {
  std::vector<double> q;  // e^2 (its expectation where e was missing)
  std::vector<double> h;
  void push(double new_q, double new_h);  // drops the oldest
};

struct VarianceFamily {
  // Bounds for data scaled to unit variance.
  std::vector<Bound> (*bounds)(const Model& model);
  // Starting points for data scaled to unit variance, widely spread; the engine takes the best.
  std::vector<std::vector<double>> (*starts)(const Model& model);
  // h of the next row.
  double (*next)(const Model& model, std::span<const double> theta, const VarianceHistory& past);
  // How much of a shock to the variance is left after one step: polynomial coefficients by lag,
  // whose sum is the persistence and whose largest inverse root gives the half-life.
  std::vector<double> (*decay)(const Model& model, std::span<const double> theta);
};
[[nodiscard]] const VarianceFamily& variance_family(const Variance& variance);

// A shape parameter in the engine's working coordinate w, in which the likelihood is close to
// quadratic.
struct ShapeCoordinate {
  double (*natural)(double w);
  double (*slope)(double w);  // d natural / d w
  double (*bend)(double w);   // second derivative
  double (*working)(double natural);
  double low, high;  // bounds of w
  double start;
  const char* at_low;  // what it means when a bound binds
  const char* at_high;
};

struct ShockLaw {
  std::vector<ShapeCoordinate> shapes;
  double (*draw)(RandomStream& stream, std::span<const double> shape);
  double (*quantile)(double p, std::span<const double> shape);
};
[[nodiscard]] const ShockLaw& shock_law(const Shocks& shocks);

}  // namespace brace
