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
#include <utility>
#include <vector>

namespace brace::inline v0::laws {

// P(Q > x) = 1/2 + (1/pi) int_0^inf sin(phase(u) - x u / 2) / (u rho(u)) du with u = s^2, on fixed
// nodes (Imhof 1961, equation 3.2).
class Inversion {
 public:
  // `phase_and_log_rho` as a function of u; the integrand is cut at s = upper.
  template <class PhaseAndLogRho>
  Inversion(const PhaseAndLogRho& phase_and_log_rho, double upper, int panels) {
    using Rule = boost::math::quadrature::gauss<double, 15>;
    const double half = upper / panels / 2;
    for (int panel = 0; panel < panels; ++panel)
      for (std::size_t i = 0; i < Rule::abscissa().size(); ++i)
        for (const double sign : {-1.0, 1.0}) {
          if (i == 0 && sign > 0) continue;  // the rule's first node is its centre
          const double s = (2 * panel + 1) * half + sign * half * Rule::abscissa()[i];
          const double u = s * s;
          const auto [phase, log_rho] = phase_and_log_rho(u);
          nodes_.push_back(
              {u, phase,
               std::exp(-log_rho) * 2 / s * half * Rule::weights()[i] / std::numbers::pi});
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

// Sum of atan(l u) and of log(1 + l^2 u^2) over the lambdas: argument and logarithm of the product
// of all 1 + i l u. Each factor turns it on by less than a quarter, so that every change of sign of
// its imaginary part is half a turn, and one arc tangent tells the rest.
struct SpectrumSums {
  double angle = 0, log_square = 0;
};
inline SpectrumSums sums_at(const Spectrum& s, double u) {
  constexpr double kLarge = 1e100;
  SpectrumSums out;
  double re = 1, im = 0;
  for (const double l : s.lambda) {
    const double a = l * u, before = re, above = im;
    re -= im * a;
    im += before * a;
    if ((above < 0) != (im < 0)) out.angle += std::numbers::pi;
    if (const double size = std::abs(re) + std::abs(im); size > kLarge) {
      re /= size;
      im /= size;
      out.log_square += 2 * std::log(size);
    }
  }
  out.angle += im < 0 ? std::atan2(-im, -re) : std::atan2(im, re);
  out.log_square += std::log(re * re + im * im);
  return out;
}

// The integrand is cut where it has fallen to exp(-depth). The panels must follow its turns, of
// which there are x upper^2 / (4 pi).
inline Inversion invert(const Spectrum& s, int m, double depth = 36, int panels = 960) {
  const auto log_rho = [&](double u) {
    return m * (s.tail_squares * u * u + sums_at(s, u).log_square) / 4;
  };
  double upper = 1 / std::sqrt(s.lambda.front());
  while (log_rho(upper * upper) < depth && upper < 3000 / std::sqrt(s.lambda.front()))
    upper *= 1.25;
  return {[&](double u) {
            const SpectrumSums at = sums_at(s, u);
            return std::pair(m * (s.tail * u + at.angle) / 2,
                             m * (s.tail_squares * u * u + at.log_square) / 4);
          },
          upper, panels};
}

}  // namespace brace::inline v0::laws
