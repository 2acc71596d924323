// SPDX-License-Identifier: Apache-2.0
// Covered by tests/forecast/methods_test.cpp; coverage in docs/coverage.md.
#include "forecast/studentised.hpp"
#include "maths/dense.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

// How far the estimates are moved to see what their errors do, in standard errors, and which part
// of the paths is used for it.
constexpr double kMoved = 0.25;
constexpr std::size_t kPerErrorPath = 4;
// Draws from the likelihood, and paths of each.
constexpr std::size_t kSampled = 1000, kSampledPaths = 16;
// Share of the largest variance of the estimates under which a direction is pinned.
constexpr double kPinned = 1e-12;

// A refit on a bound has no standard error, and its forecast error is many times the spread it
// expected: the least share of the sample's own spread that is meant.
constexpr double kLeastSpread = 1.0 / 3;

double of_path(const Cloud& cloud, std::size_t k, std::size_t path) {
  return std::log(k < cloud.variances.size() ? cloud.variances[k][path]
                                             : cloud.total_variance[path]);
}

}  // namespace

LogVolatilityOf::LogVolatilityOf(const Model& model, const Columns& columns,
                                 const ForecastOptions& options, std::size_t paths)
    : horizon_(static_cast<std::size_t>(options.horizon)),
      paths_(paths),
      first_variance_(options.first_variance),
      rules_(model),
      maker_(model, horizon_, columns),
      scratch_(horizon_, paths, paths, false) {}

bool LogVolatilityOf::mean_from(std::span<const double> theta, const Past& start,
                                const ShockSource& shocks, maths::RandomStream stream,
                                std::size_t count, std::vector<double>& mean) {
  if (!maker_.run(theta, start, shocks, stream, count, scratch_, 0, first_variance_)) return false;
  mean.assign(horizon_ + 1, 0.0);
  for (std::size_t k = 0; k <= horizon_; ++k)
    for (std::size_t p = 0; p < count; ++p)
      mean[k] += of_path(scratch_, k, p) / static_cast<double>(count);
  return true;
}

std::optional<LogVolatility> LogVolatilityOf::of(const Fit& fit, maths::RandomStream& stream) {
  if (fit.covariance.empty()) return {};
  const ShockSource shocks(shock_law(fit.model.shocks), ShockSource::of_fit(fit));
  Origin origin(fit);
  const Past start = origin.at_estimates();
  const std::vector<double> estimate = fit.estimates();
  LogVolatility out;
  if (!mean_from(estimate, start, shocks, stream, paths_, out.mean)) return {};
  std::vector<double> variance(horizon_ + 1, 0.0);
  for (std::size_t k = 0; k <= horizon_; ++k)
    for (std::size_t p = 0; p < paths_; ++p) {
      const double away = of_path(scratch_, k, p) - out.mean[k];
      variance[k] += away * away / static_cast<double>(paths_ - 1);
    }
  // Along each principal direction of the estimates' errors, in units of their standard errors, so
  // that the unit of the data does not matter; under the same shocks.
  std::vector<double> centre, above, below;
  if (!mean_from(estimate, start, shocks, stream, paths_ / kPerErrorPath, centre)) return {};
  const MatrixXd V = maths::to_eigen(fit.covariance);
  const Eigen::VectorXd se = V.diagonal().cwiseMax(0).cwiseSqrt();
  const Eigen::VectorXd per_se = (se.array() > 0).select(se.cwiseInverse(), 0);
  const maths::Eigensystem errors =
      maths::symmetric_eigen(per_se.asDiagonal() * V * per_se.asDiagonal());
  for (Index i = 0; i < errors.values.size(); ++i) {
    if (!(errors.values(i) > kPinned * errors.values.maxCoeff())) continue;
    const auto moved = [&](double side, std::vector<double>& mean) {
      std::vector<double> theta = estimate;
      const double step = side * kMoved * std::sqrt(errors.values(i));
      for (std::size_t j = 0; j < theta.size(); ++j)
        theta[j] += step * se(static_cast<Index>(j)) * errors.vectors(static_cast<Index>(j), i);
      Past there;
      return !rules_.broken_by(theta) && origin.at(theta, there) &&
             mean_from(theta, there, shocks, stream, paths_ / kPerErrorPath, mean);
    };
    const bool up = moved(1, above), down = moved(-1, below);
    if (!up && !down) continue;
    // Beside a bound there is one side only.
    const double apart = kMoved * (up && down ? 2 : 1);
    for (std::size_t k = 0; k <= horizon_; ++k) {
      const double slope = ((up ? above[k] : centre[k]) - (down ? below[k] : centre[k])) / apart;
      variance[k] += slope * slope;
    }
  }
  for (const double v : variance) out.sd.push_back(std::sqrt(v));
  (void)stream.uniform();  // the next fit's paths are others
  return out;
}

