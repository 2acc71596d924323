// SPDX-License-Identifier: Apache-2.0
// Covered by tests/forecast/.
#include "forecast/paths.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/model/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "model/admissible.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// After so many refusals in a row the draws say nothing any more.
constexpr int kMostRedraws = 1000;
// Draws in a row under which the variance leaves the range of numbers.
constexpr int kMostUnruly = 100;
// Refits of one draw that may fail before the estimates stand in.
constexpr int kMostRefits = 10;

// Draws of the parameters from a normal law around the estimates, those outside the admissible
// region drawn again.
class ParameterDraws {
 public:
  explicit ParameterDraws(const Fit& fit) : fit_(fit), centre_(fit.estimates()) {
    // Where no covariance is known draws are the estimates themselves.
    const auto k = static_cast<Index>(centre_.size());
    root_ = MatrixXd::Zero(k, k);
    if (fit.covariance.size() == 0) return;
    // The symmetric root also serves a singular covariance (held and pinned parameters).
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(fit.covariance);
    root_ = eigen.eigenvectors() * eigen.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal();
  }

  // False when no admissible draw was found.
  bool draw(RandomStream& stream, std::vector<double>& theta, std::size_t& refused) const {
    VectorXd z(root_.cols());
    for (int attempt = 0; attempt < kMostRedraws; ++attempt) {
      for (double& v : z) v = stream.normal();
      const VectorXd shift = root_ * z;
      for (std::size_t j = 0; j < centre_.size(); ++j)
        theta[j] = centre_[j] + shift(static_cast<Index>(j));
      if (!broken_rule(fit_.model, theta)) return true;
      ++refused;
    }
    return false;
  }

 private:
  const Fit& fit_;
  std::vector<double> centre_;
  MatrixXd root_;
};

// Series made by the fitted model with the shocks that were seen, fitted again (Pascual, Romo and
// Ruiz 2006).
class Refits {
 public:
  explicit Refits(const Fit& fit)
      : fit_(fit), data_(mean_data(fit.model, fit.window())), theta_(fit.estimates()) {}

  // False when none of several refits converged.
  bool draw(RandomStream& stream, const ShockSource& shocks, std::vector<double>& theta,
            std::size_t& refused) const {
    const std::span<const double> y = fit_.data();
    const std::size_t lost = data_.lost, rows = data_.change.size();
    Past past = Past::before_sample(fit_.model, theta_, fit_.presample);
    for (std::size_t l = 0; l < lost; ++l)
      past.levels[l] = std::isnan(y[lost - 1 - l]) ? 0 : y[lost - 1 - l];
    const ParameterNames names = parameter_names(fit_.model);
    const std::span<const double> shape =
        std::span(theta_).subspan(names.mean.size() + names.variance.size());
    std::vector<double> z(rows);
    Series made = fit_.window();
    for (int attempt = 0; attempt < kMostRefits; ++attempt) {
      shocks.fill(stream, shape, 0, z);
      Stepper step(fit_.model, theta_, past);
      for (std::size_t t = 0; t < rows; ++t) {
        const auto row = static_cast<Index>(t);
        const double mu = data_.columns.cols() > 0 ? step.regression(data_.columns.row(row)) : 0;
        const double columns = data_.variance_columns.cols() > 0
                                   ? step.variance_regression(data_.variance_columns.row(row))
                                   : 0;
        const double v = step.advance(z[t], mu, columns).y;
        if (!std::isnan(y[t + lost])) made.values[t + lost] = v;
      }
      const Fit again =
          estimate(fit_.model, made,
                   {.errors = ErrorKind::hessian,
                    .likelihood = fit_.exact ? LikelihoodKind::exact : LikelihoodKind::conditional,
                    .start = theta_,
                    .start_only = true,
                    .hessian_errors_only = true});
      if (again.usable()) {
        theta = again.estimates();
        return true;
      }
      ++refused;
    }
    return false;
  }

 private:
  const Fit& fit_;
  MeanData data_;
  std::vector<double> theta_;
};

// Totals hold every step: one look at each path.
bool all_finite(const Cloud& cloud, std::size_t first, std::size_t count) {
  for (std::size_t p = first; p < first + count; ++p)
    if (!std::isfinite(cloud.total_return[p]) || !std::isfinite(cloud.total_variance[p]))
      return false;
  return true;
}

bool is_plain(const Model& m) {
  const auto* garch = std::get_if<Garch>(&m.variance);
  const auto* gjr = std::get_if<Gjr>(&m.variance);
  return ((garch && *garch == Garch{}) || (gjr && *gjr == Gjr{})) && arma_terms(m) == 0 &&
         !m.mean.risk && m.mean.differences.empty() && m.variance_regressors.empty();
}

}  // namespace

