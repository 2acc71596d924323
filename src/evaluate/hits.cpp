// SPDX-License-Identifier: Apache-2.0
// Covered by tests/evaluate/scores_test.cpp.
#include "brace/evaluate/hits.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "brace/laws/standard.hpp"
#include "evaluate/rows.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0 {
namespace {

// n ln p, with 0 ln 0 = 0.
double weighted_log(double n, double p) {
  return n == 0 ? 0 : n * std::log(p);
}

// Log-likelihood of `ones` among n with probability p.
double binomial(double ones, double n, double p) {
  return weighted_log(ones, p) + weighted_log(n - ones, 1 - p);
}

std::size_t count(std::span<const unsigned char> hits) {
  return static_cast<std::size_t>(
      std::count_if(hits.begin(), hits.end(), [](unsigned char h) { return h != 0; }));
}

void finish(TestResult& test, double dof, const std::string& rejected, const std::string& kept) {
  test.dof = {dof};
  test.p_value = laws::chi_squared_tail(std::max(0.0, test.statistic), dof);
  test.reading = *test.rejects() ? rejected : kept;
}

std::string percent(double share) {
  return fmt::format("{:.3g} %", 100 * share);
}

// Du and Escanciano's H of each row.
std::vector<double> violations(std::span<const double> transforms, double alpha, const char* test) {
  require_share(test, alpha);
  require_rows(test, transforms.size());
  std::vector<double> H;
  for (const double u : transforms) H.push_back(u <= alpha ? (alpha - u) / alpha : 0);
  return H;
}

}  // namespace

TestResult hit_frequency_test(std::span<const unsigned char> hits, double expected) {
  require_share("hit frequency", expected);
  require_rows("hit frequency", hits.size());
  const auto n = static_cast<double>(hits.size()), ones = static_cast<double>(count(hits));
  TestResult test = named_test("hit-frequency", "likelihood ratio",
                               fmt::format("{} of rows are hits", percent(expected)), hits.size());
  test.statistic = 2 * (binomial(ones, n, ones / n) - binomial(ones, n, expected));
  finish(test, 1,
         fmt::format("{} of rows are hits, {} than the {} promised", percent(ones / n),
                     ones / n > expected ? "more" : "fewer", percent(expected)),
         fmt::format("{} of rows are hits, {} promised", percent(ones / n), percent(expected)));
  return test;
}

TestResult hit_independence_test(std::span<const unsigned char> hits) {
  require_rows("hit independence", hits.size());
  double n[2][2] = {};
  for (std::size_t t = 1; t < hits.size(); ++t) ++n[hits[t - 1] != 0][hits[t] != 0];
  TestResult test = named_test("hit-independence", "likelihood ratio",
                               "a hit does not depend on the row before", hits.size());
  const double after_none = n[0][0] + n[0][1], after_hit = n[1][0] + n[1][1],
               ones = n[0][1] + n[1][1], all = after_none + after_hit;
  const double apart = (after_none > 0 ? binomial(n[0][1], after_none, n[0][1] / after_none) : 0) +
                       (after_hit > 0 ? binomial(n[1][1], after_hit, n[1][1] / after_hit) : 0);
  test.statistic = 2 * (apart - binomial(ones, all, ones / all));
  finish(test, 1, "hits come in clusters: the width does not follow the volatility",
         "hits do not follow one another more than by chance");
  return test;
}

TestResult conditional_coverage(std::span<const unsigned char> hits, double expected) {
  const TestResult often = hit_frequency_test(hits, expected), alone = hit_independence_test(hits);
  TestResult test = named_test(
      "conditional-coverage", "likelihood ratio",
      fmt::format("{} of rows are hits, whatever the row before", percent(expected)), hits.size());
  test.statistic = often.statistic + alone.statistic;
  finish(test, 2,
         *often.rejects()   ? often.reading
         : *alone.rejects() ? alone.reading
                            : "number and order of the hits together are not what was promised",
         "number and order of the hits are as promised");
  return test;
}