std::optional<LogVolatility> LogVolatilityOf::of(const Fit& fit, const LikelihoodSample& sample,
                                                 maths::RandomStream& stream) {
  const ShockSource shocks(shock_law(fit.model.shocks), ShockSource::of_fit(fit));
  Origin origin(fit);
  std::vector<double> theta = fit.estimates(), sum(horizon_ + 1, 0.0), squares = sum;
  double paths = 0;
  for (std::size_t d = 0; d < kSampled; ++d) {
    sample.draw(stream, d % maths::kRandomStreams, theta);
    Past there;
    if (!origin.at(theta, there) ||
        !maker_.run(theta, there, shocks, stream, kSampledPaths, scratch_, 0, first_variance_))
      continue;
    paths += kSampledPaths;
    for (std::size_t k = 0; k <= horizon_; ++k)
      for (std::size_t p = 0; p < kSampledPaths; ++p) {
        const double l = of_path(scratch_, k, p);
        sum[k] += l;
        squares[k] += l * l;
      }
  }
  if (paths == 0) return {};
  LogVolatility out;
  for (std::size_t k = 0; k <= horizon_; ++k) {
    const double mean = sum[k] / paths;
    out.sd.push_back(std::sqrt(std::max(0.0, squares[k] / paths - mean * mean)));
  }
  // Refits are off from what their estimates say.
  if (!mean_from(fit.estimates(), origin.at_estimates(), shocks, stream, paths_, out.mean))
    return {};
  return out;
}

StudentisedPaths::StudentisedPaths(const Fit& fit, const LogVolatility& own, const Columns& columns,
                                   const ForecastOptions& options, std::size_t paths_a_draw)
    : estimate_(fit.estimates()),
      first_variance_(options.first_variance),
      own_(own),
      spread_(fit.model, columns, options, LogVolatilityOf::kOfARefit),
      maker_(fit.model, static_cast<std::size_t>(options.horizon), columns),
      truth_(static_cast<std::size_t>(options.horizon), paths_a_draw, paths_a_draw, false) {}

bool StudentisedPaths::replace(const Refitted& refitted, const ShockSource& shocks,
                               maths::RandomStream& stream, Cloud& cloud, std::size_t first,
                               std::size_t count) {
  const std::optional<LogVolatility> expected = spread_.of(refitted.fit, stream);
  if (!expected ||
      !maker_.run(estimate_, refitted.end, shocks, stream, count, truth_, 0, first_variance_))
    return false;
  const auto of_step = [](Cloud& in, std::size_t k) -> std::vector<double>& {
    return k < in.variances.size() ? in.variances[k] : in.total_variance;
  };
  for (std::size_t k = 0; k < own_.mean.size(); ++k) {
    const double spread = std::max(expected->sd[k], kLeastSpread * own_.sd[k]);
    for (std::size_t p = 0; p < count; ++p) {
      const double off = of_path(truth_, k, p) - expected->mean[k];
      // A variance that is given is off by nothing.
      const double h = std::exp(own_.mean[k] + (spread > 0 ? own_.sd[k] * off / spread : 0));
      if (!std::isfinite(h)) return false;
      of_step(truth_, k)[p] = h;
    }
  }
  for (std::size_t k = 0; k < own_.mean.size(); ++k)
    std::copy_n(of_step(truth_, k).begin(), count,
                of_step(cloud, k).begin() + static_cast<std::ptrdiff_t>(first));
  return true;
}

}  // namespace brace::inline v0