Origin::Origin(const Fit& fit)
    : fit_(fit),
      data_(mean_data(fit.model, fit.window())),
      conditional_(fit.model, data_, Order::value) {
  const std::span<const double> y = fit.data();
  for (std::size_t l = 0; l < data_.lost; ++l) {
    levels_.push_back(y[y.size() - 1 - l]);
    if (std::isnan(levels_.back()) && !fit.exact)
      throw Error(ErrorCode::too_few_observations,
                  fmt::format("a forecast of '{}' would go on from a missing value; end {} at a "
                              "value that is present (--to)",
                              to_string(fit.model), fit.series->name));
  }
  for (const double v : data_.change) counted_.push_back(std::isnan(v) ? 0 : 1);
}

bool Origin::at(std::span<const double> theta, Past& past) {
  if (fit_.exact) {
    if (!filter(fit_.model, data_, theta, found_)) return false;
    past = Past::after(fit_.model, theta, found_.end, theta[mean_positions(fit_.model).count]);
    return true;
  }
  if (!conditional_.path(theta, path_)) return false;
  past = Past::after(fit_.model, theta, path_.dev, path_.e, path_.h, counted_, path_.presample,
                     levels_);
  return true;
}

Past Origin::at_estimates() {
  const std::vector<double> theta = fit_.estimates();
  if (fit_.exact) {
    Past past;
    if (!at(theta, past))
      throw Error(ErrorCode::bad_option,
                  fmt::format("'{}': its parameters are not stationary", to_string(fit_.model)));
    return past;
  }
  const auto rows = [&](const auto& all) { return std::span(all).subspan(fit_.lost); };
  return Past::after(fit_.model, theta, rows(fit_.deviations), rows(fit_.shocks),
                     rows(fit_.variances), rows(fit_.counted), fit_.presample, levels_);
}

std::vector<double> ShockSource::of_fit(const Fit& fit) {
  std::vector<double> z = fit.standardised().present_values();
  const auto n = static_cast<double>(z.size());
  double mean = 0, square = 0;
  for (const double v : z) mean += v / n;
  for (double& v : z) {
    v -= mean;
    square += v * v / n;
  }
  for (double& v : z) v /= std::sqrt(square);
  return z;
}

void ShockSource::fill(RandomStream& stream, std::span<const double> shape, std::size_t path,
                       std::span<double> z) const {
  if (!residuals_.empty()) {
    for (double& v : z)
      v = residuals_[static_cast<std::size_t>(stream.uniform() *
                                              static_cast<double>(residuals_.size()))];
  } else if (path % 2 == 0 || !law_.symmetric) {
    law_.draw_many(stream, shape, z);
  } else {
    for (double& v : z) v = -v;
  }
}

PathMaker::PathMaker(const Model& model, std::size_t horizon, const Columns& columns)
    : model_(model),
      horizon_(horizon),
      columns_(columns),
      plain_(is_plain(model)),
      levels_(!model.mean.differences.empty()),
      z_(horizon),
      y_(horizon),
      h_(horizon),
      mu_(horizon) {
  const ParameterNames names = parameter_names(model);
  first_variance_ = names.mean.size();
  first_shape_ = first_variance_ + names.variance.size();
}

void PathMaker::run_plain(std::span<const double> theta, const ShockSource& shocks,
                          RandomStream& stream, std::size_t count, Cloud& cloud, std::size_t first,
                          double h1) {
  const bool signs = std::holds_alternative<Gjr>(model_.variance);
  const double omega = theta[first_variance_], alpha = theta[first_variance_ + 1],
               below = alpha + (signs ? theta[first_variance_ + 2] : 0),
               beta = theta[first_variance_ + (signs ? 3 : 2)];
  const std::span<const double> shape = theta.subspan(first_shape_);
  for (std::size_t p = 0; p < count; ++p) {
    shocks.fill(stream, shape, p, z_);
    double h = h1, sum = 0, variance = 0;
    for (std::size_t k = 0; k < horizon_; ++k) {
      const double z = z_[k], y = mu_[k] + std::sqrt(h) * z;
      cloud.returns[k][first + p] = y;
      cloud.variances[k][first + p] = h;
      sum += y;
      variance += h;
      h = omega + ((z < 0 ? below : alpha) * z * z + beta) * h;
    }
    cloud.total_return[first + p] = sum;
    cloud.total_variance[first + p] = variance;
  }
}

