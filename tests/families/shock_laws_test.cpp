// SPDX-License-Identifier: Apache-2.0
// Every shock law has unit variance whatever its shape; its quantiles, draws and moments are those
// of its density; and the moments that variance equations need come with right derivatives.
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "brace/maths/random.hpp"
#include "families/shock_law.hpp"
#include "families/shock_moments.hpp"

namespace brace {
namespace {

struct LawCase {
  const char* name;
  Shocks law;
  std::vector<double> shape;
};
void PrintTo(const LawCase& c, std::ostream* out) {
  *out << c.name;
}

class Law : public testing::TestWithParam<LawCase> {
 protected:
  const Shocks& law = GetParam().law;
  const std::vector<double>& shape = GetParam().shape;

  // E f(z) 1(from < z < to) by the midpoint rule in arsinh z, with so many points that it needs no
  // care.
  template <class F>
  [[nodiscard]] double mean(F&& f, double from = -1e9, double to = 1e9) const {
    constexpr int kPoints = 400000;
    const double low = std::asinh(from), step = (std::asinh(to) - low) / kPoints;
    double sum = 0;
    for (int i = 0; i < kPoints; ++i) {
      const double u = low + (i + .5) * step, z = std::sinh(u);
      sum += f(z) * law_density(law, shape, z) * std::cosh(u);
    }
    return sum * step;
  }
};

TEST_P(Law, HasMeanZeroAndUnitVariance) {
  // The midpoint rule on 400,000 points: its error at a kink of the density.
  EXPECT_NEAR(mean([](double) { return 1; }), 1, 1e-7);
  EXPECT_NEAR(mean([](double z) { return z; }), 0, 1e-7);
  // A tail of power nu leaves 1e9^(2 - nu) of the variance out.
  EXPECT_NEAR(mean([](double z) { return z * z; }), 1, 1e-4);
}

TEST_P(Law, MomentsAreThoseOfItsDensity) {
  // The same of a function with a kink at 0; a square also leaves its tail out.
  EXPECT_NEAR(mean_absolute(law, shape), mean([](double z) { return std::abs(z); }), 1e-6);
  EXPECT_NEAR(negative_square(law, shape), mean([](double z) { return z < 0 ? z * z : 0; }), 1e-4);
  for (const double delta : {.7, 1.5})
    for (const bool negative : {false, true})
      // The midpoint rule at a kink.
      EXPECT_NEAR(half_power(law, shape, delta, negative), mean([&](double z) {
                    return (z < 0) == negative ? std::pow(std::abs(z), delta) : 0;
                  }),
                  1e-5);
  const bool light =
      std::holds_alternative<Normal>(law) || (std::holds_alternative<Ged>(law) && shape[0] > 1);
  const ExponentialMoment moment(law, shape);
  const double exponential = moment(.2, -.1);
  EXPECT_EQ(std::isfinite(exponential), light);
  // Small arguments by a series, large ones by quadrature.
  if (light)
    for (const auto& [a, b] : {std::pair{.2, -.1}, {.01, .02}, {1.1, -.6}}) {
      const double by_hand =
          mean([a = a, b = b](double z) { return std::exp(a * std::abs(z) + b * z); }, -80, 80);
      EXPECT_NEAR(moment(a, b) / by_hand, 1, 1e-6);
    }
}

TEST_P(Law, QuantilesInvertItsDistribution) {
  for (const double p : {.001, .05, .3, .5, .77, .975, .9995}) {
    const double z = shock_law(law).quantile(p, shape);
    // The midpoint rule cut off within a step.
    EXPECT_NEAR(mean([](double) { return 1; }, -1e9, z), p, 1e-6) << p;
    EXPECT_NEAR(shock_law(law).cdf(z, shape), p, 1e-12) << p;
  }
}

TEST_P(Law, DrawsFollowIt) {
  maths::RandomStream stream(31, 0);
  constexpr int kDraws = 40000;
  std::array<int, 10> counts{};
  std::array<double, 9> edges{};
  for (std::size_t i = 0; i < edges.size(); ++i)
    edges[i] = shock_law(law).quantile(.1 * static_cast<double>(i + 1), shape);
  for (int i = 0; i < kDraws; ++i) {
    const double z = shock_law(law).draw(stream, shape);
    ++counts[static_cast<std::size_t>(std::upper_bound(edges.begin(), edges.end(), z) -
                                      edges.begin())];
  }
  double chi2 = 0;
  for (const int count : counts) chi2 += std::pow(count - kDraws / 10., 2) / (kDraws / 10.);
  EXPECT_LT(chi2, 27.9) << "the quantile of order .999 of chi2(9)";
}

INSTANTIATE_TEST_SUITE_P(
    Shapes, Law,
    testing::Values(LawCase{"normal", Normal{}, {}}, LawCase{"student3", Student{}, {3.2}},
                    LawCase{"student9", Student{}, {9}}, LawCase{"ged_peaked", Ged{}, {.8}},
                    LawCase{"ged", Ged{}, {1.4}}, LawCase{"ged_flat", Ged{}, {4}},
                    LawCase{"skew_left", SkewStudent{}, {6, -.3}},
                    LawCase{"skew_right", SkewStudent{}, {4, .6}},
                    LawCase{"skew_none", SkewStudent{}, {8, 0}}),
    [](const auto& i) { return std::string(i.param.name); });

TEST(ShockLaw, OneIsAnotherAtItsEdge) {
  const std::vector<double> two{2}, none{7, 0}, seven{7};
  for (const double z : {-2.5, -.3, .1, 1.7}) {
    EXPECT_NEAR(law_density(Ged{}, two, z), law_density(Normal{}, {}, z), 1e-14);
    EXPECT_NEAR(law_density(SkewStudent{}, none, z), law_density(Student{}, seven, z), 1e-14);
  }
}

TEST(Differences, AreThoseOfAPolynomialAndOfMoments) {
  // x^3 y^2 + 2 y z: differences of fourth order are exact but for rounding.
  const auto f = [](const std::vector<double>& v) {
    return v[0] * v[0] * v[0] * v[1] * v[1] + 2 * v[1] * v[2];
  };
  const Differences d = differences(f, {2, 3, 5}, {1, 1, 1});
  EXPECT_DOUBLE_EQ(d.value, 102);
  const std::array<double, 3> first{108, 58, 6};
  const std::array<double, 6> second{108, 72, 16, 0, 2, 0};
  for (std::size_t i = 0; i < 3; ++i) EXPECT_NEAR(d.d[i], first[i], 1e-9 * 108);
  // Second differences lose twice as many digits to rounding as first ones.
  for (std::size_t r = 0; r < 6; ++r) EXPECT_NEAR(d.d2[r], second[r], 1e-6 * 108) << r;
  // E|z| of Student: its derivative by nu from the logarithm's.
  const double nu = 5;
  const double size = mean_absolute(Student{}, std::vector{nu});
  EXPECT_NEAR(size, 2 * std::sqrt(3) * std::tgamma(3) / (4 * std::sqrt(M_PI) * std::tgamma(2.5)),
              1e-14);
  const Moment<double> m = law_moment<double>(mean_absolute, Student{}, &nu, 1);
  const double step = 1e-5;
  const double slope = (mean_absolute(Student{}, std::vector{nu + step}) -
                        mean_absolute(Student{}, std::vector{nu - step})) /
                       (2 * step);
  EXPECT_NEAR(m.d[0], slope, 1e-10);
}

}  // namespace
}  // namespace brace
