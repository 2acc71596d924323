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
#include "maths/triangle.hpp"

namespace brace::inline v0::maths {
namespace {

using Eigen::Index;

// u_t on its own lags 1 .. p, from row p on.
Triangle own_lags(std::span<const double> u, Index p) {
  const Index rows = static_cast<Index>(u.size()) - p;
  if (rows >= kManyRows) {
    std::vector<Index> order;
    for (Index j = 1; j <= p; ++j) order.push_back(j);
    order.push_back(0);
    if (auto of = triangle_of(lag_products(u.data() + p, rows, p), order)) return *std::move(of);
  }
  const Eigen::Map<const Eigen::VectorXd> all(u.data(), static_cast<Index>(u.size()));
  Eigen::MatrixXd X(rows, p);
  for (Index j = 1; j <= p; ++j) X.col(j - 1) = all.segment(p - j, rows);
  const Qr qr(X);
  const Eigen::VectorXd rotated = qr.rotated(all.tail(rows));
  return {
      .R = qr.upper(), .rotated = rotated.head(p), .rest = rotated.tail(rows - p).squaredNorm()};
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
  // The leading columns of one factorisation are the smaller models.
  const Triangle of = own_lags(u, most);
  const auto N = static_cast<double>(n - most);
  double ssr = of.rest + of.rotated.squaredNorm(), least = std::numeric_limits<double>::infinity();
  SpectralVariance out;
  for (int p = 0; p <= most; ++p) {
    if (p > 0) ssr -= of.rotated(p - 1) * of.rotated(p - 1);
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
  const auto n = static_cast<double>(u.size());
  if (order == 0) return std::inner_product(u.begin(), u.end(), u.begin(), 0.0) / n;
  const Triangle of = own_lags(u, order);
  const double gain = 1 - of.R.triangularView<Eigen::Upper>().solve(of.rotated).eval().sum();
  return of.rest / (n - order) / (gain * gain);
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
