// SPDX-License-Identifier: Apache-2.0
// Covered by tests/evaluate/scores_test.cpp.
#include "brace/evaluate/directions.hpp"

#include <cmath>

#include "brace/laws/standard.hpp"
#include "evaluate/rows.hpp"

namespace brace::inline v0 {

Directions directions(std::span<const double> actual, std::span<const double> forecast,
                      double threshold) {
  require_same("directions", actual.size(), forecast.size());
  Directions d;
  const auto side = [threshold](double v) -> std::size_t {
    return v > threshold ? 2 : v < -threshold ? 0 : 1;
  };
  for (std::size_t t = 0; t < actual.size(); ++t) {
    if (std::isnan(actual[t]) || std::isnan(forecast[t])) continue;
    ++d.table[side(forecast[t])][side(actual[t])];
    ++d.n;
  }
  require_rows("directions", d.n);
  const auto n = static_cast<double>(d.n);
  double called[3] = {}, came[3] = {};
  for (std::size_t i = 0; i < 3; ++i)
    for (std::size_t j = 0; j < 3; ++j) {
      const double share = static_cast<double>(d.table[i][j]) / n;
      called[i] += share;
      came[j] += share;
      if (i == j) d.right += share;
    }
  for (std::size_t i = 0; i < 3; ++i) d.by_chance += called[i] * came[i];
  d.test = named_test("directions", "", "calls of direction are right by chance only", d.n);
  // Variance of right - by chance under independence, by the delta method over the cells.
  double mean = 0, square = 0;
  for (std::size_t i = 0; i < 3; ++i)
    for (std::size_t j = 0; j < 3; ++j) {
      const double probability = called[i] * came[j],
                   slope = (i == j ? 1.0 : 0.0) - came[i] - called[j];
      mean += probability * slope;
      square += probability * slope * slope;
    }
  const double variance = (square - mean * mean) / n;
  if (!(variance > 1e-14)) {
    d.test.reading = "the calls or the outcomes never change, so nothing can be said";
    return d;
  }
  d.test.statistic = (d.right - d.by_chance) / std::sqrt(variance);
  d.test.p_value = 1 - laws::normal_cdf(d.test.statistic);
  d.test.reading = *d.test.rejects() ? "calls of direction are right more often than by chance"
                                     : "calls of direction are right no more often than by chance";
  return d;
}

}  // namespace brace::inline v0
