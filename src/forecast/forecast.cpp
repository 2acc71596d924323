// SPDX-License-Identifier: Apache-2.0
// Point forecasts by the model's recursion, intervals by simulation. Covered by tests/forecast/.
#include "brace/forecast/forecast.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/model/model_line.hpp"
#include "model/admissible.hpp"
#include "model/innovations.hpp"
#include "model/law/moments.hpp"
#include "model/likelihood.hpp"
#include "model/stepper.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// After so many refusals in a row the draws say nothing any more.
constexpr int kMostRedraws = 1000;
// Share of redrawn parameters from which the intervals deserve a word.
constexpr double kManyRedrawn = 0.05;

void validate(const Fit& fit, const ForecastOptions& options) {
  const auto refuse = [](const std::string& message) {
    throw Error(ErrorCode::bad_option, message);
  };
  if (options.horizon < 1 || options.horizon > 100000)
    refuse(fmt::format("ForecastOptions::horizon = {}: must lie between 1 and 100,000",
                       options.horizon));
  if (options.intervals.empty())
    refuse("ForecastOptions::intervals is empty: give one, such as 95");
  for (const int percent : options.intervals)
    if (percent < 1 || percent > 99)
      refuse(fmt::format("ForecastOptions::intervals holds {}: each must lie between 1 and 99",
                         percent));
  if (options.draws < 100 || options.paths < 1)
    refuse(fmt::format("ForecastOptions::draws = {}, paths = {}: at least 100 and 1", options.draws,
                       options.paths));
  if (!fit.usable())
    refuse(fmt::format("'{}' is {}: there is nothing to forecast from ({})", to_string(fit.model),
                       to_string(fit.convergence.status), fit.convergence.why));
}

// Where the paths begin, for any parameters: the data filtered once more under them.
class Origin {
 public:
  explicit Origin(const Fit& fit)
      : fit_(fit), data_(mean_data(fit.model, fit.window())), conditional_(fit.model, data_) {
    const std::span<const double> y = fit.data();
    for (std::size_t l = 0; l < data_.lost; ++l) {
      levels_.push_back(y[y.size() - 1 - l]);
      if (std::isnan(levels_.back()) && !fit.exact)
        throw Error(ErrorCode::too_few_observations,
                    fmt::format("a forecast of '{}' would go on from a missing value; end {} at a "
                                "value that is present (--to)",
                                to_string(fit.model), fit.series->name));
    }
  }

