// SPDX-License-Identifier: Apache-2.0
// The shock laws for the engine; their kernels are the headers beside this file.
#include "families/shock_law.hpp"

#include <boost/math/special_functions/gamma.hpp>
#include <cmath>
#include <iterator>
#include <numbers>

#include "brace/laws/standard.hpp"
#include "families/ged.hpp"
#include "families/normal.hpp"
#include "families/skew_student.hpp"
#include "families/student.hpp"

namespace brace::inline v0 {

extern const ShockLaw kNormalLaw, kStudentLaw, kGedLaw, kSkewStudentLaw;

namespace {

// 1 / nu instead of nu: near the normal limit the likelihood is nearly quadratic in it.
ShapeCoordinate reciprocal(double low, double high, double start, double plain, const char* at_low,
                           const char* at_high, bool (*admits)(double), const char* rule,
                           bool high_explains_all = false) {
  return {.shape = [](double w) { return 1 / w; },
          .slope = [](double w) { return -1 / (w * w); },
          .bend = [](double w) { return 2 / (w * w * w); },
          .working = [](double nu) { return 1 / nu; },
          .low = low,
          .high = high,
          .start = start,
          .plain = plain,
          .at_low = at_low,
          .at_high = at_high,
          .admits = admits,
          .rule = rule,
          .high_explains_all = high_explains_all};
}

const ShapeCoordinate kTails = reciprocal(
    .001, .488, .125, .001, "the shocks are as good as normal: take normal",
    "the tails are so heavy that the variance hardly exists",
    [](double nu) { return nu >= 1 / .488 && std::isfinite(nu); }, "nu is at least 2.05", true);

const ShapeCoordinate kPeak = reciprocal(
    .05, 1, .7, .5, "the shocks are as good as uniform",
    "the shocks are as peaked as Laplace's; below 1 the likelihood has a cusp at every value of "
    "the "
    "series",
    [](double nu) { return nu >= 1 && nu <= 1000; }, "nu lies between 1 and 1000");

const ShapeCoordinate kSkew{.shape = [](double w) { return w; },
                            .slope = [](double) { return 1.0; },
                            .bend = [](double) { return 0.0; },
                            .working = [](double skew) { return skew; },
                            .low = -.99,
                            .high = .99,
                            .start = 0,
                            .plain = 0,
                            .at_low = "nearly all shocks are falls",
                            .at_high = "nearly all shocks are rises",
                            .admits = [](double skew) { return std::abs(skew) < 1; },
                            .rule = "skew lies between -1 and 1"};

// Scale of the generalised error law.
double ged_scale(double nu) {
  return std::exp(0.5 * (log_gamma(1 / nu) - log_gamma(3 / nu)) - std::log(2.0) / nu);
}

double ged_cdf(double z, double nu) {
  const double inside = boost::math::gamma_p(1 / nu, std::pow(std::abs(z) / ged_scale(nu), nu) / 2);
  return 0.5 * (z < 0 ? 1 - inside : 1 + inside);
}

double ged_quantile(double p, double nu) {
  // From the far tail 1 - 2 p has lost the digits of p, and is 1 in the end.
  constexpr double kFar = 1e-6;
  const double outside = 2 * std::min(p, 1 - p);
  const double gamma = outside < kFar ? boost::math::gamma_q_inv(1 / nu, outside)
                                      : boost::math::gamma_p_inv(1 / nu, std::abs(2 * p - 1));
  const double size = ged_scale(nu) * std::pow(2 * gamma, 1 / nu);
  return p < 0.5 ? -size : size;
}

double ged_mean_below(double z, double nu) {
  const double scale = ged_scale(nu);
  const double mean_absolute =
      scale * std::exp(std::numbers::ln2 / nu + log_gamma(2 / nu) - log_gamma(1 / nu));
  return -0.5 * mean_absolute * boost::math::gamma_q(2 / nu, std::pow(std::abs(z) / scale, nu) / 2);
}

// -|z / scale|^nu / 2, all of ln f that moves with z. Its kink has the slope of its right side.
RoughPower ged_peak(double nu) {
  const double weight = -0.5 * std::pow(ged_scale(nu), -nu);
  return {nu, weight, weight, nu <= 1 ? weight : 0};
}

double student_log_density(double z, double nu) {
  return student_constant<Order::value>(nu).value - 0.5 * (nu + 1) * std::log1p(z * z / (nu - 2));
}

// The density falls as a power of (nu - 2 + z^2), whose derivative is z times the next power.
double student_mean_below(double z, double nu) {
  return -std::exp(student_log_density(z, nu)) * (nu - 2 + z * z) / (nu - 1);
}

// Hansen's law is a two-piece law y = a + b z.
struct TwoPieces {
  double a, b, left;  // left: share of the left piece
};
TwoPieces two_pieces(double nu, double skew) {
  const double c = std::exp(log_gamma((nu + 1) / 2) - log_gamma(nu / 2) -
                            0.5 * std::log(std::numbers::pi * (nu - 2)));
  const double a = 4 * skew * c * (nu - 2) / (nu - 1);
  return {a, std::sqrt(1 + 3 * skew * skew - a * a), (1 - skew) / 2};
}

double skew_student_cdf(double z, double nu, double skew) {
  const TwoPieces law = two_pieces(nu, skew);
  const double y = law.a + law.b * z;
  return y < 0 ? (1 - skew) * laws::unit_student_cdf(y / (1 - skew), nu)
               : (1 + skew) * laws::unit_student_cdf(y / (1 + skew), nu) - skew;
}

double skew_student_quantile(double p, double nu, double skew) {
  const TwoPieces law = two_pieces(nu, skew);
  const double y = p < law.left
                       ? (1 - skew) * laws::unit_student_quantile(p / (1 - skew), nu)
                       : (1 + skew) * laws::unit_student_quantile((p + skew) / (1 + skew), nu);
  return (y - law.a) / law.b;
}

// Each piece is a Student law whose scale is its width.
double skew_student_mean_below(double z, double nu, double skew) {
  const TwoPieces law = two_pieces(nu, skew);
  const double y = law.a + law.b * z, left = 1 - skew, right = 1 + skew;
  const double below =
      y < 0 ? left * left * student_mean_below(y / left, nu)
            : left * left * student_mean_below(0, nu) +
                  right * right * (student_mean_below(y / right, nu) - student_mean_below(0, nu));
  return (below - law.a * skew_student_cdf(z, nu, skew)) / law.b;
}

}  // namespace

const ShockLaw kNormalLaw{
    .shapes = {},
    .contains = std::nullopt,
    .symmetric = true,
    .draw = [](maths::RandomStream& stream, std::span<const double>) { return stream.normal(); },
    .draw_many =
        [](maths::RandomStream& stream, std::span<const double>, std::span<double> z) {
          for (double& v : z) v = stream.quick_normal();
        },
    .quantile = [](double p, std::span<const double>) { return laws::normal_quantile(p); },
    .cdf = [](double z, std::span<const double>) { return laws::normal_cdf(z); },
    .log_density = [](double z, std::span<const double>) { return -0.5 * (kLogTwoPi + z * z); },
    .mean_below = [](double z,
                     std::span<const double>) { return -std::exp(-0.5 * (kLogTwoPi + z * z)); },
    .score = [](double z, std::span<const double>) { return -z; }};

const ShockLaw kStudentLaw{
    .shapes = {kTails},
    .contains = Normal{},
    .symmetric = true,
    .draw = [](maths::RandomStream& stream,
               std::span<const double> s) { return stream.student(s[0]); },
    .draw_many = [](maths::RandomStream& stream, std::span<const double> s,
                    std::span<double> z) { stream.quick_student(s[0], z); },
    .quantile = [](double p,
                   std::span<const double> s) { return laws::unit_student_quantile(p, s[0]); },
    .cdf = [](double z, std::span<const double> s) { return laws::unit_student_cdf(z, s[0]); },
    .log_density = [](double z, std::span<const double> s) { return student_log_density(z, s[0]); },
    .mean_below = [](double z, std::span<const double> s) { return student_mean_below(z, s[0]); },
    .score = [](double z,
                std::span<const double> s) { return -(s[0] + 1) * z / (s[0] - 2 + z * z); }};

// Up to here the peak of ged is as good as a kink.
constexpr double kAsPeaked = 1.1;

// Drawn by their quantiles: one uniform a shock.
const ShockLaw kGedLaw{
    .shapes = {kPeak},
    .contains = Normal{},
    .symmetric = true,
    .draw = [](maths::RandomStream& stream,
               std::span<const double> s) { return ged_quantile(stream.uniform(), s[0]); },
    .draw_many =
        [](maths::RandomStream& stream, std::span<const double> s, std::span<double> z) {
          // |z / lambda|^nu / 2 is a gamma of shape 1 / nu.
          const double r = 1 / s[0], lambda = std::exp(-std::numbers::ln2 * r +
                                                       0.5 * (log_gamma(r) - log_gamma(3 * r)));
          for (double& v : z) {
            const double size = lambda * std::pow(2 * stream.quick_gamma(r), r);
            v = stream.uniform() < 0.5 ? -size : size;
          }
        },
    .quantile = [](double p, std::span<const double> s) { return ged_quantile(p, s[0]); },
    .cdf = [](double z, std::span<const double> s) { return ged_cdf(z, s[0]); },
    .log_density = [](double z,
                      std::span<const double> s) { return GedDensity<double>(s.data()).value(z); },
    .mean_below = [](double z, std::span<const double> s) { return ged_mean_below(z, s[0]); },
    .score = [](double z, std::span<const double> s) { return ged_peak(s[0]).at(z).slope; },
    .rough = [](std::span<const double> s) { return ged_peak(s[0]); },
    .kinks = [](std::span<const double> s) { return s[0] <= kAsPeaked; }};

// A Student shock of unit variance, put on either piece as often as that is wide.
double on_a_piece(const TwoPieces& law, double skew, double student, double uniform) {
  const double size = std::abs(student);
  return ((uniform < law.left ? (skew - 1) * size : (1 + skew) * size) - law.a) / law.b;
}

const ShockLaw kSkewStudentLaw{
    .shapes = {kTails, kSkew},
    .contains = Student{},
    .symmetric = false,
    .draw =
        [](maths::RandomStream& stream, std::span<const double> s) {
          const double student = stream.student(s[0]);
          return on_a_piece(two_pieces(s[0], s[1]), s[1], student, stream.uniform());
        },
    .draw_many =
        [](maths::RandomStream& stream, std::span<const double> s, std::span<double> z) {
          const TwoPieces law = two_pieces(s[0], s[1]);
          for (double& v : z) {
            const double student = stream.quick_student(s[0]);
            v = on_a_piece(law, s[1], student, stream.uniform());
          }
        },
    .quantile = [](double p,
                   std::span<const double> s) { return skew_student_quantile(p, s[0], s[1]); },
    .cdf = [](double z, std::span<const double> s) { return skew_student_cdf(z, s[0], s[1]); },
    .log_density =
        [](double z, std::span<const double> s) {
          return SkewStudentDensity<double>(s.data()).value(z);
        },
    .mean_below = [](double z,
                     std::span<const double> s) { return skew_student_mean_below(z, s[0], s[1]); },
    .score =
        [](double z, std::span<const double> s) {
          const TwoPieces law = two_pieces(s[0], s[1]);
          const double piece = law.a + law.b * z < 0 ? 1 - s[1] : 1 + s[1],
                       w = (law.a + law.b * z) / piece;
          return -(s[0] + 1) * w / (s[0] - 2 + w * w) * law.b / piece;
        }};

const ShockLaw& shock_law(const Shocks& shocks) {
  static const ShockLaw* const laws[] = {&kNormalLaw, &kStudentLaw, &kGedLaw, &kSkewStudentLaw};
  static_assert(std::size(laws) == std::variant_size_v<Shocks>);
  return *laws[shocks.index()];
}

}  // namespace brace::inline v0
