// SPDX-License-Identifier: Apache-2.0
// Point forecasts by the model's recursion, intervals by simulation. Covered by tests/forecast/.
#include "brace/forecast/forecast.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/model/model_line.hpp"
#include "families/variance_family.hpp"
#include "forecast/paths.hpp"
#include "forecast/simulated.hpp"
#include "maths/quantiles.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;

// Monte Carlo error of an interval's ends, as a share of its width, that deserves a word; those of
// a volatility, whose draws are fits, are printed to fewer digits.
constexpr double kRoughEnds = 0.02, kRoughVolatility = 0.05;
// Where fewer paths than this lie beyond an end of an interval nothing tells where it is, nor by
// how far it may be missed.
constexpr double kFewBeyond = 5;
// Share of redrawn parameters from which the intervals deserve a word.
constexpr double kManyRedrawn = 0.05;

void validate(const Fit& fit, const ForecastOptions& options) {
  const auto refuse = [](const std::string& message) {
    throw Error(ErrorCode::bad_option, message);
  };
  if (options.horizon < 1 || options.horizon > 100000)
    refuse(fmt::format("horizon = {}: must lie between 1 and 100,000", options.horizon));
  for (const double percent : options.intervals)
    if (!(percent > 0 && percent < 100))
      refuse(
          fmt::format("intervals holds {}: each must lie above 0 and below 100 percent", percent));
  for (const auto& [name, given, least] :
       {std::tuple{"draws", options.draws, 100}, {"paths", options.paths, 1}, {"refits", options.refits, 20}})
    if (given < least) refuse(fmt::format("{} = {}: must be at least {}", name, given, least));
  for (const double percent : options.tails)
    if (!(percent > 0 && percent < 50))
      refuse(fmt::format("tails holds {}: each must lie above 0 and below 50 percent", percent));
  if (options.first_variance &&
      !(*options.first_variance > 0 && *options.first_variance <= kLargest))
    refuse(fmt::format("first_variance = {}: a variance is positive, and below {}",
                       *options.first_variance, kLargest));
  if (!fit.usable())
    refuse(fmt::format("'{}' is {}: there is nothing to forecast from ({})", to_string(fit.model),
                       to_string(fit.convergence.status), fit.convergence.why));
  require_path(fit, "forecast");
  if (options.per_year && !fit.adds_up())
    refuse(
        fmt::format("`per_year` {}: the values of {} are a level, which does not add up over a "
                    "year; model its returns or its difference",
                    *options.per_year, fit.series->name));
}

double mean_of(const std::vector<double>& values) {
  return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
}

double variance_of(const std::vector<double>& values) {
  const double mean = mean_of(values);
  double sum = 0;
  for (const double v : values) sum += (v - mean) * (v - mean);
  return sum / static_cast<double>(values.size());
}

std::vector<Timestamp> dates_ahead(const Fit& fit, std::size_t horizon) {
  const std::size_t last = fit.first + fit.count - 1;
  if (last >= fit.series->times.size()) return {};
  const Calendar calendar =
      learn_calendar(std::span(fit.series->times).first(last + 1), fit.series->clock);
  return dates_after(calendar, fit.series->times[last], horizon);
}

// What one fit says: its steps without intervals, and its paths.
struct Outlook {
  std::vector<ForecastStep> steps;
  double total_mean = 0, total_sd = 0;
  std::optional<double> long_run, half_life;
  double last_variance = 0;
  Cloud cloud;
};

