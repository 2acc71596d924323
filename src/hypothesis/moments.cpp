// SPDX-License-Identifier: Apache-2.0
// Moments and tests on them. Covered by tests/hypothesis/moments_test.cpp.
#include "brace/hypothesis/moments.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/laws/standard.hpp"
#include "brace/maths/long_run_variance.hpp"

namespace brace {

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
  std::sort(y.begin(), y.end());
  m.min = y.front();
  m.max = y.back();
  m.median = (y[(m.n - 1) / 2] + y[m.n / 2]) / 2;
  return m;
}

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

TestResult mean_zero(const Series& series) {
  const Moments m = moments(series);
  std::vector<double> d = series.present_values();
  for (double& v : d) v -= m.mean;
  const auto n = static_cast<double>(m.n);
  TestResult test;
  test.test = "mean-zero";
  test.variant = "t, long-run variance";
  test.null = "the mean is zero";
  test.bandwidth = static_cast<int>(std::floor(4 * std::pow(n / 100, 2.0 / 9)));
  test.statistic = m.mean / std::sqrt(long_run_variance(d, *test.bandwidth) / n);
  test.p_value = laws::normal_two_sided(test.statistic);
  test.observations = m.n;
  test.reading = *test.rejects() ? "the mean differs from zero" : "a mean of zero is possible";
  return test;
}

}  // namespace brace
