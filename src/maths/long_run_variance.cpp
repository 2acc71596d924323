// SPDX-License-Identifier: Apache-2.0
// Long-run variances. Covered by tests/maths/maths_test.cpp.
#include "brace/maths/long_run_variance.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/given_or.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::maths {
namespace {

using Eigen::Index;

// Own lags 1 .. p of the values from row `from` on.
Eigen::MatrixXd lags_of(const Eigen::Map<const Eigen::VectorXd>& u, Index from, int p) {
  const Index rows = u.size() - from;
  Eigen::MatrixXd X(rows, p);
  for (int j = 1; j <= p; ++j) X.col(j - 1) = u.segment(from - j, rows);
  return X;
}

}  // namespace

double long_run_variance(std::span<const double> u, int bandwidth) {
  double total = 0;
  for (int j = 0; j <= bandwidth && j < static_cast<int>(u.size()); ++j) {
    const double gamma = std::inner_product(u.begin() + j, u.end(), u.begin(), 0.0);
    total += (j == 0 ? 1 : 2 * (1 - j / (bandwidth + 1.0))) * gamma;
  }
  return total / static_cast<double>(u.size());
}

int most_spectral_order(std::size_t n) {
  return static_cast<int>(12 * std::pow(static_cast<double>(n) / 100, 0.25));
}

SpectralVariance spectral_variance(std::span<const double> u, std::optional<int> given,
                                   bool by_bic) {
  const auto n = static_cast<Index>(u.size());
  const int most = static_cast<int>(
      std::min<Index>(given_or(given, most_spectral_order(u.size()), "most", 0), n / 3));
  const Eigen::Map<const Eigen::VectorXd> all(u.data(), n);
  // The leading columns of one factorisation are the smaller models.
  const Eigen::MatrixXd X = lags_of(all, most, most);
  const Eigen::VectorXd rotated = Qr(X).rotated(all.tail(n - most));
  const auto N = static_cast<double>(n - most);
  double ssr = rotated.squaredNorm(), least = std::numeric_limits<double>::infinity();
  SpectralVariance out;
  for (int p = 0; p <= most; ++p) {
    if (p > 0) ssr -= rotated(p - 1) * rotated(p - 1);
    const double value = N * std::log(ssr / N) + (by_bic ? std::log(N) : 2) * p;
    if (value < least) {
      least = value;
      out.order = p;
    }
  }
  out.value = spectral_variance_of_order(u, out.order);
  return out;
}

double spectral_variance_of_order(std::span<const double> u, int order) {
  const auto n = static_cast<Index>(u.size());
  const Eigen::Map<const Eigen::VectorXd> all(u.data(), n);
  if (order == 0) return all.squaredNorm() / static_cast<double>(n);
  const Regression fit = regress(lags_of(all, order, order), all.tail(n - order));
  const double gain = 1 - fit.coefficients.sum();
  return fit.ssr / static_cast<double>(n - order) / (gain * gain);
}

int automatic_bandwidth(std::span<const double> u) {
  const auto n = static_cast<double>(u.size());
  const int m = static_cast<int>(4 * std::pow(n / 100, 2.0 / 9));
  double s0 = 0, s1 = 0;
  for (int j = 0; j <= m && j < static_cast<int>(u.size()); ++j) {
    const double gamma = std::inner_product(u.begin() + j, u.end(), u.begin(), 0.0);
    s0 += (j == 0 ? 1 : 2) * gamma;
    s1 += 2.0 * j * gamma;
  }
  const double ratio = s0 != 0 ? std::abs(s1 / s0) : 0;
  return static_cast<int>(std::min(1.1447 * std::pow(ratio, 2.0 / 3) * std::cbrt(n), n / 2));
}

}  // namespace brace::inline v0::maths
