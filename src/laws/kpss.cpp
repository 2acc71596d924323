// SPDX-License-Identifier: Apache-2.0
// KPSS and Nyblom limit laws by inversion of its characteristic function; tests/laws/laws_test.cpp.
#include "brace/laws/kpss.hpp"

#include <algorithm>
#include <array>
#include <boost/math/quadrature/gauss.hpp>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <complex>
#include <mutex>
#include <numbers>
#include <optional>
#include <vector>

#include "brace/laws/standard.hpp"

namespace brace::inline v0::laws {
namespace {

using std::numbers::pi;
using Complex = std::complex<double>;
constexpr Complex kI{0, 1};

// log(sin w) for w with positive imaginary part, without overflow: sin w = (i/2) e^{-iw} (1 -
// e^{2iw}).
Complex log_sin(Complex w) {
  return std::log(Complex(0, 0.5)) - kI * w + std::log(1.0 - std::exp(2.0 * kI * w));
}

// log of the characteristic function at t = s^2, with a continuous imaginary part, w = (1 + i) s.
Complex log_cf_level(double s) {
  const Complex w = Complex(1, 1) * s;
  return 0.5 * (std::log(w) - log_sin(w));
}

// sin w - w cos w = (e^{-iw} / 2) [(i - w) - e^{2iw} (i + w)]; the bracket tends to i - w.
Complex log_cf_trend(double s) {
  const Complex w = Complex(1, 1) * (s / 2);
  if (std::abs(w) < 0.5) {  // cancellation near 0: the power series of the determinant
    const Complex y = w * w;
    const Complex series =
        (1.0 - y / 6.0 + y * y / 120.0 - y * y * y / 5040.0 + y * y * y * y / 362880.0) *
        (1.0 - y / 10.0 + y * y / 280.0 - y * y * y / 15120.0 + y * y * y * y / 1330560.0);
    return -0.5 * std::log(series);
  }
  const Complex bracket = (kI - w) - std::exp(2.0 * kI * w) * (kI + w);
  Complex log_bracket = std::log(bracket);
  // i - w wanders from the upper left to the lower left quadrant: its phase is taken in (0, 2 pi),
  // which keeps it continuous and, with the other terms, joins the phase 0 of D(0) = 1.
  if (log_bracket.imag() < 0) log_bracket += 2 * pi * kI;
  return -0.5 * (std::log(1.5) - 4.0 * std::log(w) + log_sin(w) - kI * w + log_bracket);
}

// Gil-Pelaez: P(Q > x) = 1/2 + (1/pi) int_0^inf Im[cf(t) e^{-i t x}] / t dt, with t = s^2.
class TailLaw {
 public:
  // `copies` independent ones are summed.
  TailLaw(Complex (*log_cf)(double), int copies, double upper, int panels) {
    using Rule = boost::math::quadrature::gauss<double, 15>;
    const double half = upper / panels / 2;
    for (int panel = 0; panel < panels; ++panel) {
      const double middle = (2 * panel + 1) * half;
      for (std::size_t i = 0; i < Rule::abscissa().size(); ++i)
        for (const double sign : {-1.0, 1.0}) {
          if (i == 0 && sign > 0) continue;  // the rule's first node is its centre
          const double s = middle + sign * half * Rule::abscissa()[i];
          const Complex log_value = static_cast<double>(copies) * log_cf(s);
          nodes_.push_back({s * s, log_value.imag(),
                            std::exp(log_value.real()) * 2 / s * half * Rule::weights()[i] / pi});
        }
    }
  }

  [[nodiscard]] double operator()(double x) const {
    double total = 0.5;
    for (const Node& node : nodes_) total += node.weight * std::sin(node.phase - x * node.t);
    return total;
  }

 private:
  struct Node {
    double t, phase, weight;
  };
  std::vector<Node> nodes_;
};

struct Usual {
  double p, level, trend;
};

}  // namespace

double kpss_p(double x, bool with_trend) {
  if (x <= 0) return 1;
  // P ~ C P(chi2_1 > x / lambda_1): the largest eigenvalue is 1/pi^2 (level) or 1/(4 pi^2) (trend),
  // and C = prod_{j >= 2} (1 - lambda_j / lambda_1)^(-1/2).
  const double far = with_trend ? 2.5651 * chi_squared_tail(4 * pi * pi * x, 1)
                                : std::numbers::sqrt2 * chi_squared_tail(pi * pi * x, 1);
  if (far < kKpssSwitch) return far;
  // The integrand falls like exp(-s/2) (level) or exp(-s) (trend) and turns 2 x s radians a unit of
  // s: with these panels a turn takes at least 15 nodes wherever the integrand exceeds 1e-13.
  static const TailLaw level(log_cf_level, 1, 64, 2560);
  static const TailLaw trend(log_cf_trend, 1, 64, 2560);
  return std::min(1.0, with_trend ? trend(x) : level(x));
}

double kpss_critical(double p, bool with_trend) {
  // The usual levels, by the search below (a test repeats it): it costs some milliseconds.
  constexpr Usual kUsual[] = {{0.01, 0.743459313752145, 0.217746747225536},
                              {0.05, 0.461361293605199, 0.147890491093263},
                              {0.1, 0.347304920191313, 0.119220191553888}};
  for (const Usual& usual : kUsual)
    if (usual.p == p) return with_trend ? usual.trend : usual.level;
  return kpss_critical_by_search(p, with_trend);
}

double kpss_critical_by_search(double p, bool with_trend) {
  const auto over = [&](double x) { return kpss_p(x, with_trend) - p; };
  boost::math::tools::eps_tolerance<double> close(40);
  std::uintmax_t steps = 100;
  const auto [low, high] = boost::math::tools::toms748_solve(over, 1e-3, 10.0, close, steps);
  return (low + high) / 2;
}

double nyblom_p(double x, int k) {
  if (x <= 0) return 1;
  // One law a dimension, made when first asked for; the integrand falls like exp(-k s/2). It turns
  // the slower the smaller x and k are: up to 1, where most statistics lie, a quarter of the panels
  // or half of them give the same to 1e-12 for up to five parameters.
  struct Laws {
    explicit Laws(int k)
        : small(log_cf_level, k, 64.0, k < 4 ? 640 : 1280), any(log_cf_level, k, 64.0, 2560) {}
    TailLaw small, any;
  };
  static std::array<std::once_flag, kMostNyblom> made;
  static std::array<std::optional<Laws>, kMostNyblom> laws;
  const auto at = static_cast<std::size_t>(k - 1);
  std::call_once(made.at(at), [&] { laws[at].emplace(k); });
  return std::clamp(x <= 1 && k <= 5 ? laws[at]->small(x) : laws[at]->any(x), 0.0, 1.0);
}

}  // namespace brace::inline v0::laws
