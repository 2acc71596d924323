// SPDX-License-Identifier: Apache-2.0
// Covered by tests/evaluate/scores_test.cpp.
#include "brace/evaluate/contest.hpp"

#include <algorithm>
#include <cmath>

#include "base/given_or.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"
#include "evaluate/rows.hpp"

namespace brace::inline v0 {

TestResult diebold_mariano(std::span<const double> loss_a, std::span<const double> loss_b,
                           int horizon, bool corrected) {
  require_same("diebold-mariano", loss_a.size(), loss_b.size());
  require_rows("diebold-mariano", loss_a.size());
  const auto n = static_cast<double>(loss_a.size());
  std::vector<double> d;
  double mean = 0;
  for (std::size_t t = 0; t < loss_a.size(); ++t) {
    d.push_back(loss_a[t] - loss_b[t]);
    mean += d.back() / n;
  }
  const auto covariance = [&](std::size_t l) {
    double sum = 0;
    for (std::size_t t = l; t < d.size(); ++t) sum += (d[t] - mean) * (d[t - l] - mean);
    return sum / n;
  };
  const auto lags = static_cast<std::size_t>(std::max(1, horizon)) - 1;
  const auto long_run = [&](bool bartlett) {
    double sum = covariance(0);
    for (std::size_t l = 1; l <= std::min(lags, d.size() - 1); ++l)
      sum += 2 * covariance(l) *
             (bartlett ? 1 - static_cast<double>(l) / static_cast<double>(lags + 1) : 1);
    return sum;
  };
  double variance = long_run(false);
  const bool plain = variance > 0;
  if (!plain) variance = long_run(true);
  TestResult test = named_test("diebold-mariano", corrected ? "corrected" : "normal",
                               "both forecasts have the same expected loss", d.size());
  test.bandwidth = static_cast<int>(lags);
  if (!(variance > 0)) {
    test.reading = "the losses are the same on every row";
    test.p_value = 1;
    return test;
  }
  test.statistic = mean / std::sqrt(variance / n);
  if (corrected) {
    const double h = std::max(1, horizon);
    test.statistic *= std::sqrt((n + 1 - 2 * h + h * (h - 1) / n) / n);
    test.dof = {n - 1};
    const double nu = n - 1;
    test.p_value =
        2 * laws::unit_student_cdf(-std::abs(test.statistic) * std::sqrt((nu - 2) / nu), nu);
  } else {
    test.p_value = laws::normal_two_sided(test.statistic);
  }
  test.reading = !*test.rejects() ? "the difference may be chance"
                 : mean < 0       ? "the first forecast is the better one"
                                  : "the second forecast is the better one";
  return test;
}

ConfidenceSet model_confidence_set(const std::vector<std::vector<double>>& losses,
                                   const ConfidenceSetOptions& options) {
  const std::size_t models = losses.size();
  if (models == 0)
    throw Error(ErrorCode::bad_option, "model confidence set: give the losses of a model");
  const std::size_t n = losses.front().size();
  for (const std::vector<double>& loss : losses)
    require_same("model confidence set", loss.size(), n);
  require_rows("model confidence set", n);
  require_share("model confidence set", options.alpha);
  ConfidenceSet out;
  const auto by_rows = static_cast<std::size_t>(std::ceil(std::cbrt(static_cast<double>(n))));
  const auto overlap = static_cast<std::size_t>(std::max(1, options.horizon));
  out.block = std::min(n, given_or(options.block, std::max(overlap, by_rows), "block"));
  const auto B = static_cast<std::size_t>(std::max(100, options.resamples));
  // Means of every model's losses, and of their resamples: the blocks are the same for all.
  std::vector<double> mean(models, 0);
  std::vector<std::vector<double>> resampled(models, std::vector<double>(B, 0));
  std::vector<std::vector<double>> cumulated(models, std::vector<double>(2 * n + 1, 0));
  for (std::size_t m = 0; m < models; ++m) {
    for (std::size_t t = 0; t < 2 * n; ++t)  // in a circle
      cumulated[m][t + 1] = cumulated[m][t] + losses[m][t % n];
    mean[m] = cumulated[m][n] / static_cast<double>(n);
  }
  maths::RandomStream u(options.seed, 0);
  for (std::size_t b = 0; b < B; ++b)
    for (std::size_t done = 0; done < n; done += out.block) {
      const auto from = static_cast<std::size_t>(u.uniform() * static_cast<double>(n));
      const std::size_t rows = std::min(out.block, n - done);
      for (std::size_t m = 0; m < models; ++m)
        resampled[m][b] +=
            (cumulated[m][from + rows] - cumulated[m][from]) / static_cast<double>(n);
    }
  out.p_values.assign(models, 1);
  out.floor = 1.0 / options.resamples;
  std::vector<std::size_t> left(models);
  for (std::size_t m = 0; m < models; ++m) left[m] = m;
  double p = 0;
  while (left.size() > 1) {
    const auto size = static_cast<double>(left.size());
    double all = 0;
    std::vector<double> all_resampled(B, 0);
    for (const std::size_t m : left) {
      all += mean[m] / size;
      for (std::size_t b = 0; b < B; ++b) all_resampled[b] += resampled[m][b] / size;
    }
    std::vector<double> largest(B, -std::numeric_limits<double>::infinity());
    double worst = -std::numeric_limits<double>::infinity();
    std::size_t out_of = 0;
    for (std::size_t i = 0; i < left.size(); ++i) {
      const std::size_t m = left[i];
      const double away = mean[m] - all;
      double variance = 0;
      for (std::size_t b = 0; b < B; ++b) {
        const double moved = resampled[m][b] - all_resampled[b] - away;
        variance += moved * moved / static_cast<double>(B);
      }
      const double sd = std::sqrt(variance);
      const double t = sd > 0 ? away / sd : 0;
      if (t > worst) {
        worst = t;
        out_of = i;
      }
      for (std::size_t b = 0; b < B; ++b)
        largest[b] =
            std::max(largest[b], sd > 0 ? (resampled[m][b] - all_resampled[b] - away) / sd : 0);
    }
    const auto above =
        std::count_if(largest.begin(), largest.end(), [&](double v) { return v >= worst; });
    // A model's p-value is no smaller than that of the ones that went before it.
    p = std::max(p, static_cast<double>(above) / static_cast<double>(B));
    out.p_values[left[out_of]] = p;
    left.erase(left.begin() + static_cast<std::ptrdiff_t>(out_of));
  }
  for (const double value : out.p_values) out.within.push_back(value >= options.alpha);
  return out;
}

}  // namespace brace::inline v0
