// SPDX-License-Identifier: Apache-2.0
// Local Whittle. Covered by tests/hypothesis/reference_test.cpp and first_look_test.cpp.
#include "brace/hypothesis/memory.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/constants/constants.hpp>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <complex>
#include <limits>
#include <numeric>
#include <tuple>
#include <unsupported/Eigen/FFT>
#include <vector>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

constexpr double kLeast = -0.5, kMost = 1;
constexpr double kTwoPi = boost::math::double_constants::two_pi;

// The sums over t of x_t exp(i t l_j), j = 1 .. m, one after another: t l_j is a whole multiple of
// 2 pi / n, so that one table of n angles serves all frequencies and no rounding builds up along t.
std::vector<std::complex<double>> plain_sums(const std::vector<double>& x, std::size_t m) {
  const std::size_t n = x.size();
  std::vector<std::complex<double>> turn(n), out;
  for (std::size_t k = 0; k < n; ++k)
    turn[k] = std::polar(1.0, kTwoPi * static_cast<double>(k) / static_cast<double>(n));
  for (std::size_t j = 1; j <= m; ++j) {
    double re = 0, im = 0;
    std::size_t at = 0;
    for (std::size_t t = 0; t < n; ++t) {
      re += x[t] * turn[at].real();
      im += x[t] * turn[at].imag();
      at += j;
      if (at >= n) at -= n;
    }
    out.emplace_back(re, im);
  }
  return out;
}

// The same as one convolution, for long series: t j = (t^2 + j^2 - (t - j)^2) / 2 (Bluestein 1970).
// Squares are reduced modulo 2n before they become angles.
std::vector<std::complex<double>> chirp_sums(const std::vector<double>& x, std::size_t m) {
  const std::size_t n = x.size();
  std::size_t length = 1;
  while (length < n + m + 1) length *= 2;
  const auto chirp = [n](std::size_t k) {
    const std::size_t square = k % (2 * n) * (k % (2 * n)) % (2 * n);
    return std::polar(1.0, kTwoPi / 2 * static_cast<double>(square) / static_cast<double>(n));
  };
  std::vector<std::complex<double>> signal(length), filter(length), spectrum, response;
  for (std::size_t t = 0; t < n; ++t) signal[t] = x[t] * chirp(t);
  for (std::size_t k = 0; k < n; ++k) filter[(length - k) % length] = std::conj(chirp(k));
  for (std::size_t k = 1; k <= m; ++k) filter[k] = std::conj(chirp(k));
  Eigen::FFT<double> fft;
  fft.fwd(spectrum, signal);
  fft.fwd(response, filter);
  for (std::size_t k = 0; k < length; ++k) spectrum[k] *= response[k];
  fft.inv(signal, spectrum);
  std::vector<std::complex<double>> out;
  for (std::size_t j = 1; j <= m; ++j) out.push_back(signal[j] * chirp(j));
  return out;
}

// I_j = |sum_t x_t exp(i t l_j)|^2 / (2 pi n) at l_j = 2 pi j / n, j = 1 .. m, x less its mean.
std::vector<double> periodogram(std::vector<double> x, int m) {
  const auto n = static_cast<double>(x.size());
  const double mean = std::accumulate(x.begin(), x.end(), 0.0) / n;
  for (double& v : x) v -= mean;
  // Below some ten thousand values the plain sums cost next to nothing.
  constexpr double kMuchWork = 1e7;
  const auto frequencies = static_cast<std::size_t>(m);
  std::vector<double> out;
  for (const std::complex<double>& sum :
       n* m < kMuchWork ? plain_sums(x, frequencies) : chirp_sums(x, frequencies))
    out.push_back(std::norm(sum) / (kTwoPi * n));
  return out;
}

}  // namespace

MemoryEstimate local_whittle(const Series& series, std::optional<int> bandwidth) {
  require_usable(series, 50, "a long-memory estimate");
  const std::vector<double> x = series.present_values();
  const auto n = static_cast<double>(x.size());
  MemoryEstimate out;
  out.of = series.name;
  out.observations = x.size();
  out.bandwidth = given_or(bandwidth, static_cast<int>(std::floor(std::pow(n, 0.65))), "bandwidth");
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

}  // namespace brace::inline v0
