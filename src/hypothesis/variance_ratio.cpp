// SPDX-License-Identifier: Apache-2.0
// Variance ratios and their wild bootstrap. Covered by tests/hypothesis/unit_root_test.cpp.
#include "brace/hypothesis/variance_ratio.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"

namespace brace::inline v0::hypothesis {
namespace {

struct Ratio {
  double ratio = 0, z = 0, z_robust = 0;
};

// Of n increments x; `path` and `d2` are scratch of n + 1 and n.
void ratios(const std::vector<double>& x, const std::vector<int>& periods,
            std::vector<double>& path, std::vector<double>& d2, std::vector<Ratio>& out) {
  const auto n = static_cast<double>(x.size());
  path[0] = 0;
  for (std::size_t t = 0; t < x.size(); ++t) path[t + 1] = path[t] + x[t];
  const double mean = path.back() / n;
  double total = 0;
  for (std::size_t t = 0; t < x.size(); ++t) {
    const double d = x[t] - mean;
    d2[t] = d * d;
    total += d2[t];
  }
  const double one_step = total / (n - 1);
  const int longest = *std::max_element(periods.begin(), periods.end());
  std::vector<double> delta(static_cast<std::size_t>(longest));
  for (int j = 1; j < longest; ++j) {
    const auto lag = static_cast<std::size_t>(j);
    double sum = 0;
    for (std::size_t t = lag; t < x.size(); ++t) sum += d2[t] * d2[t - lag];
    delta[lag] = n * sum / (total * total);
  }
  for (std::size_t i = 0; i < periods.size(); ++i) {
    const int q = periods[i];
    const auto step = static_cast<std::size_t>(q);
    double sum = 0;
    for (std::size_t t = step; t < path.size(); ++t) {
      const double move = path[t] - path[t - step] - q * mean;
      sum += move * move;
    }
    const double m = q * (n - q + 1) * (1 - q / n);
    double theta = 0;
    for (int j = 1; j < q; ++j) {
      const double weight = 2.0 * (q - j) / q;
      theta += weight * weight * delta[static_cast<std::size_t>(j)];
    }
    Ratio& r = out[i];
    r.ratio = sum / m / one_step;
    r.z = std::sqrt(n) * (r.ratio - 1) / std::sqrt(2.0 * (2 * q - 1) * (q - 1) / (3 * q));
    r.z_robust = std::sqrt(n) * (r.ratio - 1) / std::sqrt(theta);
  }
}

double largest(const std::vector<Ratio>& rows) {
  double most = 0;
  for (const Ratio& r : rows) most = std::max(most, std::abs(r.z_robust));
  return most;
}

}  // namespace

VarianceRatio variance_ratio(const Series& level, const VarianceRatioOptions& options,
                             const Executor& executor) {
  require_usable(level, 20, "a variance ratio");
  const std::vector<double> y = level.present_values();
  std::vector<double> x;
  for (std::size_t t = 1; t < y.size(); ++t) x.push_back(y[t] - y[t - 1]);
  if (options.periods.empty() || options.draws < 99)
    throw Error(ErrorCode::bad_option,
                "a variance ratio takes one period or more and 99 bootstrap draws or more");
  for (const int q : options.periods)
    if (q < 2 || q > static_cast<int>(x.size()) / 2)
      throw Error(ErrorCode::bad_option,
                  fmt::format("periods = {}: a variance ratio of {} increments takes 2 to {}", q,
                              x.size(), x.size() / 2));
  const std::size_t count = options.periods.size();
  std::vector<double> path(x.size() + 1), d2(x.size());
  std::vector<Ratio> at(count);
  ratios(x, options.periods, path, d2, at);
  if (!(*std::max_element(d2.begin(), d2.end()) > 0))
    throw Error(ErrorCode::constant_series,
                fmt::format("{}: its increments do not vary", level.name));

  // Draws at least as far out, by stream: a period each, then the joint.
  std::vector<std::vector<int>> beyond(maths::kRandomStreams, std::vector<int>(count + 1));
  executor.for_each(maths::kRandomStreams, [&](std::size_t stream) {
    maths::RandomStream random(options.seed, stream);
    std::vector<double> signs(x.size()), its_path(x.size() + 1), its_d2(x.size());
    std::vector<Ratio> draw(count);
    for (int b = static_cast<int>(stream); b < options.draws; b += maths::kRandomStreams) {
      for (std::size_t t = 0; t < x.size(); ++t) signs[t] = random.uniform() < 0.5 ? -x[t] : x[t];
      ratios(signs, options.periods, its_path, its_d2, draw);
      for (std::size_t i = 0; i < count; ++i)
        beyond[stream][i] += std::abs(draw[i].z_robust) >= std::abs(at[i].z_robust);
      beyond[stream][count] += largest(draw) >= largest(at);
    }
  });
  const auto p_of = [&](std::size_t i) {
    int sum = 1;  // the sample itself
    for (const auto& stream : beyond) sum += stream[i];
    return static_cast<double>(sum) / (options.draws + 1);
  };
  const auto test_of = [&](const std::string& variant, double statistic, std::size_t i) {
    TestResult test;
    test.test = "variance-ratio";
    test.variant = variant;
    test.null = "the increments are uncorrelated";
    test.statistic = statistic;
    test.p_value = p_of(i);
    test.p_floor = 1.0 / (options.draws + 1);
    test.observations = x.size();
    test.reading = !*test.rejects() ? "a random walk is not rejected"
                   : statistic > 0  ? "moves go on: positive correlation"
                                    : "moves turn back: negative correlation";
    return test;
  };
  VarianceRatio out;
  for (std::size_t i = 0; i < count; ++i) {
    const Ratio& r = at[i];
    out.rows.push_back({options.periods[i], r.ratio, r.z, laws::normal_two_sided(r.z), r.z_robust,
                        laws::normal_two_sided(r.z_robust)});
    out.tests.push_back(
        test_of(fmt::format("robust z, {} steps", options.periods[i]), r.z_robust, i));
  }
  out.tests.push_back(test_of("joint", largest(at), count));
  if (*out.tests.back().rejects()) out.tests.back().reading = "a random walk is rejected";
  return out;
}

}  // namespace brace::inline v0::hypothesis
