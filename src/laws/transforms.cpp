// SPDX-License-Identifier: Apache-2.0
// Covered by tests/laws/laws_test.cpp.
#include "laws/transforms.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <boost/math/special_functions/legendre.hpp>
#include <cmath>
#include <numbers>

#include "brace/laws/standard.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0::laws {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using std::numbers::pi;

// Eigenfunctions in which the effect of the estimates is told. Their share beyond falls like the
// fourth power.
constexpr int kFunctions = 48;

// Nodes u = (1 - cos a) / 2 with a of Gauss and Legendre on (0, pi), where functions with the
// logarithms of quantiles at the ends are smooth.
struct Nodes {
  std::vector<double> u, weight;
  Nodes() {
    using Rule = boost::math::quadrature::gauss<double, 20>;
    constexpr int kPanels = 8;
    const double half = pi / kPanels / 2;
    for (int panel = 0; panel < kPanels; ++panel)
      for (std::size_t i = 0; i < Rule::abscissa().size(); ++i)
        for (const double sign : {-1.0, 1.0}) {
          const double a = (2 * panel + 1) * half + sign * half * Rule::abscissa()[i];
          u.push_back((1 - std::cos(a)) / 2);
          weight.push_back(half * Rule::weights()[i] * std::sin(a) / 2);
        }
  }
};
const Nodes& nodes() {
  static const Nodes made;
  return made;
}

// Functions x nodes: each function (for Anderson-Darling over sqrt(u (1 - u)), the root of the
// weight) times the node's weight, so that a product with values at the nodes is an integral.
struct Functions {
  MatrixXd sines, legendre;
  Functions() : sines(kFunctions, nodes().u.size()), legendre(kFunctions, nodes().u.size()) {
    for (std::size_t i = 0; i < nodes().u.size(); ++i)
      for (int j = 1; j <= kFunctions; ++j) {
        const double u = nodes().u[i], w = nodes().weight[i], d = j;
        sines(j - 1, static_cast<Index>(i)) = w * std::numbers::sqrt2 * std::sin(j * pi * u);
        legendre(j - 1, static_cast<Index>(i)) = w * 2 * std::sqrt((2 * d + 1) / (d * (d + 1))) *
                                                 boost::math::legendre_p_prime(j, 2 * u - 1);
      }
  }
};
const Functions& functions() {
  static const Functions made;
  return made;
}

// Eigenvalues of diag(plain) - C W C', largest first.
Spectrum spectrum(const std::vector<double>& plain, const MatrixXd& functions, const MatrixXd& G,
                  const MatrixXd& W) {
  MatrixXd A = Eigen::Map<const Eigen::VectorXd>(plain.data(), kFunctions).asDiagonal();
  if (G.cols() > 0) {
    A -= maths::sandwich(maths::product(functions, G), W);
  }
  const Eigen::VectorXd values = maths::symmetric_eigenvalues(A);
  Spectrum out;
  for (Index j = values.size() - 1; j >= 0; --j)
    if (values(j) > 1e-9) out.lambda.push_back(values(j));
  return out;
}

double tail(const Spectrum& s, double x) {
  if (x <= 0) return 1;
  // The leading term of the tail is an upper bound far out, where the inversion loses its digits.
  double far = chi_squared_tail(x / s.lambda.front(), 1);
  for (std::size_t j = 1; j < s.lambda.size() && far < kTransformFloor; ++j)
    far /= std::sqrt(std::max(1e-3, 1 - s.lambda[j] / s.lambda.front()));
  if (far < kTransformFloor) return kTransformFloor;
  constexpr double kDepth = 24;
  constexpr int kPanels = 160;
  return std::max(kTransformFloor, invert(s, 1, kDepth, kPanels)(x));
}

}  // namespace

const std::vector<double>& transform_nodes() {
  return nodes().u;
}

const std::vector<double>& transform_weights() {
  return nodes().weight;
}

TransformLaw::TransformLaw(const MatrixXd& G, const MatrixXd& W) {
  std::vector<double> angles, sines;  // 1 / (j (j + 1)) and 1 / (pi j)^2
  double squares = pi * pi / 3 - 3, fourth = 1. / 90;
  double first = 1, inverse = 1. / 6;  // sums over all j, of which those in the list are taken off
  for (int j = 1; j <= kFunctions; ++j) {
    const double d = j;
    angles.push_back(1 / (d * (d + 1)));
    sines.push_back(1 / (pi * pi * d * d));
    first -= angles.back();
    squares -= angles.back() * angles.back();
    inverse -= sines.back();
    fourth -= sines.back() * sines.back();
  }
  anderson_darling_ = spectrum(angles, functions().legendre, G, W);
  anderson_darling_.tail = first;
  anderson_darling_.tail_squares = squares;
  cramer_von_mises_ = spectrum(sines, functions().sines, G, W);
  cramer_von_mises_.tail = inverse;
  cramer_von_mises_.tail_squares = fourth;
}

double TransformLaw::anderson_darling(double x) const {
  return tail(anderson_darling_, x);
}

double TransformLaw::cramer_von_mises(double x) const {
  return tail(cramer_von_mises_, x);
}

}  // namespace brace::inline v0::laws
