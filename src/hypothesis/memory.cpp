// SPDX-License-Identifier: Apache-2.0
// Local Whittle. Covered by tests/hypothesis/reference_test.cpp and first_look_test.cpp.
#include "brace/hypothesis/memory.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/constants/constants.hpp>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <limits>
#include <numeric>
#include <tuple>
#include <vector>

#include "brace/base/error.hpp"

namespace brace {
namespace {

constexpr double kLeast = -0.5, kMost = 1;
constexpr double kTwoPi = boost::math::double_constants::two_pi;

// I_j = |sum_t x_t exp(i t l_j)|^2 / (2 pi n) at l_j = 2 pi j / n, j = 1 .. m, x less its mean. The
// angles t l_j are whole multiples of 2 pi / n: one table of n cosines serves all frequencies, and
// no rounding builds up along t.
std::vector<double> periodogram(std::vector<double> x, int m) {
  const std::size_t n = x.size();
  const double mean = std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(n);
  for (double& v : x) v -= mean;
  std::vector<double> cosine(n), sine(n);
  for (std::size_t k = 0; k < n; ++k) {
    const double angle = kTwoPi * static_cast<double>(k) / static_cast<double>(n);
    cosine[k] = std::cos(angle);
    sine[k] = std::sin(angle);
  }
  std::vector<double> out;
  for (std::size_t j = 1; j <= static_cast<std::size_t>(m); ++j) {
    double re = 0, im = 0;
    std::size_t at = 0;
    for (std::size_t t = 0; t < n; ++t) {
      re += x[t] * cosine[at];
      im += x[t] * sine[at];
      at += j;
      if (at >= n) at -= n;
    }
    out.push_back((re * re + im * im) / (kTwoPi * static_cast<double>(n)));
  }
  return out;
}

}  // namespace

MemoryEstimate local_whittle(const Series& series, int bandwidth) {
  require_usable(series, 50, "a long-memory estimate");
  const std::vector<double> x = series.present_values();
  const auto n = static_cast<double>(x.size());
  MemoryEstimate out;
  out.of = series.name;
  out.observations = x.size();
  out.bandwidth = bandwidth > 0 ? bandwidth : static_cast<int>(std::floor(std::pow(n, 0.65)));
  if (2 * static_cast<std::size_t>(out.bandwidth) >= x.size())
    throw Error(ErrorCode::bad_option,
                fmt::format("local_whittle: bandwidth {} needs more than {} observations",
                            out.bandwidth, 2 * out.bandwidth));
  const std::vector<double> power = periodogram(x, out.bandwidth);
  std::vector<double> log_frequency;
  for (int j = 1; j <= out.bandwidth; ++j) log_frequency.push_back(std::log(kTwoPi * j / n));
  const double mean_log =
      std::accumulate(log_frequency.begin(), log_frequency.end(), 0.0) / out.bandwidth;
  const auto objective = [&](double d) {
    double sum = 0;
    for (std::size_t j = 0; j < power.size(); ++j)
      sum += std::exp(2 * d * log_frequency[j]) * power[j];
    return std::log(sum / out.bandwidth) - 2 * d * mean_log;
  };
  std::tie(out.d, out.objective) = boost::math::tools::brent_find_minima(
      objective, kLeast, kMost, std::numeric_limits<double>::digits / 2);
  constexpr double kNear = 1e-6;
  out.at_edge = out.d < kLeast + kNear || out.d > kMost - kNear;
  out.se = 1 / (2 * std::sqrt(static_cast<double>(out.bandwidth)));
  const double t = out.d / out.se;
  out.reading = out.at_edge   ? "at the edge of its range: not a stationary series"
                : out.d > 0.5 ? "memory too long for a stationary series"
                : t > 1.96    ? "long memory"
                : t < -1.96   ? "less than no memory: over-differenced?"
                              : "no long memory";
  return out;
}

}  // namespace brace
