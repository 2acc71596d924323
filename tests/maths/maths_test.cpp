// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "brace/maths/lag_polynomial.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/maths/random.hpp"
#include "maths/band_cholesky.hpp"
#include "maths/quantiles.hpp"
#include "maths/regression.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

TEST(Regression, AgreesWithTheNormalEquations) {
  maths::RandomStream stream(5, 0);
  Eigen::MatrixXd X(60, 3);
  Eigen::VectorXd y(60);
  for (int i = 0; i < 60; ++i) {
    X.row(i) << 1, i, stream.normal();
    y(i) = 2 - .1 * i + .5 * X(i, 2) + stream.normal();
  }
  const maths::Regression r = maths::regress(X, y);
  const Eigen::MatrixXd inverse =
      (X.transpose() * X).inverse();  // a second route, fine on 3 columns
  const Eigen::VectorXd b = inverse * X.transpose() * y;
  const double s2 = (y - X * b).squaredNorm() / 57;
  EXPECT_EQ(r.rank, 3);
  for (int j = 0; j < 3; ++j) {
    EXPECT_NEAR(r.coefficients(j), b(j), 1e-10);
    EXPECT_NEAR(r.errors(j), std::sqrt(s2 * inverse(j, j)), 1e-10);
  }
  EXPECT_NEAR((X.transpose() * r.residuals).cwiseAbs().maxCoeff(), 0, 1e-9)
      << "orthogonal to the terms";
}

// A column that is 18 powers of ten smaller than another is no combination of it.
TEST(Regression, DoesNotDependOnUnits) {
  maths::RandomStream stream(5, 1);
  Eigen::MatrixXd X(60, 3);
  Eigen::VectorXd y(60);
  for (int i = 0; i < 60; ++i) {
    X.row(i) << 1, stream.normal(), stream.normal();
    y(i) = 1 + X(i, 1) - .3 * X(i, 2) + stream.normal();
  }
  const Eigen::Vector3d units(1, 1e-18, 1e20);
  const maths::Regression one = maths::regress(X, y),
                          other = maths::regress(X * units.asDiagonal(), y);
  EXPECT_EQ(other.rank, 3);
  EXPECT_NEAR(other.ssr, one.ssr, 1e-10 * one.ssr);
  for (int j = 0; j < 3; ++j) {
    EXPECT_NEAR(other.coefficients(j) * units(j), one.coefficients(j), 1e-10);
    EXPECT_NEAR(other.errors(j) * units(j), one.errors(j), 1e-10);
  }
  EXPECT_EQ(maths::pivoted_rank(X * units.asDiagonal()), 3);
  const maths::PivotedFit fit = maths::pivoted_fit(X * units.asDiagonal(), y);
  EXPECT_EQ(fit.rank, 3);
  EXPECT_NEAR(fit.coefficients(1, 0) * 1e-18, one.coefficients(1), 1e-10);
  Eigen::MatrixXd with_zeros = X;
  with_zeros.col(1).setZero();
  EXPECT_EQ(maths::regress(with_zeros, y).rank, 2);
}

TEST(Regression, SaysWhenRowsOrTermsDoNotSuffice) {
  EXPECT_EQ(test::error_of([] {
              (void)maths::regress(Eigen::MatrixXd::Ones(3, 3), Eigen::VectorXd::Ones(3));
            }).code(),
            ErrorCode::too_few_observations);
  Eigen::MatrixXd twice(10, 2);
  twice.col(0).setLinSpaced(0, 1);
  twice.col(1) = 2 * twice.col(0);
  const maths::Regression r = maths::regress(twice, Eigen::VectorXd::LinSpaced(10, 0, 1));
  EXPECT_EQ(r.rank, 1);
  EXPECT_EQ(r.errors.size(), 0) << "no errors that mean nothing";
}

TEST(LongRunVariance, IsTheWeightedSumWrittenOut) {
  const std::vector<double> u{1, -2, 3, .5};
  const double g0 = (1 + 4 + 9 + .25) / 4, g1 = (-2 - 6 + 1.5) / 4, g2 = (3 - 1) / 4.0;
  EXPECT_DOUBLE_EQ(maths::long_run_variance(u, 0), g0);
  EXPECT_DOUBLE_EQ(maths::long_run_variance(u, 2), g0 + 2 * (2.0 / 3 * g1 + 1.0 / 3 * g2));
}

