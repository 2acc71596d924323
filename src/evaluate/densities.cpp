// SPDX-License-Identifier: Apache-2.0
// Covered by tests/evaluate/scores_test.cpp.
#include "brace/evaluate/densities.hpp"

#include <algorithm>
#include <boost/math/special_functions/beta.hpp>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <numbers>
#include <numeric>
#include <vector>

#include "brace/laws/standard.hpp"
#include "evaluate/rows.hpp"
#include "families/shock_law.hpp"
#include "maths/log_mean_exp.hpp"

namespace brace::inline v0 {
namespace {

// Equally likely values that stand for a law in its continuous ranked probability score.
constexpr std::size_t kScorePoints = 100;

// How far one goes from one of n places to the next so that all are met, neighbours far apart.
std::size_t stride(std::size_t n) {
  auto step = static_cast<std::size_t>(std::numbers::phi_v<double> / 2 * static_cast<double>(n));
  while (std::gcd(step, n) != 1) ++step;
  return step;
}

struct Ar1 {
  double mean, variance, log_likelihood;
};

// Exact normal AR(1) likelihood, mean and variance of the innovations concentrated out unless they
// are given.
Ar1 ar1_likelihood(const std::vector<double>& x, double rho, bool standard) {
  const auto n = static_cast<double>(x.size());
  double mean = 0;
  if (!standard) {
    // Generalised least squares: the first row weighs 1 - rho^2, the differences (1 - rho)^2.
    double sum = (1 - rho * rho) * x[0], weight = 1 - rho * rho;
    for (std::size_t t = 1; t < x.size(); ++t) {
      sum += (1 - rho) * (x[t] - rho * x[t - 1]);
      weight += (1 - rho) * (1 - rho);
    }
    mean = sum / weight;
  }
  double squares = (1 - rho * rho) * (x[0] - mean) * (x[0] - mean);
  for (std::size_t t = 1; t < x.size(); ++t)
    squares += std::pow(x[t] - mean - rho * (x[t - 1] - mean), 2);
  const double variance = standard ? 1 : squares / n;
  return {mean, variance,
          -0.5 * (n * std::log(2 * std::numbers::pi * variance) - std::log(1 - rho * rho) +
                  squares / variance)};
}

}  // namespace

double crps_normal(double actual, double mean, double sd) {
  const double w = (actual - mean) / sd;
  const double density = std::exp(-0.5 * w * w) / std::sqrt(2 * std::numbers::pi);
  return sd * (w * (2 * laws::normal_cdf(w) - 1) + 2 * density - 1 / std::sqrt(std::numbers::pi));
}

double crps_student(double actual, double mean, double sd, double nu) {
  const ShockLaw& law = shock_law(Student{});
  const std::span<const double> shape(&nu, 1);
  // In units of sd, and x in those of the law that is not of unit variance.
  const double z = (actual - mean) / sd, scale = std::sqrt((nu - 2) / nu), x = z / scale;
  const double density = scale * std::exp(law.log_density(z, shape)),
               half = boost::math::beta(0.5, 0.5 * nu);
  return sd * scale *
         (x * (2 * law.cdf(z, shape) - 1) +
          2 / (nu - 1) *
              (density * (nu + x * x) -
               std::sqrt(nu) * boost::math::beta(0.5, nu - 0.5) / (half * half)));
}

double crps(std::span<double> values, double actual) {
  require_rows("crps", values.size(), 1);
  std::sort(values.begin(), values.end());
  const auto n = static_cast<double>(values.size());
  // E|X - y| - E|X - X'| / 2, the second from the order statistics.
  double to_actual = 0, between = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    to_actual += std::abs(values[i] - actual);
    between += values[i] * (2 * static_cast<double>(i) + 1 - n);
  }
  return to_actual / n - between / (n * n);
}

BerkowitzTest berkowitz(std::span<const double> transforms) {
  require_rows("berkowitz", transforms.size());
  std::vector<double> x;
  for (const double u : transforms)
    x.push_back(laws::normal_quantile(std::clamp(u, 1e-15, 1 - 1e-15)));
  const auto [rho, minus_l] = boost::math::tools::brent_find_minima(
      [&](double r) { return -ar1_likelihood(x, r, false).log_likelihood; }, -0.9999, 0.9999, 52);
  const Ar1 best = ar1_likelihood(x, rho, false);
  BerkowitzTest b;
  b.mean = best.mean;
  b.variance = best.variance;
  b.ar1 = rho;
  b.log_likelihood = -minus_l;
  b.all = named_test("berkowitz", "", "the forecast distributions are right", x.size());
  b.memory =
      named_test("berkowitz", "memory", "transforms do not depend on the one before", x.size());
  b.all.statistic = 2 * (b.log_likelihood - ar1_likelihood(x, 0, true).log_likelihood);
  b.all.dof = {3};
  b.all.p_value = laws::chi_squared_tail(b.all.statistic, 3);
  b.memory.statistic = 2 * (b.log_likelihood - ar1_likelihood(x, 0, false).log_likelihood);
  b.memory.dof = {1};
  b.memory.p_value = laws::chi_squared_tail(std::max(0.0, b.memory.statistic), 1);
  b.all.reading = *b.all.rejects() ? "the outcomes do not follow the forecast distributions"
                                   : "no evidence against the forecast distributions";
  b.memory.reading = *b.memory.rejects()
                         ? "an outcome predicts where in its distribution the next one falls"
                         : "outcomes do not depend on the one before";
  return b;
}

DensityScore score_density(const NextRow& next, double actual) {
  require_rows("score_density", next.parts.size(), 1);
  const ShockLaw& law = shock_law(next.shocks);
  const auto parts = static_cast<double>(next.parts.size());
  // Quantiles of each part, those of different parts at different places: together of every place
  // between 0 and 1.
  const std::size_t of_each = (kScorePoints + next.parts.size() - 1) / next.parts.size();
  const std::size_t step = stride(next.parts.size());
  const bool student = std::holds_alternative<Student>(next.shocks),
             closed = next.parts.size() == 1 && (student || law.shapes.empty());
  DensityScore score;
  std::vector<double> logs, values;
  for (std::size_t p = 0; p < next.parts.size(); ++p) {
    const NextRow::Part& part = next.parts[p];
    const double sd = std::sqrt(part.variance), z = (actual - part.mean) / sd;
    score.transform += law.cdf(z, part.shape) / parts;
    logs.push_back(law.log_density(z, part.shape) - std::log(sd));
    const double place = (static_cast<double>(p * step % next.parts.size()) + 0.5) / parts;
    for (std::size_t i = 0; i < of_each && !closed; ++i)
      values.push_back(part.mean + sd * law.quantile((static_cast<double>(i) + place) /
                                                         static_cast<double>(of_each),
                                                     part.shape));
  }
  score.log_score = maths::log_mean_exp(logs);
  const NextRow::Part& first = next.parts.front();
  const double sd = std::sqrt(first.variance);
  score.crps = !closed   ? crps(values, actual)
               : student ? crps_student(actual, first.mean, sd, first.shape[0])
                         : crps_normal(actual, first.mean, sd);
  return score;
}

}  // namespace brace::inline v0