TestResult dynamic_quantile(std::span<const unsigned char> hits, std::span<const double> quantile,
                            double expected, int lags) {
  require_share("dynamic quantile", expected);
  require_same("dynamic quantile", hits.size(), quantile.size());
  const auto q = static_cast<std::size_t>(std::max(0, lags));
  require_rows("dynamic quantile", hits.size(), q + 10);
  const auto rows = static_cast<Eigen::Index>(hits.size() - q),
             k = static_cast<Eigen::Index>(q) + 2;
  Eigen::MatrixXd X(rows, k);
  Eigen::VectorXd h(rows);
  const auto hit = [&](std::size_t t) { return (hits[t] != 0 ? 1.0 : 0.0) - expected; };
  for (Eigen::Index r = 0; r < rows; ++r) {
    const std::size_t t = static_cast<std::size_t>(r) + q;
    h(r) = hit(t);
    X(r, 0) = 1;
    for (std::size_t l = 1; l <= q; ++l) X(r, static_cast<Eigen::Index>(l)) = hit(t - l);
    X(r, k - 1) = quantile[t];
  }
  TestResult test = named_test("dynamic-quantile", "", "no earlier information predicts a hit",
                               static_cast<std::size_t>(rows));
  test.lags = lags;
  // Columns that are collinear, as where no hit came or the quantile is constant, take no degree.
  const maths::PivotedFit fit = maths::pivoted_fit(X, h);
  const Eigen::VectorXd fitted = maths::product(X, Eigen::VectorXd(fit.coefficients));
  test.statistic = fitted.squaredNorm() / (expected * (1 - expected));
  finish(test, static_cast<double>(fit.rank),
         "hits can be foretold from the hits before or the forecast itself",
         "no earlier information predicts a hit");
  return test;
}

TestResult shortfall_frequency_test(std::span<const double> transforms, double alpha) {
  const std::vector<double> H = violations(transforms, alpha, "shortfall frequency");
  const auto n = static_cast<double>(H.size());
  double mean = 0;
  for (const double v : H) mean += v / n;
  TestResult test = named_test(
      "shortfall-frequency", "normal",
      fmt::format("losses beyond the {} quantile are as large as forecast", percent(alpha)),
      H.size());
  test.statistic = std::sqrt(n) * (mean - alpha / 2) / std::sqrt(alpha * (1. / 3 - alpha / 4));
  test.p_value = laws::normal_two_sided(test.statistic);
  test.reading = !*test.rejects()   ? "losses in the tail are as large as forecast"
                 : mean > alpha / 2 ? "losses in the tail are larger or more frequent than forecast"
                                    : "losses in the tail are smaller or rarer than forecast";
  return test;
}

TestResult shortfall_independence_test(std::span<const double> transforms, double alpha, int lags) {
  const std::vector<double> H = violations(transforms, alpha, "shortfall independence");
  require_rows("shortfall independence", H.size(),
               static_cast<std::size_t>(std::max(1, lags)) + 10);
  const auto n = static_cast<double>(H.size());
  const auto covariance = [&](std::size_t l) {
    double sum = 0;
    for (std::size_t t = l; t < H.size(); ++t) sum += (H[t] - alpha / 2) * (H[t - l] - alpha / 2);
    return sum / (n - static_cast<double>(l));
  };
  TestResult test = named_test("shortfall-independence", "portmanteau",
                               "losses in the tail do not depend on those before", H.size());
  test.lags = lags;
  const double variance = covariance(0);
  for (int l = 1; l <= lags; ++l)
    test.statistic += n * std::pow(covariance(static_cast<std::size_t>(l)) / variance, 2);
  finish(test, lags, "losses in the tail come in clusters",
         "losses in the tail do not follow one another more than by chance");
  return test;
}

}  // namespace brace::inline v0
