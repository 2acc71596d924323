// SPDX-License-Identifier: Apache-2.0
// Tail probabilities of quadratic forms in normal variables, by Imhof's inversion.
//
//   Inversion law = invert({.lambda = {.5, .25}}, /*m=*/1);
//   double p = law(3.2);                       // P(.5 chi2(1) + .25 chi2(1) > 3.2)
#pragma once

#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>
#include <numbers>
#include <vector>

namespace brace::inline v0::laws {

// P(Q > x) = 1/2 + (1/pi) int_0^inf sin(phase(u) - x u / 2) / (u rho(u)) du with u = s^2, on fixed
// nodes (Imhof 1961, equation 3.2).
class Inversion {
 public:
  // `phase` and `log_rho` as functions of u; the integrand is cut at s = upper.
  template <class Phase, class LogRho>
  Inversion(const Phase& phase, const LogRho& log_rho, double upper, int panels) {
    using Rule = boost::math::quadrature::gauss<double, 15>;
    const double half = upper / panels / 2;
    for (int panel = 0; panel < panels; ++panel)
      for (std::size_t i = 0; i < Rule::abscissa().size(); ++i)
        for (const double sign : {-1.0, 1.0}) {
          if (i == 0 && sign > 0) continue;  // the rule's first node is its centre
          const double s = (2 * panel + 1) * half + sign * half * Rule::abscissa()[i];
          const double u = s * s;
          nodes_.push_back(
              {u, phase(u),
               std::exp(-log_rho(u)) * 2 / s * half * Rule::weights()[i] / std::numbers::pi});
        }
  }

  [[nodiscard]] double operator()(double x) const {
    double total = 0.5;
    for (const Node& node : nodes_) total += node.weight * std::sin(node.phase - x * node.u / 2);
    return std::clamp(total, 0.0, 1.0);
  }

 private:
  struct Node {
    double u, phase, weight;
  };
  std::vector<Node> nodes_;
};

// Quadratic form sum_j lambda_j chi2_j(m), the largest lambda first; what is left out of the sum
// enters by its first two power sums.
struct Spectrum {
  std::vector<double> lambda;
  double tail = 0, tail_squares = 0;
};

// The integrand is cut where it has fallen to exp(-depth). The panels must follow its turns, of
// which there are x upper^2 / (4 pi).
inline Inversion invert(const Spectrum& s, int m, double depth = 36, int panels = 960) {
  const auto phase = [&](double u) {
    double sum = s.tail * u;
    for (const double l : s.lambda) sum += std::atan(l * u);
    return m * sum / 2;
  };
  const auto log_rho = [&](double u) {
    double sum = s.tail_squares * u * u;
    for (const double l : s.lambda) sum += std::log1p(l * l * u * u);
    return m * sum / 4;
  };
  double upper = 1 / std::sqrt(s.lambda.front());
  while (log_rho(upper * upper) < depth && upper < 3000 / std::sqrt(s.lambda.front()))
    upper *= 1.25;
  return {phase, log_rho, upper, panels};
}

}  // namespace brace::inline v0::laws
