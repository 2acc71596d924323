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
#include "forecast/paths.hpp"
#include "model/law/moments.hpp"

namespace brace {
namespace {

using Eigen::Index;

// Monte Carlo error of an interval's ends, as a share of its width, that deserves a word.
constexpr double kRoughEnds = 0.02;
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
  if (options.draws < 100 || options.paths < 1 || options.refits < 20)
    refuse(
        fmt::format("ForecastOptions::draws = {}, paths = {}, refits = {}: at least 100, 1 and 20",
                    options.draws, options.paths, options.refits));
  for (const double percent : options.tails)
    if (!(percent > 0 && percent < 50))
      refuse(fmt::format("ForecastOptions::tails holds {}: each must lie between 0 and 50 percent",
                         percent));
  if (options.first_variance && !(*options.first_variance > 0))
    refuse(fmt::format("ForecastOptions::first_variance = {}: a variance is positive",
                       *options.first_variance));
  if (!fit.usable())
    refuse(fmt::format("'{}' is {}: there is nothing to forecast from ({})", to_string(fit.model),
                       to_string(fit.convergence.status), fit.convergence.why));
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

// Lowest first. The values are reordered.
std::vector<TailRisk> tails_of(std::vector<double>& values, const std::vector<double>& percents) {
  std::vector<TailRisk> out;
  for (const double percent : percents) {
    TailRisk tail{.percent = percent, .value_at_risk = quantile(values, percent / 100)};
    const auto count = std::max<std::size_t>(
        1, static_cast<std::size_t>(percent / 100 * static_cast<double>(values.size())));
    // quantile() has put the smallest values first.
    tail.shortfall =
        std::accumulate(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(count), 0.0) /
        static_cast<double>(count);
    out.push_back(tail);
  }
  return out;
}

// Error of the ends of an interval, from batches of whole draws (those of one stream).
double batch_error(const std::vector<double>& values, std::size_t paths_a_draw, int percent) {
  std::vector<double> low, high;
  for (std::size_t b = 0; b < kRandomStreams; ++b) {
    std::vector<double> batch;
    for (std::size_t d = b; d * paths_a_draw < values.size(); d += kRandomStreams)
      batch.insert(batch.end(), values.begin() + static_cast<std::ptrdiff_t>(d * paths_a_draw),
                   values.begin() + static_cast<std::ptrdiff_t>((d + 1) * paths_a_draw));
    if (batch.empty()) return 0;
    low.push_back(quantile(batch, 0.5 - percent / 200.0));
    high.push_back(quantile(batch, 0.5 + percent / 200.0));
  }
  const auto error = [](const std::vector<double>& v) {
    const auto n = static_cast<double>(v.size());
    const double mean = std::accumulate(v.begin(), v.end(), 0.0) / n;
    double squares = 0;
    for (const double x : v) squares += (x - mean) * (x - mean);
    return std::sqrt(squares / (n - 1) / n);
  };
  return std::max(error(low), error(high));
}

}  // namespace

std::string_view to_string(ForecastMethod method) {
  switch (method) {
    case ForecastMethod::plug_in: return "plug-in";
    case ForecastMethod::full: return "full";
    case ForecastMethod::resampled: return "resampled";
    case ForecastMethod::refit: return "refit";
  }
  return "";
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
  if (options.first_variance) step.begin_at(*options.first_variance);
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
    if (fit.unconditional_variance && ahead.volatility_varies) {
      const double first = k == 0 ? s.shown_variance() : variances.front(),
                   gap = first - *fit.unconditional_variance;
      if (std::abs(gap) > 1e-9 * first)
        s.gap_left = (s.shown_variance() - *fit.unconditional_variance) / gap;
    }
    s.sd = std::sqrt(fit.exact ? exact[k].variance : of_return);
    ahead.steps.push_back(std::move(s));
  }
  double cumulative = 0, total_variance = 0;
  for (std::size_t k = psi.size(); k-- > 0;) {
    cumulative += psi[psi.size() - 1 - k];
    total_variance += cumulative * cumulative * variances[k];
  }

  ahead.half_way = fit.unconditional_variance ? fit.half_life : std::nullopt;
  ahead.monte_carlo_error =
      batch_error(cloud.returns.back(), cloud.paths_a_draw, ahead.intervals.back());
  const auto same = [](double v) { return v; };
  const auto root = [](double v) { return std::sqrt(v); };
  for (std::size_t k = 0; k < ahead.steps.size(); ++k) {
    ForecastStep& s = ahead.steps[k];
    s.return_interval = intervals_of(cloud.returns[k], ahead.intervals, same);
    s.tails = tails_of(cloud.returns[k], options.tails);
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
  ahead.horizon_total.tails = tails_of(cloud.total_return, options.tails);
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
  const Interval& widest = ahead.steps.back().return_interval.back();
  if (ahead.monte_carlo_error > kRoughEnds * (widest.high - widest.low))
    ahead.warnings.push_back(
        {WarningCode::few_draws,
         fmt::format("the simulation leaves an error of {} in the ends of the {} % interval; more "
                     "draws (--draws) make it smaller",
                     text::significant(ahead.monte_carlo_error, 2), widest.percent)});
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