TEST(LagPolynomial, StepDownAndStepUpAreInverse) {
  maths::RandomStream stream(1, 0);
  for (int trial = 0; trial < 200; ++trial) {
    std::vector<double> r(1 + static_cast<std::size_t>(trial % 6));
    for (double& v : r) v = 1.98 * stream.uniform() - .99;
    const auto c = maths::coefficients_from_partials(r);
    EXPECT_LT(maths::largest_inverse_root(c), 1)
        << "partials inside the unit circle give a stationary polynomial";
    const auto back = maths::partial_autocorrelations(c);
    ASSERT_TRUE(back);
    // The step-down divides by prod (1 - r^2), which is down to 2e-2 each here.
    for (std::size_t i = 0; i < r.size(); ++i)
      EXPECT_NEAR((*back)[i], r[i], 1e-6) << "trial " << trial;
  }
  EXPECT_FALSE(maths::partial_autocorrelations(std::vector{1.5, -.4}));
  EXPECT_FALSE(maths::partial_autocorrelations(std::vector{1.0}));
}

TEST(LagPolynomial, IsTheProductOfItsSections) {
  maths::RandomStream stream(6, 0);
  for (std::size_t p = 1; p <= 7; ++p)
    for (int trial = 0; trial < 20; ++trial) {
      std::vector<double> partials(p);
      for (double& r : partials) r = 1.9 * stream.uniform() - .95;
      const std::vector<double> c = maths::coefficients_from_partials(partials);
      const auto sections = maths::sections_from_coefficients(c);
      ASSERT_TRUE(sections && sections->size() == p);
      for (const double r : *sections) EXPECT_LT(std::abs(r), 1);
      const std::vector<double> back = maths::coefficients_from_sections(*sections);
      for (std::size_t i = 0; i < p; ++i) EXPECT_NEAR(back[i], c[i], 1e-9) << p;
    }
  // By hand: (1 - .5 B)(1 - 1.2 B + .72 B^2), the complex pair first.
  const auto by_hand = maths::sections_from_coefficients(std::vector{1.7, -1.32, .36});
  ASSERT_TRUE(by_hand);
  EXPECT_NEAR((*by_hand)[0], 1.2 / 1.72, 1e-12);
  EXPECT_NEAR((*by_hand)[1], -.72, 1e-12);
  EXPECT_NEAR((*by_hand)[2], .5, 1e-12);
  EXPECT_FALSE(maths::sections_from_coefficients(std::vector{1.5, -.4}));
}

TEST(LagPolynomial, RootsOfKnownPolynomials) {
  // 1 - 1.2 B + .35 B^2 = (1 - .7 B)(1 - .5 B)
  EXPECT_NEAR(maths::largest_inverse_root(std::vector{1.2, -.35}), .7, 1e-14);
  EXPECT_NEAR(maths::largest_inverse_root(std::vector{0.0, .64}), .8, 1e-14);
  EXPECT_EQ(maths::largest_inverse_root({}), 0);
}

TEST(Random, StreamsAreFixedAndDiffer) {
  maths::RandomStream a(1, 0), same(1, 0), other_stream(1, 1), other_seed(2, 0);
  for (int i = 0; i < 5; ++i) {
    const double u = a.uniform();
    EXPECT_EQ(u, same.uniform());
    EXPECT_NE(u, other_stream.uniform());
    EXPECT_NE(u, other_seed.uniform());
    EXPECT_GT(u, 0);
    EXPECT_LT(u, 1);
  }
}

// Means of n draws of variance v and of squared draws: bands of 4.06 standard errors, two-sided p
// 5e-5 each.
TEST(Random, MomentsOfTheLaws) {
  constexpr int n = 400000;
  maths::RandomStream stream(17, 0);
  const auto check = [&](const char* law, double fourth, auto draw) {
    double sum = 0, squares = 0;
    for (int i = 0; i < n; ++i) {
      const double z = draw();
      sum += z;
      squares += z * z;
    }
    // Normal quantile of 5e-5 in units of the mean's error.
    EXPECT_NEAR(sum / n, 0, 4.06 * std::sqrt(1.0 / n)) << law;
    EXPECT_NEAR(squares / n, 1, 4.06 * std::sqrt((fourth - 1) / n)) << law;
  };
  check("normal", 3, [&] { return stream.normal(); });
  check("student 10", 3 + 6.0 / 6, [&] { return stream.student(10); });
  check("student 500", 3 + 6.0 / 496, [&] { return stream.student(500); });
}