Outlook look_ahead(const Fit& fit, const ForecastOptions& options,
                   const std::vector<Timestamp>& dates, const Executor& executor) {
  const auto horizon = static_cast<std::size_t>(options.horizon);
  const std::vector<double> theta = fit.estimates();
  const Series window = fit.window();
  const Columns columns{columns_ahead(fit.model, window, dates, options.future, horizon),
                        variance_columns_ahead(fit.model, window, dates, options.future, horizon)};
  Origin origin(fit);
  const Past past = origin.at_estimates();
  Stepper step(fit.model, theta, past);
  if (options.first_variance) step.begin_at(*options.first_variance);
  const std::vector<double> psi = psi_weights(fit.model, theta, horizon);
  std::vector<LevelAhead> exact;
  if (fit.exact) exact = levels_ahead(fit.model, theta, origin.end(), columns.mean);
  Outlook out{.steps = {},
              .long_run = fit.unconditional_variance,
              .half_life = fit.half_life,
              .last_variance = fit.variances.back(),
              .cloud = simulate_paths(fit, options, columns, dates, executor)};
  // Means without a closed form are those of paths at the estimates.
  const VarianceFamily& family = variance_family(fit.model.variance);
  std::optional<Cloud> at_estimates;
  if (family.mean_by_paths || fit.model.mean.risk) {
    ForecastOptions plug_in = options;
    plug_in.method = ForecastMethod::plug_in;
    plug_in.transformed = nullptr;
    at_estimates = simulate_paths(fit, plug_in, columns, dates, executor);
  }
  std::vector<double> variances;
  const ParameterNames names = parameter_names(fit.model);
  const std::span<const double> from_variance = std::span(theta).subspan(names.mean.size());
  const std::vector<std::optional<double>> factors =
      family.mean_factors(fit.model, from_variance.first(names.variance.size()),
                          from_variance.subspan(names.variance.size()), horizon);
  for (std::size_t k = 0; k < horizon; ++k) {
    const auto at = static_cast<Index>(k);
    const Stepper::Row row = step.expect(step.regression(columns.mean, at),
                                         step.variance_regression(columns.variance, at));
    ForecastStep s;
    s.step = static_cast<int>(k) + 1;
    if (!dates.empty()) s.date = dates[k];
    s.typical_variance = row.h;
    if (k > 0 && family.mean_by_paths)
      s.variance = mean_of(at_estimates->variances[k]);
    else if (factors[k])
      s.variance = row.h * *factors[k];
    variances.push_back(s.shown_variance());
    double of_return = 0;
    for (std::size_t i = 0; i <= k; ++i) of_return += psi[i] * psi[i] * variances[k - i];
    // The mean of a volatility has no closed form but for the next row.
    s.mean = fit.model.mean.risk && k > 0 ? mean_of(at_estimates->returns[k]) : row.mean;
    s.sd = std::sqrt(fit.exact ? exact[k].variance : of_return);
    out.steps.push_back(std::move(s));
  }
  if (!fit.model.mean.differences.empty()) {
    out.total_mean = out.steps.back().mean - past.levels[0];
    out.total_sd = out.steps.back().sd;
    return out;
  }
  double cumulative = 0, total_variance = 0;
  for (std::size_t k = psi.size(); k-- > 0;) {
    cumulative += psi[psi.size() - 1 - k];
    total_variance += cumulative * cumulative * variances[k];
  }
  for (const ForecastStep& s : out.steps) out.total_mean += s.mean;
  out.total_sd = std::sqrt(total_variance);
  return out;
}

// Equal weights: means and variances of the mixture, and the paths of all.
Outlook average(std::vector<Outlook> of) {
  Outlook out = std::move(of.front());
  if (of.size() == 1) return out;
  const auto n = static_cast<double>(of.size());
  // Of the mixture of laws with these means and standard deviations: its mean and deviation.
  const auto mix = [&](double& mean, double& sd, auto mean_of_one, auto sd_of_one) {
    double sum = mean, squares = mean * mean + sd * sd;
    for (std::size_t i = 1; i < of.size(); ++i) {
      const double m = mean_of_one(of[i]), s = sd_of_one(of[i]);
      sum += m;
      squares += m * m + s * s;
    }
    mean = sum / n;
    sd = std::sqrt(std::max(0.0, squares / n - mean * mean));
  };
  mix(
      out.total_mean, out.total_sd, [](const Outlook& o) { return o.total_mean; },
      [](const Outlook& o) { return o.total_sd; });
  for (std::size_t k = 0; k < out.steps.size(); ++k) {
    ForecastStep& s = out.steps[k];
    mix(
        s.mean, s.sd, [k](const Outlook& o) { return o.steps[k].mean; },
        [k](const Outlook& o) { return o.steps[k].sd; });
    for (std::size_t i = 1; i < of.size(); ++i) {
      const ForecastStep& other = of[i].steps[k];
      s.typical_variance += other.typical_variance;
      if (s.variance && other.variance)
        *s.variance += *other.variance;
      else
        s.variance.reset();
    }
    s.typical_variance /= n;
    if (s.variance) *s.variance /= n;
  }
  for (std::size_t i = 1; i < of.size(); ++i) {
    out.last_variance += of[i].last_variance;
    if (out.long_run && of[i].long_run)
      *out.long_run += *of[i].long_run;
    else
      out.long_run.reset();
    out.cloud.append(of[i].cloud);
  }
  out.last_variance /= n;
  if (out.long_run) *out.long_run /= n;
  out.half_life.reset();  // an average closes its gap at no steady pace
  return out;
}

