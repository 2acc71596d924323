// SPDX-License-Identifier: Apache-2.0
// Moments and tests on them. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "brace/hypothesis/moments.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/laws/standard.hpp"
#include "brace/maths/long_run_variance.hpp"

namespace brace::inline v0 {
namespace {

std::vector<double> deviations(const Series& series, const Moments& m) {
  std::vector<double> d = series.present_values();
  for (double& v : d) v -= m.mean;
  return d;
}

// Of the Bartlett window in the tests on mean and symmetry.
int bandwidth_of(const Moments& m) {
  return static_cast<int>(std::floor(4 * std::pow(static_cast<double>(m.n) / 100, 2.0 / 9)));
}

// Against the normal law, both tails; the caller adds the reading.
TestResult z_test(const char* id, const char* null, double statistic, const Moments& m) {
  TestResult test;
  test.test = id;
  test.variant = "z";
  test.null = null;
  test.statistic = statistic;
  test.p_value = laws::normal_two_sided(statistic);
  test.observations = m.n;
  return test;
}

}  // namespace

namespace maths {

double median(std::vector<double> x) {
  const auto middle = x.begin() + static_cast<std::ptrdiff_t>(x.size() / 2);
  std::nth_element(x.begin(), middle, x.end());
  if (x.size() % 2 == 1) return *middle;
  return (*middle + *std::max_element(x.begin(), middle)) / 2;
}

}  // namespace maths

Moments moments(const Series& series) {
  require_usable(series, 2, "moments");
  std::vector<double> y = series.present_values();
  Moments m;
  m.n = y.size();
  const auto n = static_cast<double>(m.n);
  m.mean = std::accumulate(y.begin(), y.end(), 0.0) / n;
  double m2 = 0, m3 = 0, m4 = 0;
  for (const double v : y) {
    const double d = v - m.mean;
    m2 += d * d;
    m3 += d * d * d;
    m4 += d * d * d * d;
  }
  m.sd = std::sqrt(m2 / (n - 1));
  m.skewness = (m3 / n) / std::pow(m2 / n, 1.5);
  m.excess_kurtosis = (m4 / n) / ((m2 / n) * (m2 / n)) - 3;
  const auto [least, most] = std::minmax_element(y.begin(), y.end());
  m.min = *least;
  m.max = *most;
  m.median = maths::median(std::move(y));
  return m;
}

namespace hypothesis {

TestResult jarque_bera(const Series& series) {
  const Moments m = moments(series);
  TestResult test;
  test.test = "jarque-bera";
  test.variant = "chi-squared";
  test.null = "the values are normal";
  test.statistic = static_cast<double>(m.n) / 6 *
                   (m.skewness * m.skewness + m.excess_kurtosis * m.excess_kurtosis / 4);
  test.dof = {2};
  test.p_value = laws::chi_squared_tail(test.statistic, 2);
  test.observations = m.n;
  test.reading = !*test.rejects()          ? "no sign against a normal law"
                 : m.excess_kurtosis > 0.5 ? "not normal: the tails are heavier"
                                           : "not normal";
  return test;
}

TestResult symmetry_test(const Series& series) {
  const Moments m = moments(series);
  const std::vector<double> d = deviations(series, m);
  const auto n = static_cast<double>(m.n);
  const double variance = m.sd * m.sd * (n - 1) / n;
  // The mean is estimated as well, which takes 3 s^2 d_t off each d_t^3.
  std::vector<double> influence;
  for (const double v : d) influence.push_back(v * v * v - 3 * variance * v);
  const double mean = std::accumulate(influence.begin(), influence.end(), 0.0) / n;
  for (double& v : influence) v -= mean;
  const int bandwidth = bandwidth_of(m);
  TestResult test =
      z_test("symmetry", "the law is symmetric",
             std::sqrt(n) * m.skewness /
                 std::sqrt(maths::long_run_variance(influence, bandwidth) / std::pow(variance, 3)),
             m);
  test.variant = "t, long-run variance";
  test.bandwidth = bandwidth;
  test.reading = !*test.rejects() ? "no sign of skewness"
                 : m.skewness < 0 ? "skewed: the large moves are falls"
                                  : "skewed: the large moves are rises";
  return test;
}

TestResult kurtosis_test(const Series& series) {
  require_usable(series, 20, "a test of kurtosis");
  const Moments m = moments(series);
  const auto n = static_cast<double>(m.n);
  // Mean, variance and skewness of b2 under normality, then a cube-root transform (Anscombe and
  // Glynn 1983).
  const double mean = 3 * (n - 1) / (n + 1);
  const double variance = 24 * n * (n - 2) * (n - 3) / ((n + 1) * (n + 1) * (n + 3) * (n + 5));
  const double x = (m.excess_kurtosis + 3 - mean) / std::sqrt(variance);
  const double root_beta = 6 * (n * n - 5 * n + 2) / ((n + 7) * (n + 9)) *
                           std::sqrt(6 * (n + 3) * (n + 5) / (n * (n - 2) * (n - 3)));
  const double a = 6 + 8 / root_beta * (2 / root_beta + std::sqrt(1 + 4 / (root_beta * root_beta)));
  const double ratio = (1 - 2 / a) / (1 + x * std::sqrt(2 / (a - 4)));
  TestResult test = z_test("kurtosis", "the kurtosis is a normal law's",
                           (1 - 2 / (9 * a) - std::cbrt(ratio)) / std::sqrt(2 / (9 * a)), m);
  test.reading = !*test.rejects()        ? "tails as a normal law's"
                 : m.excess_kurtosis > 0 ? "tails heavier than a normal law's"
                                         : "tails lighter than a normal law's";
  return test;
}

TestResult mean_zero_test(const Series& series) {
  const Moments m = moments(series);
  const std::vector<double> d = deviations(series, m);
  const auto n = static_cast<double>(m.n);
  const int bandwidth = bandwidth_of(m);
  TestResult test = z_test("mean-zero", "the mean is zero",
                           m.mean / std::sqrt(maths::long_run_variance(d, bandwidth) / n), m);
  test.variant = "t, long-run variance";
  test.bandwidth = bandwidth;
  test.reading = *test.rejects() ? "the mean differs from zero" : "a mean of zero is possible";
  return test;
}

}  // namespace hypothesis
}  // namespace brace::inline v0
