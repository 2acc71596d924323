// SPDX-License-Identifier: Apache-2.0
// The law of the next row as a value: its mean and variance, distribution, quantiles and tail risk,
// all computed, none simulated.
//
//   brace::NextRow next = brace::Tracker(fitted).next();
//   double var = next.value_at_risk(1), shortfall = next.shortfall(1);   // of the worst 1 %
//
//
// Threads: a NextRow may be read from several threads at once.
#pragma once

#include <vector>

#include "brace/base/api.hpp"
#include "brace/model/model.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Equally likely parts, each a shock of the model's law around a mean: one part where the estimates
// are taken as known, else one a draw of parameters.
struct NextRow {
  struct Part {
    double mean = 0, variance = 0;
    std::vector<double> shape;  // of the shocks
  };
  Shocks shocks;
  std::vector<Part> parts;  // at least one

  // In the unit of the data, variances in its square. Variance: of y, so that the spread of the
  // parts' means counts.
  [[nodiscard]] double mean() const;
  [[nodiscard]] double variance() const;
  [[nodiscard]] double sd() const;

  // P(y <= value), and the logarithm of the density there.
  [[nodiscard]] double cdf(double value) const;
  [[nodiscard]] double log_density(double value) const;
  // The value below which y falls with probability p, 0 < p < 1. Throws Error (bad_option). In
  // closed form for one part; for several the root of the cdf to 1e-12 of its size.
  [[nodiscard]] double quantile(double p) const;

  // Of the lowest `percent` of y, 0 < percent < 100: where they begin, and their mean (expected
  // shortfall), E[y | y <= quantile] from the law's partial expectation. Both are values of y:
  // negative where money is lost. Throws Error (bad_option).
  [[nodiscard]] double value_at_risk(double percent) const;
  [[nodiscard]] double shortfall(double percent) const;
};

}  // namespace brace::inline v0
BRACE_API_END
