// SPDX-License-Identifier: Apache-2.0
// Step-down, step-up and companion roots. Covered by tests/maths/maths_test.cpp.
#include "brace/maths/lag_polynomial.hpp"

#include <Eigen/Eigenvalues>
#include <cmath>

namespace brace {

std::optional<std::vector<double>> partial_autocorrelations(std::span<const double> c) {
  std::vector<double> now(c.begin(), c.end());
  std::vector<double> partials(c.size());
  for (std::size_t k = c.size(); k-- > 0;) {
    const double r = now[k];
    if (!(std::abs(r) < 1)) return std::nullopt;
    partials[k] = r;
    const std::vector<double> before(now.begin(), now.begin() + static_cast<std::ptrdiff_t>(k));
    for (std::size_t i = 0; i < k; ++i) now[i] = (before[i] + r * before[k - 1 - i]) / (1 - r * r);
  }
  return partials;
}

std::vector<double> coefficients_from_partials(std::span<const double> r) {
  std::vector<double> c;
  c.reserve(r.size());
  for (std::size_t k = 0; k < r.size(); ++k) {
    const std::vector<double> before = c;
    for (std::size_t i = 0; i < k; ++i) c[i] = before[i] - r[k] * before[k - 1 - i];
    c.push_back(r[k]);
  }
  return c;
}

std::vector<std::complex<double>> inverse_roots(std::span<const double> c) {
  const auto p = static_cast<Eigen::Index>(c.size());
  if (p == 0) return {};
  Eigen::MatrixXd companion = Eigen::MatrixXd::Zero(p, p);
  for (Eigen::Index i = 0; i < p; ++i) companion(0, i) = c[static_cast<std::size_t>(i)];
  companion.bottomLeftCorner(p - 1, p - 1).setIdentity();
  const Eigen::VectorXcd roots = companion.eigenvalues();
  return {roots.begin(), roots.end()};
}

double largest_inverse_root(std::span<const double> c) {
  double largest = 0;
  for (const std::complex<double>& root : inverse_roots(c))
    largest = std::max(largest, std::abs(root));
  return largest;
}

}  // namespace brace
