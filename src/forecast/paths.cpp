// SPDX-License-Identifier: Apache-2.0
// Covered by tests/forecast/.
#include "forecast/paths.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "forecast/studentised.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;

// Draws in a row under which the variance leaves the range of numbers.
constexpr int kMostUnruly = 100;

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

void Cloud::append(const Cloud& other) {
  const auto join = [](std::vector<double>& to, const std::vector<double>& from) {
    to.insert(to.end(), from.begin(), from.end());
  };
  for (std::size_t k = 0; k < returns.size(); ++k) {
    join(returns[k], other.returns[k]);
    join(variances[k], other.variances[k]);
  }
  for (std::size_t k = 0; k < original.size(); ++k) join(original[k], other.original[k]);
  join(total_return, other.total_return);
  join(total_variance, other.total_variance);
  next.insert(next.end(), other.next.begin(), other.next.end());
  paths += other.paths;
  refused += other.refused;
  drawn += other.drawn;
  // What is said of the average holds for the poorest of its parts.
  if (other.effective) effective = std::min(effective.value_or(*other.effective), *other.effective);
}

PathMaker::PathMaker(const Model& model, std::size_t horizon, const Columns& columns)
    : model_(model),
      horizon_(horizon),
      columns_(columns),
      plain_(is_plain(model)),
      levels_(!model.mean.differences.empty()),
      y_(horizon),
      mu_(horizon) {
  const ParameterNames names = parameter_names(model);
  first_variance_ = names.mean.size();
  first_shape_ = first_variance_ + names.variance.size();
}

void PathMaker::run_plain(std::span<const double> theta, std::size_t count, Cloud& cloud,
                          std::size_t first, double h1) {
  const bool signs = std::holds_alternative<Gjr>(model_.variance);
  const double omega = theta[first_variance_], alpha = theta[first_variance_ + 1],
               below = alpha + (signs ? theta[first_variance_ + 2] : 0),
               beta = theta[first_variance_ + (signs ? 3 : 2)];
  double* const sum = cloud.total_return.data() + first;
  double* const variance = cloud.total_variance.data() + first;
  std::fill_n(sum, count, 0.0);
  std::fill_n(variance, count, 0.0);
  h_.assign(count, h1);
  for (std::size_t k = 0; k < horizon_; ++k) {
    double* const returns = cloud.returns[k].data() + first;
    double* const variances = cloud.variances[k].data() + first;
    for (std::size_t p = 0; p < count; ++p) {
      const double z = z_[k * count + p], h = h_[p], y = mu_[k] + std::sqrt(h) * z;
      returns[p] = y;
      variances[p] = h;
      sum[p] += y;
      variance[p] += h;
      h_[p] = omega + ((z < 0 ? below : alpha) * z * z + beta) * h;
    }
  }
  const std::span<const double> shape = theta.subspan(first_shape_);
  cloud.next[first / count] = {mu_[0], h1, {shape.begin(), shape.end()}};
}

bool PathMaker::run(std::span<const double> theta, const Past& start, const ShockSource& shocks,
                    maths::RandomStream& stream, std::size_t count, Cloud& cloud, std::size_t first,
                    std::optional<double> first_variance) {
  if (step_) {
    step_->restart(start);
    step_->change(theta);
  } else {
    step_.emplace(model_, theta, start);
  }
  Stepper& step = *step_;
  const std::span<const double> shape = theta.subspan(first_shape_);
  maths::RandomStream own = stream.branch();
  z_.resize(horizon_ * count);
  shocks.fill_paths(own, shape, count, z_);
  if (plain_) {
    for (std::size_t k = 0; k < horizon_; ++k)
      mu_[k] = step.regression(columns_.mean, static_cast<Index>(k));
    run_plain(theta, count, cloud, first, first_variance.value_or(step.expect(0).h));
    return all_finite(cloud, first, count);
  }
  const std::vector<double> weights = psi_weights(model_, theta, horizon_);
  for (std::size_t p = 0; p < count; ++p) {
    step.restart(start);
    if (first_variance) step.begin_at(*first_variance);
    const std::size_t at = first + p;
    double variance = 0;
    double weight_sum = levels_ ? 0 : std::accumulate(weights.begin(), weights.end(), 0.0);
    for (std::size_t k = 0; k < horizon_; ++k) {
      const auto at_row = static_cast<Index>(k);
      const Stepper::Row row =
          step.advance(z_[k * count + p], step.regression(columns_.mean, at_row),
                       step.variance_regression(columns_.variance, at_row));
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
    if (p == 0) {
      const double h = cloud.variances[0][at];
      cloud.next[first / count] = {y_[0] - std::sqrt(h) * z_[p], h, {shape.begin(), shape.end()}};
    }
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
  const std::vector<double> estimate = fit.estimates();
  const ShockSource shocks(shock_law(fit.model.shocks),
                           seen ? ShockSource::of_fit(fit) : std::vector<double>{});

  const std::unique_ptr<LikelihoodSample> sample =
      uncertain ? sample_likelihood(fit, options.seed, executor) : nullptr;
  std::optional<LogVolatility> own;
  if (refit) {
    maths::RandomStream stream(options.seed, maths::kRandomStreams);
    LogVolatilityOf volatility(fit.model, columns, options, LogVolatilityOf::kOfTheFit);
    own = sample ? volatility.of(fit, *sample, stream) : volatility.of(fit, stream);
  }
  std::vector<std::size_t> refused(maths::kRandomStreams, 0);
  const auto rows = std::make_shared<const OriginRows>(fit);
  executor.for_each(maths::kRandomStreams, [&](std::size_t stream_number) {
    maths::RandomStream stream(options.seed, stream_number);
    std::vector<double> theta = estimate;
    Origin origin(fit, rows);
    const std::unique_ptr<ParameterDraws> parameters =
        uncertain
            ? make_parameter_draws(fit, options.method, shocks, sample.get(), stream, stream_number)
            : nullptr;
    const Past past = origin.at_estimates();
    Past start = past;
    PathMaker maker(fit.model, horizon, columns);
    std::optional<StudentisedPaths> studentised;
    if (own) studentised.emplace(fit, *own, columns, options, paths);
    std::vector<double> y(horizon);
    for (std::size_t d = stream_number; d < draws; d += maths::kRandomStreams) {
      bool made = false;
      for (int attempt = 0; uncertain && !made && attempt < kMostUnruly; ++attempt) {
        if (!parameters->next(theta)) break;
        made = origin.at(theta, start) &&
               maker.run(theta, start, shocks, stream, paths, cloud, d * paths,
                         options.first_variance) &&
               (!studentised || studentised->replace(*parameters->refitted(), shocks, stream, cloud,
                                                     d * paths, paths));
        refused[stream_number] += made ? 0 : 1;
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
    if (parameters) refused[stream_number] += parameters->refused();
  });
  cloud.refused = std::accumulate(refused.begin(), refused.end(), std::size_t{0});
  cloud.drawn = uncertain ? draws : 0;
  if (!uncertain) cloud.next.resize(1);  // all are the same
  if (sample) cloud.effective = sample->effective();
  return cloud;
}

}  // namespace brace::inline v0