TEST(Quantiles, LieBetweenTheOrderStatisticsAndCoverWhatTheySay) {
  const std::vector<double> orders{.025, .1, .5, .5, .9, .975};
  double inside = 0;
  constexpr int kSamples = 4000;
  for (int s = 0; s < 400; ++s) {
    maths::RandomStream u(3, static_cast<std::uint64_t>(s));
    // Few; and so many that a sample tells where to look, in order, in steps and with one value.
    std::vector<double> values(static_cast<std::size_t>(s % 2 == 0 ? 1 + s % 60 : 1950 + s));
    for (double& v : values) v = s % 3 == 0 ? std::floor(5 * u.uniform()) : u.uniform();
    if (s % 10 == 1) std::sort(values.begin(), values.end());
    if (s % 10 == 3) std::fill(values.begin(), values.end(), 7.);
    std::vector<double> sorted = values;
    std::sort(sorted.begin(), sorted.end());
    const std::vector<double> q = maths::quantiles(values, orders);
    const auto n = static_cast<double>(values.size());
    for (std::size_t i = 0; i < orders.size(); ++i) {
      const double at = std::clamp(orders[i] * (n + 1) - 1, 0.0, n - 1);
      const auto low = static_cast<std::size_t>(at);
      const std::size_t high = std::min(low + 1, values.size() - 1);
      EXPECT_DOUBLE_EQ(q[i], sorted[low] + (at - std::floor(at)) * (sorted[high] - sorted[low]))
          << s << ' ' << orders[i];
    }
  }
  // Of 19 draws an interval between the 1st and the 19th covers another 18 of 20 times.
  for (int s = 0; s < kSamples; ++s) {
    maths::RandomStream u(4, static_cast<std::uint64_t>(s));
    std::vector<double> values(19);
    for (double& v : values) v = u.uniform();
    const double ends[] = {.05, .95};
    const std::vector<double> q = maths::quantiles(values, ends);
    inside += q[1] - q[0];  // the chance of the next one
  }
  EXPECT_NEAR(inside / kSamples, .9, .003);
}

// Against the full factor and inverse, for bands from a diagonal to the whole.
TEST(BandCholesky, IsTheFullOneWithinTheBand) {
  for (const Eigen::Index band : {0, 1, 4, 9, 19}) {
    const Eigen::Index m = 20;
    maths::RandomStream stream(5, static_cast<std::uint64_t>(band));
    Eigen::MatrixXd A = Eigen::MatrixXd::Zero(m, m), lower = Eigen::MatrixXd::Zero(band + 1, m);
    for (Eigen::Index j = 0; j < m; ++j)
      for (Eigen::Index d = 0; d <= std::min(band, m - 1 - j); ++d) {
        const double v = d == 0 ? 3.0 + static_cast<double>(band) : stream.normal() / 2;
        A(j + d, j) = A(j, j + d) = lower(d, j) = v;
      }
    maths::BandCholesky of;
    of.compute(lower);
    ASSERT_TRUE(of.ok()) << band;
    const Eigen::MatrixXd inverse = A.inverse(), b = Eigen::MatrixXd::Random(m, 3);
    EXPECT_LT((of.solve(b) - inverse * b).norm(), 1e-12) << band;
    EXPECT_NEAR(of.log_determinant(), std::log(A.determinant()), 1e-10) << band;
    Eigen::MatrixXd kept;
    of.inverse_in_band(kept);
    for (Eigen::Index j = 0; j < m; ++j)
      for (Eigen::Index d = 0; d <= std::min(band, m - 1 - j); ++d)
        EXPECT_NEAR(kept(d, j), inverse(j + d, j), 1e-12) << band;
    lower(0, 7) = -1;
    of.compute(lower);
    EXPECT_FALSE(of.ok()) << "not positive definite";
  }
}

// Every order statistic by bins is that of the sorted values, whatever their law: heavy tails, few
// distinct values, one value, already sorted.
TEST(OrderStatistics, AreThoseOfTheSortedValues) {
  maths::RandomStream random(5, 1);
  for (const int law : {0, 1, 2, 3, 4})
    for (const std::size_t n : {1u, 2u, 399u, 400u, 1250u, 20000u}) {
      std::vector<double> values(n);
      for (std::size_t i = 0; i < n; ++i)
        values[i] = law == 0   ? random.normal()
                    : law == 1 ? std::pow(random.uniform(), -3)
                    : law == 2 ? std::floor(4 * random.uniform())
                    : law == 3 ? 7
                               : static_cast<double>(i);
      std::vector<double> sorted = values;
      std::sort(sorted.begin(), sorted.end());
      std::vector<std::size_t> ranks{0, n - 1, n / 2, n / 100, n - 1 - n / 200, n / 3};
      const std::vector<double> found = maths::order_statistics(values, ranks);
      for (std::size_t i = 0; i < ranks.size(); ++i)
        EXPECT_EQ(found[i], sorted[ranks[i]]) << law << ' ' << n << ' ' << ranks[i];
      const std::size_t count = n / 20 + 1;
      double sum = 0;
      for (std::size_t i = 0; i < count; ++i) sum += sorted[i];
      EXPECT_NEAR(maths::mean_of_lowest(values, count, sorted[count - 1]),
                  sum / static_cast<double>(count), 1e-12 * (1 + std::abs(sum)));
    }
}

}  // namespace
}  // namespace brace