  // False where the parameters are not admitted.
  bool at(std::span<const double> theta, Past& past) {
    if (fit_.exact) {
      if (!filter(fit_.model, data_, theta, found_)) return false;
      past = Past::after(fit_.model, theta, found_.end, theta[mean_positions(fit_.model).count]);
      return true;
    }
    if (!conditional_.path(theta, path_)) return false;
    std::vector<unsigned char> counted;
    for (const double v : data_.change) counted.push_back(std::isnan(v) ? 0 : 1);
    past = Past::after(fit_.model, theta, path_.dev, path_.e, path_.h, counted, path_.presample,
                       levels_);
    return true;
  }
  // At the estimates, where the presample value is the stored one.
  Past at_estimates() {
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
  [[nodiscard]] const ArmaState& end() const { return found_.end; }

 private:
  const Fit& fit_;
  MeanData data_;
  Likelihood<double> conditional_;
  Likelihood<double>::Path path_;
  Innovations found_;
  std::vector<double> levels_;
};

// Draws of the parameters from a normal law around the estimates, those outside the admissible
// region drawn again.
class ParameterDraws {
 public:
  explicit ParameterDraws(const Fit& fit) : fit_(fit), centre_(fit.estimates()) {
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

// What the paths leave behind, step by step: `paths` numbers for each.
struct Cloud {
  std::size_t paths;
  std::vector<std::vector<double>> returns, variances;  // [step][path]
  std::vector<double> total_return, total_variance;     // [path]
  std::vector<std::vector<double>> original;            // [step][path], where it is asked for
  std::size_t refused = 0, drawn = 0;

  Cloud(std::size_t horizon, std::size_t count, bool with_original)
      : paths(count),
        returns(horizon, std::vector<double>(count)),
        variances(horizon, std::vector<double>(count)),
        total_return(count),
        total_variance(count),
        original(with_original ? horizon : 0, std::vector<double>(count)) {}
};

// Regressors of the coming rows.
struct Columns {
  MatrixXd mean, variance;  // horizon x regressors
};

// Paths of the coming rows. Work is split over kRandomStreams streams, whatever the threads: draw d
// belongs to stream d modulo their number.
Cloud simulate_paths(const Fit& fit, const ForecastOptions& options, const Columns& columns,
                     const std::vector<Timestamp>& dates, const Executor& executor) {
  const auto horizon = static_cast<std::size_t>(options.horizon);
  const auto draws = static_cast<std::size_t>(options.draws),
             paths = static_cast<std::size_t>(options.paths);
  Cloud cloud(horizon, draws * paths, options.transformed != nullptr);
  const ParameterDraws parameters(fit);
  const std::vector<double> estimate = fit.estimates();
  const ParameterNames names = parameter_names(fit.model);
  const std::size_t first_shape = names.mean.size() + names.variance.size();
  const ShockLaw& law = shock_law(fit.model.shocks);
  const bool full = options.method == ForecastMethod::full;
  const bool levels = !fit.model.mean.differences.empty();

  std::vector<std::size_t> refused(kRandomStreams, 0);
  executor.for_each(kRandomStreams, [&](std::size_t stream_number) {
    RandomStream stream(options.seed, stream_number);
    std::vector<double> theta = estimate;
    Origin origin(fit);
    const Past past = origin.at_estimates();
    Past start = past;
    Stepper step(fit.model, theta, past);
    std::vector<double> z(horizon), mu(horizon), y(horizon);
    std::vector<double> weights = psi_weights(fit.model, theta, horizon);
    for (std::size_t d = stream_number; d < draws; d += kRandomStreams) {
      if (full) {
        if (!parameters.draw(stream, theta, refused[stream_number]) || !origin.at(theta, start)) {
          theta = estimate;  // no admissible draw: counted in `refused`, which the caller reports
          start = past;
        }
        weights = psi_weights(fit.model, theta, horizon);
      }
      const std::span<const double> shape = std::span(theta).subspan(first_shape);
      for (std::size_t p = 0; p < paths; ++p) {
        // Under a symmetric law every second path mirrors the one before it, and means come out
        // right.
        if (p % 2 == 0 || !law.symmetric)
          for (double& v : z) v = law.draw(stream, shape);
        else
          for (double& v : z) v = -v;
        step.reset(theta, start);
        const std::size_t at = d * paths + p;
        double variance = 0;
        double weight_sum = levels ? 0 : std::accumulate(weights.begin(), weights.end(), 0.0);
        for (std::size_t k = 0; k < horizon; ++k) {
          const auto at_row = static_cast<Index>(k);
          const Stepper::Row row =
              step.advance(z[k], step.regression(columns.mean.row(at_row)),
                           step.variance_regression(columns.variance.row(at_row)));
          cloud.returns[k][at] = y[k] = row.y;
          cloud.variances[k][at] = row.h;
          // A shock at step k enters the total with psi_0 + ... + psi_{horizon-1-k}, and a level at
          // the end with the last of them.
          const double weight = levels ? weights[horizon - 1 - k] : weight_sum;
          variance += weight * weight * row.h;
          if (!levels) weight_sum -= weights[horizon - 1 - k];
        }
        cloud.total_return[at] =
            levels ? y.back() - past.levels[0] : std::accumulate(y.begin(), y.end(), 0.0);
        cloud.total_variance[at] = variance;
        if (options.transformed) {
          const std::vector<double> back = options.transformed->inverse_ahead(y, dates);
          for (std::size_t k = 0; k < horizon; ++k) cloud.original[k][at] = back[k];
        }
      }
    }
  });
  cloud.refused = std::accumulate(refused.begin(), refused.end(), std::size_t{0});
  cloud.drawn = full ? draws : 0;
  return cloud;
}

// E h / exp(E ln h) of egarch at each step ahead, empty where it is infinite: the product over the
// shocks to come of E exp(a (|z| - E|z|) + g z), a and g being how a shock enters ln h later.
std::vector<std::optional<double>> log_variance_moments(const Model& model,
                                                        std::span<const double> theta,
                                                        std::size_t horizon) {
  std::vector<std::optional<double>> moments(horizon, 1.0);
  if (!std::holds_alternative<Egarch>(model.variance)) return moments;
  const ParameterNames names = parameter_names(model);
  const std::span<const double> variance = theta.subspan(names.mean.size(), names.variance.size());
  const std::span<const double> shape = theta.subspan(names.mean.size() + variance.size());
  const double size = mean_absolute(model.shocks, shape);
  const ExponentialMoment exponential(model.shocks, shape);
  const std::vector<LogVarianceResponse> responses =
      log_variance_responses(model, variance, horizon);
  for (std::size_t k = 1; k < horizon; ++k) {
    const auto [a, g] = responses[k - 1];
    const double mean = exponential(a, g) * std::exp(-a * size);
    moments[k] = moments[k - 1] && std::isfinite(mean) ? std::optional(*moments[k - 1] * mean)
                                                       : std::nullopt;
  }
  return moments;
}

// The quantile of order p, between the two order statistics around p (n - 1).
double quantile(std::vector<double>& values, double p) {
  const double at = p * static_cast<double>(values.size() - 1);
  const auto low = values.begin() + static_cast<std::ptrdiff_t>(at);
  std::nth_element(values.begin(), low, values.end());
  const double below = *low;
  if (low + 1 == values.end()) return below;
  const double above = *std::min_element(low + 1, values.end());
  return below + (at - std::floor(at)) * (above - below);
}

template <class F>
std::vector<Interval> intervals_of(std::vector<double>& values, const std::vector<int>& percents,
                                   F map) {
  std::vector<Interval> out;
  for (const int percent : percents) {
    const double tail = (1 - percent / 100.0) / 2;
    out.push_back({percent, map(quantile(values, tail)), map(quantile(values, 1 - tail))});
  }
  return out;
}

}  // namespace

std::string_view to_string(ForecastMethod method) {
  return method == ForecastMethod::plug_in ? "plug-in" : "full";
}

std::string_view to_string(BackTransform back) {
  return back == BackTransform::median ? "median" : "mean";
}

Forecast forecast(const Fit& fit, const ForecastOptions& options, const Executor& executor) {
  validate(fit, options);
  Forecast ahead;
  ahead.model = to_string(fit.model);
  ahead.name = fit.series->name;
  ahead.unit = fit.series->unit;
  ahead.period = fit.series->period();
  ahead.method = options.method;
  ahead.intervals = options.intervals;
  std::sort(ahead.intervals.begin(), ahead.intervals.end());
  ahead.last_variance = fit.variances.back();
  ahead.long_run_variance = fit.unconditional_variance;
  const std::size_t last = fit.first + fit.count - 1;
  std::vector<Timestamp> dates;
  if (last < fit.series->times.size()) {
    ahead.origin = fit.series->times[last];
    const Calendar calendar =
        learn_calendar(std::span(fit.series->times).first(last + 1), fit.series->clock);
    dates = dates_after(calendar, *ahead.origin, static_cast<std::size_t>(options.horizon));
  }

  const auto horizon = static_cast<std::size_t>(options.horizon);
  const std::vector<double> theta = fit.estimates();
  const Series window = fit.window();
  const Columns columns{columns_ahead(fit.model, window, dates, options.future, horizon),
                        variance_columns_ahead(fit.model, window, dates, options.future, horizon)};
  Origin origin(fit);
  const Past past = origin.at_estimates();
  Stepper step(fit.model, theta, past);
  ahead.volatility_varies = !std::holds_alternative<Steady>(fit.model.variance);
  const bool levels = !fit.model.mean.differences.empty();
  const std::vector<double> psi = psi_weights(fit.model, theta, horizon);
  std::vector<double> variances;
  std::vector<LevelAhead> exact;
  if (fit.exact) exact = levels_ahead(fit.model, theta, origin.end(), columns.mean);
  Cloud cloud = simulate_paths(fit, options, columns, dates, executor);
  // Means without a closed form are those of paths at the estimates.
  const bool aparch = std::holds_alternative<Aparch>(fit.model.variance);
  std::optional<Cloud> at_estimates;
  if (aparch || fit.model.mean.risk) {
    ForecastOptions plug_in = options;
    plug_in.method = ForecastMethod::plug_in;
    plug_in.transformed = nullptr;
    at_estimates = simulate_paths(fit, plug_in, columns, dates, executor);
  }
  const auto mean_of = [](const std::vector<double>& values) {
    return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
  };
  const std::vector<std::optional<double>> moments =
      log_variance_moments(fit.model, theta, horizon);
  for (std::size_t k = 0; k < horizon; ++k) {
    const auto at = static_cast<Index>(k);
    const Stepper::Row row = step.expect(step.regression(columns.mean.row(at)),
                                         step.variance_regression(columns.variance.row(at)));
    ForecastStep s;
    s.step = static_cast<int>(k) + 1;
    if (!dates.empty()) s.date = dates[k];
    s.typical_variance = row.h;
    s.variance = row.h;
    if (k > 0 && std::holds_alternative<Egarch>(fit.model.variance)) {
      s.variance.reset();
      if (moments[k]) s.variance = row.h * *moments[k];
    } else if (k > 0 && aparch) {
      s.variance = mean_of(at_estimates->variances[k]);
    }
    variances.push_back(s.shown_variance());
    double of_return = 0;
    for (std::size_t i = 0; i <= k; ++i) of_return += psi[i] * psi[i] * variances[k - i];
    // The mean of a volatility has no closed form but for the next row.
    s.mean = fit.model.mean.risk && k > 0 ? mean_of(at_estimates->returns[k]) : row.mean;
    s.sd = std::sqrt(fit.exact ? exact[k].variance : of_return);
    ahead.steps.push_back(std::move(s));
  }
  double cumulative = 0, total_variance = 0;
  for (std::size_t k = psi.size(); k-- > 0;) {
    cumulative += psi[psi.size() - 1 - k];
    total_variance += cumulative * cumulative * variances[k];
  }

  const auto same = [](double v) { return v; };
  const auto root = [](double v) { return std::sqrt(v); };
  for (std::size_t k = 0; k < ahead.steps.size(); ++k) {
    ForecastStep& s = ahead.steps[k];
    s.return_interval = intervals_of(cloud.returns[k], ahead.intervals, same);
    if (options.method == ForecastMethod::plug_in && k == 0) {
      // Known exactly: the law's own quantiles take the place of simulated ones.
      const ParameterNames names = parameter_names(fit.model);
      const std::span<const double> shape =
          std::span(theta).subspan(names.mean.size() + names.variance.size());
      for (Interval& interval : s.return_interval) {
        const auto at = [&](double p) {
          return s.mean + s.sd * shock_law(fit.model.shocks).quantile(p, shape);
        };
        interval = {interval.percent, at(0.5 - interval.percent / 200.0),
                    at(0.5 + interval.percent / 200.0)};
      }
    } else {
      s.volatility_interval = intervals_of(cloud.variances[k], ahead.intervals, root);
    }
  }
  for (std::size_t k = 0; k < cloud.original.size(); ++k) {
    std::vector<double>& values = cloud.original[k];
    OriginalStep there;
    there.mean =
        std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
    there.median = quantile(values, 0.5);
    there.interval = intervals_of(values, ahead.intervals, same);
    ahead.original.push_back(std::move(there));
  }
  ahead.back = options.back;
  if (options.transformed) ahead.original_name = options.transformed->original.name;
  if (levels) {
    ahead.horizon_total.mean = ahead.steps.back().mean - past.levels[0];
    ahead.horizon_total.sd = ahead.steps.back().sd;
  } else {
    for (const ForecastStep& s : ahead.steps) ahead.horizon_total.mean += s.mean;
    ahead.horizon_total.sd = std::sqrt(total_variance);
  }
  ahead.horizon_total.return_interval = intervals_of(cloud.total_return, ahead.intervals, same);
  const bool known = options.method == ForecastMethod::plug_in && options.horizon == 1;
  if (!known)
    ahead.horizon_total.volatility_interval =
        intervals_of(cloud.total_variance, ahead.intervals, root);
  if (const auto year = options.per_year ? options.per_year : periods_per_year(fit.series->clock)) {
    const auto h = static_cast<double>(options.horizon);
    Annualised a;
    a.periods_per_year = *year;
    a.volatility = ahead.horizon_total.sd * std::sqrt(*year / h);
    for (const Interval& i : ahead.horizon_total.volatility_interval)
      a.volatility_interval.push_back(
          {i.percent, i.low * std::sqrt(*year / h), i.high * std::sqrt(*year / h)});
    if (fit.unconditional_variance)
      a.long_run_volatility = std::sqrt(*fit.unconditional_variance * *year);
    ahead.annualised = std::move(a);
  }

  ahead.warnings = fit.warnings;
  if (!ahead.steps.back().variance)
    ahead.warnings.push_back(
        {WarningCode::moment_undefined,
         "the mean of the variance is infinite under this law: volatility is that of the typical "
         "path, exp of the mean of ln h, and intervals are quantiles, which exist"});
  if (cloud.drawn > 0)
    ahead.share_redrawn =
        static_cast<double>(cloud.refused) / static_cast<double>(cloud.refused + cloud.drawn);
  if (ahead.share_redrawn > kManyRedrawn)
    ahead.warnings.push_back(
        {WarningCode::draws_rejected,
         fmt::format(
             "{:.0f} % of the parameter draws broke a rule of the model and were redrawn, so the "
             "normal law of the estimates is rough here",
             100 * ahead.share_redrawn)});
  return ahead;
}

Forecast forecast(const Fit& fit, const ForecastOptions& options) {
  return forecast(fit, options, Executor(1));
}

}  // namespace brace