bool PathMaker::run(std::span<const double> theta, const Past& start, const ShockSource& shocks,
                    RandomStream& stream, std::size_t count, Cloud& cloud, std::size_t first,
                    std::optional<double> first_variance) {
  Stepper step(model_, theta, start);
  if (plain_) {
    for (std::size_t k = 0; k < horizon_; ++k)
      mu_[k] = step.regression(columns_.mean.row(static_cast<Index>(k)));
    run_plain(theta, shocks, stream, count, cloud, first,
              first_variance.value_or(step.expect(0).h));
    return all_finite(cloud, first, count);
  }
  const std::vector<double> weights = psi_weights(model_, theta, horizon_);
  const std::span<const double> shape = theta.subspan(first_shape_);
  for (std::size_t p = 0; p < count; ++p) {
    shocks.fill(stream, shape, p, z_);
    step.reset(theta, start);
    if (first_variance) step.begin_at(*first_variance);
    const std::size_t at = first + p;
    double variance = 0;
    double weight_sum = levels_ ? 0 : std::accumulate(weights.begin(), weights.end(), 0.0);
    for (std::size_t k = 0; k < horizon_; ++k) {
      const auto at_row = static_cast<Index>(k);
      const Stepper::Row row =
          step.advance(z_[k], step.regression(columns_.mean.row(at_row)),
                       step.variance_regression(columns_.variance.row(at_row)));
      cloud.returns[k][at] = y_[k] = row.y;
      cloud.variances[k][at] = row.h;
      // A shock at step k enters the total with psi_0 + ... + psi_{horizon-1-k}, and a level at
      // the end with the last of them.
      const double weight = levels_ ? weights[horizon_ - 1 - k] : weight_sum;
      variance += weight * weight * row.h;
      if (!levels_) weight_sum -= weights[horizon_ - 1 - k];
    }
    cloud.total_return[at] =
        levels_ ? y_.back() - start.levels[0] : std::accumulate(y_.begin(), y_.end(), 0.0);
    cloud.total_variance[at] = variance;
  }
  return all_finite(cloud, first, count);
}

Cloud simulate_paths(const Fit& fit, const ForecastOptions& options, const Columns& columns,
                     const std::vector<Timestamp>& dates, const Executor& executor) {
  const auto horizon = static_cast<std::size_t>(options.horizon);
  const bool refit = options.method == ForecastMethod::refit,
             uncertain = options.method != ForecastMethod::plug_in,
             seen = refit || options.method == ForecastMethod::resampled;
  // A refit costs as much as many paths: fewer draws, more paths from each.
  const auto draws = static_cast<std::size_t>(refit ? options.refits : options.draws);
  const std::size_t all = static_cast<std::size_t>(options.draws) *
                          static_cast<std::size_t>(options.paths),
                    paths = refit ? std::max<std::size_t>(1, all / draws)
                                  : static_cast<std::size_t>(options.paths);
  Cloud cloud(horizon, draws * paths, paths, options.transformed != nullptr);
  const ParameterDraws parameters(fit);
  const Refits refits(fit);
  const std::vector<double> estimate = fit.estimates();
  const ShockSource shocks(shock_law(fit.model.shocks),
                           seen ? ShockSource::of_fit(fit) : std::vector<double>{});

  std::vector<std::size_t> refused(kRandomStreams, 0);
  executor.for_each(kRandomStreams, [&](std::size_t stream_number) {
    RandomStream stream(options.seed, stream_number);
    std::vector<double> theta = estimate;
    Origin origin(fit);
    const Past past = origin.at_estimates();
    Past start = past;
    PathMaker maker(fit.model, horizon, columns);
    std::vector<double> y(horizon);
    for (std::size_t d = stream_number; d < draws; d += kRandomStreams) {
      std::size_t& count = refused[stream_number];
      bool made = false;
      for (int attempt = 0; uncertain && !made && attempt < kMostUnruly; ++attempt) {
        const bool drawn = refit ? refits.draw(stream, shocks, theta, count)
                                 : parameters.draw(stream, theta, count);
        if (!drawn) break;
        made = origin.at(theta, start) && maker.run(theta, start, shocks, stream, paths, cloud,
                                                    d * paths, options.first_variance);
        count += made ? 0 : 1;
      }
      // No admissible draw: counted in `refused`, which the caller reports.
      if (!made)
        (void)maker.run(estimate, past, shocks, stream, paths, cloud, d * paths,
                        options.first_variance);
      if (!options.transformed) continue;
      for (std::size_t at = d * paths; at < (d + 1) * paths; ++at) {
        for (std::size_t k = 0; k < horizon; ++k) y[k] = cloud.returns[k][at];
        const std::vector<double> back = options.transformed->inverse_ahead(y, dates);
        for (std::size_t k = 0; k < horizon; ++k) cloud.original[k][at] = back[k];
      }
    }
  });
  cloud.refused = std::accumulate(refused.begin(), refused.end(), std::size_t{0});
  cloud.drawn = uncertain ? draws : 0;
  return cloud;
}

}  // namespace brace