Outlook average_outlook(const std::vector<const Fit*>& fits, const ForecastOptions& options,
                        const std::vector<Timestamp>& dates, const Executor& executor) {
  std::vector<Outlook> outlooks;
  for (const Fit* fit : fits) outlooks.push_back(look_ahead(*fit, options, dates, executor));
  return average(std::move(outlooks));
}

void annualise(Forecast& ahead, const HorizonTotal& total, double per_year) {
  const double years = static_cast<double>(ahead.steps.size()) / per_year;
  Annualised a;
  a.periods_per_year = per_year;
  a.volatility = total.sd / std::sqrt(years);
  for (const PredictionInterval& i : total.volatility_interval)
    a.volatility_interval.push_back(
        {i.percent, i.low / std::sqrt(years), i.high / std::sqrt(years)});
  if (ahead.long_run_variance)
    a.long_run_volatility = std::sqrt(*ahead.long_run_variance * per_year);
  ahead.annualised = std::move(a);
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

std::vector<Fit> fit_windows(const Fit& whole, std::size_t count, std::size_t shortest,
                             const Executor& executor) {
  if (count < 2 || shortest < 1 || shortest >= whole.count)
    throw Error(ErrorCode::bad_option,
                fmt::format("fit_windows: {} windows down to {} rows of {}: at least two, and the "
                            "shortest shorter than the whole",
                            count, shortest, whole.count));
  std::vector<FitJob> jobs;
  for (std::size_t w = 1; w < count; ++w) {
    const std::size_t rows = whole.count - (whole.count - shortest) * w / (count - 1);
    jobs.push_back(
        {whole.model,
         whole.series,
         whole.first + whole.count - rows,
         rows,
         {.errors = whole.errors,
          .likelihood = whole.exact ? LikelihoodKind::exact : LikelihoodKind::conditional}});
  }
  std::vector<Fit> fits = values_of(fit_many(jobs, {}, executor));
  fits.insert(fits.begin(), whole);
  return fits;
}

namespace {

// The printed figure whose Monte Carlo error is the largest share of its interval, where that is
// more than may be overlooked.
struct Rough {
  std::string of;
  double error, share;
};
std::optional<Rough> roughest(const Forecast& ahead) {
  std::optional<Rough> worst;
  const auto look = [&](const std::vector<PredictionInterval>& intervals,
                        const std::vector<TailRisk>& tails, double allowed,
                        const std::string& what) {
    if (intervals.empty()) return;
    const PredictionInterval& widest = intervals.back();
    // Of a quantity that does not vary the ends differ by rounding alone.
    const double width = widest.high - widest.low;
    if (width <= 1e-9 * std::max(std::abs(widest.low), std::abs(widest.high))) return;
    const auto keep = [&](double error, const auto& name) {
      const double share = error / width / allowed;
      if (share > 1 && (!worst || share > worst->share)) worst = {name(), error, share};
    };
    keep(widest.error,
         [&] { return fmt::format("the ends of the {} % interval of {}", widest.percent, what); });
    for (const TailRisk& tail : tails)
      keep(tail.error, [&] { return fmt::format("the worst {} % of {}", tail.percent, what); });
  };
  for (const ForecastStep& s : ahead.steps) {
    look(s.return_interval, s.tails, kRoughEnds,
         fmt::format("the {} of step {}", is_return(ahead.kind) ? "return" : "value", s.step));
    if (!ahead.volatility_varies) continue;
    look(s.volatility_interval, {}, kRoughVolatility,
         fmt::format("the volatility of step {}", s.step));
  }
  if (!ahead.horizon_total) return worst;
  const HorizonTotal& total = *ahead.horizon_total;
  look(total.return_interval, total.tails, kRoughEnds,
       is_return(ahead.kind) ? "the total return" : "the total");
  if (ahead.volatility_varies)
    look(total.volatility_interval, {}, kRoughVolatility, "the volatility of the whole horizon");
  return worst;
}

// Whether the median on the file's own scale is the way back of the means: where every row ahead,
// and every sum of them, is symmetric around its mean and the way back is a rising function of such
// sums. So it is with known parameters under a symmetric law in a family that knows no signs, for
// all links but the simple return, whose way back multiplies.
bool has_exact_median(const Fit& fit, const ForecastOptions& options) {
  if (options.method != ForecastMethod::plug_in) return false;
  const Variance& v = fit.model.variance;
  const bool signs = std::holds_alternative<Gjr>(v) || std::holds_alternative<Egarch>(v) ||
                     std::holds_alternative<Aparch>(v);
  if (signs || fit.model.mean.risk || !shock_law(fit.model.shocks).symmetric) return false;
  return std::none_of(options.transformed->links.begin(), options.transformed->links.end(),
                      [](const AppliedTransform& a) {
                        return std::holds_alternative<transforms::SimpleReturn>(a.link);
                      });
}

// Of one fit, or the average of several that are usable, of one model, and end at the same row.
// What a forecast is made of, and the parts of it that are written one after another.
class ForecastReport {
 public:
  ForecastReport(const std::vector<const Fit*>& fits, const ForecastOptions& options,
                 const Executor& executor)
      : fits_(fits),
        fit_(*fits.front()),
        options_(options),
        dates_(dates_ahead(fit_, static_cast<std::size_t>(options.horizon))),
        outlook_(average_outlook(fits, options, dates_, executor)) {}

  Forecast write() {
    write_head();
    for (std::size_t k = 0; k < ahead_.steps.size(); ++k) write_step(k);
    // Known exactly: the law's own quantiles take the place of simulated ones.
    if (is_plug_in()) write_next_row(ahead_.steps.front());
    write_original_scale();
    write_total();
    write_warnings();
    return std::move(ahead_);
  }

 private:
  [[nodiscard]] bool is_plug_in() const {
    return options_.method == ForecastMethod::plug_in && fits_.size() == 1;
  }
  [[nodiscard]] Simulated simulated(std::vector<double>& values) const {
    return {values, outlook_.cloud.paths_a_draw, options_.simulation_errors};
  }
  static double same(double v) { return v; }
  static double root(double v) { return std::sqrt(v); }
  // Of a law without a mean.
  static void without_means(std::vector<TailRisk>& tails) {
    for (TailRisk& t : tails) {
      t.shortfall.reset();
      t.shortfall_error = 0;
    }
  }

  void write_head() {
    ahead_.model = to_string(fit_.model);
    ahead_.name = fit_.series->name;
    ahead_.unit = fit_.series->unit;
    ahead_.kind = fit_.series->kind;
    ahead_.of_level = !counts_from_zero(fit_.window());
    ahead_.of_change = fit_.lost > 0;
    ahead_.period = fit_.series->period();
    ahead_.method = options_.method;
    if (fits_.size() > 1)
      for (const Fit* one : fits_) ahead_.windows.push_back(one->count);
    ahead_.intervals = options_.intervals;
    std::sort(ahead_.intervals.begin(), ahead_.intervals.end());
    ahead_.last_variance = outlook_.last_variance;
    ahead_.long_run_variance = outlook_.long_run;
    ahead_.volatility_varies = !std::holds_alternative<Steady>(fit_.model.variance);
    if (!dates_.empty()) ahead_.origin = fit_.series->times[fit_.first + fit_.count - 1];
    ahead_.steps = std::move(outlook_.steps);
    ahead_.half_way = outlook_.long_run ? outlook_.half_life : std::nullopt;
    ahead_.next = {.shocks = fit_.model.shocks, .parts = std::move(outlook_.cloud.next)};
    if (is_plug_in()) {  // of an exact fit the state may be uncertain too
      NextRow::Part& part = ahead_.next.parts.front();
      part.mean = ahead_.steps.front().mean;
      part.variance = ahead_.steps.front().sd * ahead_.steps.front().sd;
    }
    ahead_.effective_draws = outlook_.cloud.effective;
    ahead_.back = options_.back;
    if (options_.transformed) ahead_.original_name = options_.transformed->original.name;
  }

  void write_step(std::size_t k) {
    ForecastStep& s = ahead_.steps[k];
    if (outlook_.long_run && ahead_.volatility_varies) {
      const double first = ahead_.steps.front().shown_variance(), gap = first - *outlook_.long_run;
      if (std::abs(gap) > 1e-9 * first)
        s.gap_left = (s.shown_variance() - *outlook_.long_run) / gap;
    }
    Simulated of_return = simulated(outlook_.cloud.returns[k]);
    s.return_interval = of_return.intervals(ahead_.intervals, same);
    s.tails = of_return.tails(options_.tails);
    if (!s.variance) without_means(s.tails);
    if (!is_plug_in() || k > 0)
      s.volatility_interval =
          simulated(outlook_.cloud.variances[k]).intervals(ahead_.intervals, root);
  }

  void write_next_row(ForecastStep& s) const {
    const NextRow& next = ahead_.next;
    for (PredictionInterval& interval : s.return_interval)
      interval = {.percent = interval.percent,
                  .low = next.quantile(0.5 - interval.percent / 200.0),
                  .high = next.quantile(0.5 + interval.percent / 200.0)};
    for (TailRisk& tail : s.tails)
      tail = {.percent = tail.percent,
              .value_at_risk = next.value_at_risk(tail.percent),
              .shortfall = next.shortfall(tail.percent)};
  }

  void write_original_scale() {
    Cloud& cloud = outlook_.cloud;
    std::optional<std::vector<double>> exact_median;
    if (fits_.size() == 1 && options_.transformed && has_exact_median(fit_, options_)) {
      std::vector<double> means;
      for (const ForecastStep& s : ahead_.steps) means.push_back(s.mean);
      exact_median = options_.transformed->inverse_ahead(means, dates_);
    }
    for (std::size_t k = 0; k < cloud.original.size(); ++k) {
      std::vector<double>& values = cloud.original[k];
      const ForecastStep& s = ahead_.steps[k];
      OriginalStep there;
      // Where the median is known the simulation's own error in it is taken out of the mean too.
      const double simulated_median = maths::quantile(values, 0.5);
      there.mean = mean_of(values) + (exact_median ? (*exact_median)[k] - simulated_median : 0);
      // The same paths tell how far the model's own variance, which is known, was missed by chance.
      there.variance = variance_of(values) * s.sd * s.sd / variance_of(cloud.returns[k]);
      there.median = exact_median ? (*exact_median)[k] : simulated_median;
      Simulated of_value = simulated(values);
      there.interval = of_value.intervals(ahead_.intervals, same);
      there.tails = of_value.tails(options_.tails);
      if (!s.variance) without_means(there.tails);
      ahead_.original.push_back(std::move(there));
    }
  }

  void write_total() {
    if (!fit_.adds_up()) return;
    HorizonTotal& total = ahead_.horizon_total.emplace();
    total.mean = outlook_.total_mean;
    total.sd = outlook_.total_sd;
    Simulated of_total = simulated(outlook_.cloud.total_return);
    total.return_interval = of_total.intervals(ahead_.intervals, same);
    total.tails = of_total.tails(options_.tails);
    if (!ahead_.steps.back().variance) without_means(total.tails);
    if (!is_plug_in() || ahead_.steps.size() > 1)
      total.volatility_interval =
          simulated(outlook_.cloud.total_variance).intervals(ahead_.intervals, root);
    if (const auto year = options_.per_year ? options_.per_year : fit_.series->rows_per_year())
      annualise(ahead_, total, *year);
  }

  // Of the ends that are asked for the one farthest out.
  [[nodiscard]] std::optional<Warning> few_paths_beyond() const {
    double share = 1;
    std::string of;
    if (!ahead_.intervals.empty()) {
      share = (100 - ahead_.intervals.back()) / 200;
      of = fmt::format("an end of the {} % interval", ahead_.intervals.back());
    }
    for (const double percent : options_.tails)
      if (percent / 100 < share) {
        share = percent / 100;
        of = fmt::format("the value-at-risk at {} %", percent);
      }
    const double beyond = share * static_cast<double>(outlook_.cloud.paths);
    if (beyond >= kFewBeyond) return std::nullopt;
    return Warning{
        WarningCode::few_draws,
        fmt::format(
            "of {} simulated paths {} are expected beyond {}: too few to know where it is; "
            "take an interval or a tail that is less far out, or more {}",
            text::count(outlook_.cloud.paths), text::significant(beyond, 1), of,
            options_.method == ForecastMethod::refit ? "refits (`refits`)" : "draws (`draws`)")};
  }

  void write_warnings() {
    std::vector<Warning>& warnings = ahead_.warnings;
    for (const Fit* one : fits_)
      for (const Warning& warning : one->warnings)
        if (!has_warning(warnings, warning.code)) warnings.push_back(warning);
    if (!ahead_.intervals.empty())
      ahead_.monte_carlo_error = ahead_.steps.back().return_interval.back().error;
    if (const auto rough = roughest(ahead_))
      warnings.push_back(
          {WarningCode::few_draws,
           fmt::format("the simulation leaves an error of {} in {}; more {} make it smaller",
                       text::significant(rough->error, 2), rough->of,
                       options_.method == ForecastMethod::refit ? "refits (`refits`)"
                                                                : "draws (`draws`)")});
    if (auto few = few_paths_beyond()) warnings.push_back(std::move(*few));
    if (!ahead_.steps.back().variance)
      warnings.push_back(
          {WarningCode::moment_undefined,
           "the mean of the variance is infinite under this law, and so is an expected shortfall: "
           "volatility is that of the typical path, exp of the mean of ln h, and intervals and "
           "value-at-risk are quantiles, which exist"});
    const Cloud& cloud = outlook_.cloud;
    if (cloud.drawn > 0)
      ahead_.share_redrawn =
          static_cast<double>(cloud.refused) / static_cast<double>(cloud.refused + cloud.drawn);
    if (!(ahead_.share_redrawn > kManyRedrawn)) return;
    const double percent = 100 * ahead_.share_redrawn;
    warnings.push_back(
        {WarningCode::draws_rejected,
         options_.method == ForecastMethod::refit
             ? fmt::format("{:.0f} % of the refits reached no maximum and were replaced, "
                           "so the intervals do not reflect the series that are hard to fit",
                           percent)
             : fmt::format("{:.0f} % of the parameter draws violated a constraint of the model and "
                           "were redrawn, so the normal law of the estimates is rough here",
                           percent)});
  }

  std::vector<const Fit*> fits_;
  const Fit& fit_;
  const ForecastOptions& options_;
  std::vector<Timestamp> dates_;
  Outlook outlook_;
  Forecast ahead_;
};

}  // namespace

Forecast forecast(const Fit& fit, const ForecastOptions& options, const Executor& executor) {
  validate(fit, options);
  return ForecastReport({&fit}, options, executor).write();
}

Forecast forecast_averaged(const std::vector<Fit>& all, const ForecastOptions& options,
                           const Executor& executor) {
  if (all.empty()) throw Error(ErrorCode::bad_option, "forecast_averaged: no fits are given");
  std::vector<const Fit*> fits;
  for (const Fit& one : all) {
    if (one.model != all.front().model ||
        one.first + one.count != all.front().first + all.front().count)
      throw Error(
          ErrorCode::bad_option,
          fmt::format("forecast_averaged: '{}' and '{}' are not of one model, or do not end "
                      "at the same row",
                      to_string(all.front().model), to_string(one.model)));
    if (one.usable()) fits.push_back(&one);
  }
  validate(fits.empty() ? all.front() : *fits.front(), options);
  Forecast ahead = ForecastReport(fits, options, executor).write();
  if (fits.size() < all.size())
    ahead.warnings.push_back(
        {WarningCode::windows_left_out,
         fmt::format("of {} windows {} are left out of the average: their fits did not converge",
                     all.size(), all.size() - fits.size())});
  return ahead;
}

}  // namespace brace::inline v0
