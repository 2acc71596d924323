// SPDX-License-Identifier: Apache-2.0
// Sums of products by lag, and Durbin and Levinson's recursion. Covered by
// tests/hypothesis/hypothesis_test.cpp.
#include "brace/maths/autocorrelations.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "maths/deviations.hpp"

namespace brace::inline v0::maths {

std::vector<double> deviations_from_mean(std::span<const double> y, std::size_t& present) {
  double sum = 0;
  present = 0;
  for (const double v : y)
    if (!std::isnan(v)) {
      sum += v;
      ++present;
    }
  const double mean = sum / static_cast<double>(present);
  std::vector<double> d(y.begin(), y.end());
  for (double& v : d) v = std::isnan(v) ? 0 : v - mean;
  return d;
}

std::vector<double> autocorrelations(std::span<const double> y, int lags) {
  std::size_t present = 0;
  const std::vector<double> d = deviations_from_mean(y, present);
  if (lags < 1 || static_cast<std::size_t>(lags) >= present)
    throw Error(ErrorCode::bad_option,
                fmt::format("lags = {}: must lie between 1 and {} for {} observations", lags,
                            present > 0 ? present - 1 : 0, text::count(present)));
  double total = 0;
  for (const double v : d) total += v * v;
  std::vector<double> r;
  r.reserve(static_cast<std::size_t>(lags));
  for (std::size_t k = 1; k <= static_cast<std::size_t>(lags); ++k) {
    // Four sums: an addition need not wait for the one before it.
    std::array<double, 4> sums{};
    std::size_t t = k;
    for (; t + 4 <= d.size(); t += 4)
      for (std::size_t i = 0; i < 4; ++i) sums[i] += d[t + i] * d[t + i - k];
    for (; t < d.size(); ++t) sums[0] += d[t] * d[t - k];
    const double sum = (sums[0] + sums[1]) + (sums[2] + sums[3]);
    r.push_back(total > 0 ? sum / total : 0);
  }
  return r;
}

std::vector<double> partial_from_autocorrelations(std::span<const double> r) {
  std::vector<double> partials, phi, before;
  double error = 1;  // one-step prediction variance in units of the series' variance
  for (std::size_t k = 0; k < r.size(); ++k) {
    double numerator = r[k];
    for (std::size_t i = 0; i < k; ++i) numerator -= phi[i] * r[k - 1 - i];
    const double reflection = error > 0 ? numerator / error : 0;
    before = phi;
    for (std::size_t i = 0; i < k; ++i) phi[i] = before[i] - reflection * before[k - 1 - i];
    phi.push_back(reflection);
    partials.push_back(reflection);
    error *= 1 - reflection * reflection;
  }
  return partials;
}

}  // namespace brace::inline v0::maths
