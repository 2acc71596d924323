// SPDX-License-Identifier: Apache-2.0
// Step-down, step-up and companion roots. Covered by tests/maths/maths_test.cpp.
#include "brace/maths/lag_polynomial.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

namespace brace::inline v0::maths {

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

std::optional<std::vector<double>> sections_from_coefficients(std::span<const double> c) {
  std::vector<std::complex<double>> pairs;
  std::vector<double> real;
  for (const std::complex<double>& root : inverse_roots(c)) {
    if (!(std::abs(root) < 1)) return std::nullopt;
    if (root.imag() > 0) pairs.push_back(root);
    if (root.imag() == 0) real.push_back(root.real());
  }
  std::sort(pairs.begin(), pairs.end(),
            [](const auto& a, const auto& b) { return std::arg(a) < std::arg(b); });
  // The nearest neighbours share a section: two that meet and turn complex stay in it.
  std::sort(real.begin(), real.end());
  std::vector<double> r;
  const auto add = [&r](double sum, double product) {  // of the two inverse roots
    r.push_back(sum / (1 + product));
    r.push_back(-product);
  };
  for (const std::complex<double>& root : pairs) add(2 * root.real(), std::norm(root));
  while (real.size() > 1) {
    auto first = real.begin();
    for (auto at = real.begin(); at + 1 != real.end(); ++at)
      if (at[1] - at[0] < first[1] - first[0]) first = at;
    add(first[0] + first[1], first[0] * first[1]);
    real.erase(first, first + 2);
  }
  r.insert(r.end(), real.begin(), real.end());
  return r;
}

std::vector<double> coefficients_from_sections(std::span<const double> r) {
  std::vector<double> product;
  for (std::size_t at = 0; at < r.size(); at += 2) {
    const std::vector<double> factor =
        coefficients_from_partials(r.subspan(at, std::min<std::size_t>(2, r.size() - at)));
    // (1 - p(B)) (1 - f(B)) = 1 - (p + f - p f)
    std::vector<double> next(product.size() + factor.size(), 0.0);
    for (std::size_t i = 0; i < product.size(); ++i) next[i] += product[i];
    for (std::size_t j = 0; j < factor.size(); ++j) {
      next[j] += factor[j];
      for (std::size_t i = 0; i < product.size(); ++i) next[i + j + 1] -= product[i] * factor[j];
    }
    product = std::move(next);
  }
  return product;
}

namespace {
// Of a quasi-triangular matrix: its diagonal blocks are a real eigenvalue or a conjugate pair.
std::vector<std::complex<double>> eigenvalues_of_blocks(const Eigen::MatrixXd& T) {
  std::vector<std::complex<double>> values;
  for (Eigen::Index i = 0; i < T.rows(); ++i) {
    if (i + 1 == T.rows() || T(i + 1, i) == 0) {
      values.emplace_back(T(i, i));
      continue;
    }
    const double half = (T(i, i) - T(i + 1, i + 1)) / 2;
    const double imaginary = std::sqrt(std::abs(half * half + T(i + 1, i) * T(i, i + 1)));
    values.emplace_back(T(i + 1, i + 1) + half, imaginary);
    values.emplace_back(T(i + 1, i + 1) + half, -imaginary);
    ++i;
  }
  return values;
}
}  // namespace

std::vector<std::complex<double>> inverse_roots(std::span<const double> c) {
  const auto p = static_cast<Eigen::Index>(c.size());
  if (p == 0) return {};
  if (p == 1) return {c[0]};
  Eigen::MatrixXd companion = Eigen::MatrixXd::Zero(p, p);
  for (Eigen::Index i = 0; i < p; ++i) companion(0, i) = c[static_cast<std::size_t>(i)];
  companion.bottomLeftCorner(p - 1, p - 1).setIdentity();
  // A companion matrix is Hessenberg as it stands, so the QR algorithm can start from it; Eigen's
  // general eigenvalues would first reduce it and take twelve seconds more to compile.
  const double scale = companion.cwiseAbs().maxCoeff();
  companion /= scale;
  Eigen::RealSchur<Eigen::MatrixXd> schur(p);
  schur.computeFromHessenberg(companion, companion, false);
  return eigenvalues_of_blocks(schur.matrixT() * scale);
}

double largest_inverse_root(std::span<const double> c) {
  double largest = 0;
  for (const std::complex<double>& root : inverse_roots(c))
    largest = std::max(largest, std::abs(root));
  return largest;
}

}  // namespace brace::inline v0::maths
