// SPDX-License-Identifier: Apache-2.0
// The rolling origin: who forecasts what from where. Judged in backtest_scores.cpp. Covered by
// tests/evaluate/backtest_test.cpp.
#include "brace/evaluate/backtest.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>
#include <numbers>
#include <numeric>

#include "base/given_or.hpp"
#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/estimation/rolling.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/model_line.hpp"
#include "brace/series/split.hpp"
#include "estimation/fit_warnings.hpp"
#include "evaluate/accuracy_words.hpp"
#include "evaluate/backtest_scores.hpp"
#include "families/variance_family.hpp"
#include "maths/log_mean_exp.hpp"

namespace brace::inline v0 {
namespace {

// Forecasts of each origin's draw of parameters, where the method has such.
constexpr int kPathsADraw = 10;
// Rows with known losses before weights follow them.
constexpr std::size_t kLossesForWeights = 20;

[[noreturn]] void refuse_backtest(const std::string& what) {
  throw Error(ErrorCode::bad_option, "backtest: " + what);
}

void validate(const Series& series, const BacktestOptions& o, std::size_t entrants) {
  for (const Transform& link : o.chain)
    if (std::holds_alternative<transforms::Window>(link))
      refuse_backtest(fmt::format("'{}' cuts rows out; cut them before", to_string(link)));
  if (entrants == 0) refuse_backtest("give a model or a baseline");
  if (o.horizon < 1) refuse_backtest(fmt::format("a horizon of {}: at least 1", o.horizon));
  if (o.refit_every < 1) refuse_backtest("refit every 1 row or more");
  if (o.paths < 200) refuse_backtest(fmt::format("{} paths: at least 200", o.paths));
  if (!o.proxy.empty() && o.proxy.size() != series.size())
    refuse_backtest(
        fmt::format("a proxy of {} rows for a series of {}", o.proxy.size(), series.size()));
  const auto horizon = static_cast<std::size_t>(o.horizon);
  if (o.window < 30)
    refuse_backtest(fmt::format("a window of {} rows (`window`): at least 30", o.window));
  if (series.size() < o.window + horizon + 9)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("{}: {} rows leave no room for windows of {}, a horizon of {} and ten "
                            "origins; give shorter ones (`window`)",
                            series.name, series.size(), o.window, o.horizon));
  if (given_or<std::size_t>(o.origins, 1, "origins") > series.size() - o.window - horizon + 1)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("{}: {} origins are asked for, and {} rows with windows of {} leave {}",
                            series.name, *o.origins, series.size(), o.window,
                            series.size() - o.window - horizon + 1));
}

// Index of the last row that each forecast knows.
std::vector<std::size_t> origins_of(const Series& series, const BacktestOptions& o) {
  const std::size_t last = series.size() - 1 - static_cast<std::size_t>(o.horizon);
  const std::size_t first = o.origins ? last + 1 - *o.origins : o.window - 1;
  std::vector<std::size_t> origins(last - first + 1);
  std::iota(origins.begin(), origins.end(), first);
  return origins;
}

class Runner {
 public:
  Runner(const Series& series, const BacktestOptions& options,
         const std::vector<std::size_t>& origins, std::size_t all)
      : series_(series), options_(options), origins_(origins), all_(all) {}

  // The steps of every origin; those of known records are taken over.
  void add_model(const Model& given, std::size_t number, Entrant& entrant,
                 const Executor& executor) {
    const Model model = resolved(canonical(given), series_);
    prepare(entrant);
    const std::vector<std::size_t> open = open_origins(number, entrant);
    if (open.empty() || told_to_stop()) return;
    const std::vector<RollingFit> fits = fit_rolling(model, series_,
                                                     {.window = options_.window,
                                                      .expanding = options_.expanding,
                                                      .every = options_.refit_every,
                                                      .first_end = origins_.front() + 1,
                                                      .last_end = origins_.back() + 1,
                                                      .prepare = prepare_window()},
                                                     executor);
    // Which fit's parameters each origin has.
    std::vector<std::size_t> source(fits.size());
    std::optional<std::size_t> usable;
    for (std::size_t i = 0; i < fits.size(); ++i) {
      if (fits[i].status != FitStatus::failed) usable = i;
      source[i] = usable.value_or(fits.size());
    }
    if (!usable)
      refuse_backtest(
          fmt::format("'{}' converged on none of {} windows", to_string(model), fits.size()));
    for (std::size_t i = 0; i < source.size(); ++i)
      if (source[i] == fits.size())  // none before it: the first that there is
        source[i] = *std::find_if(source.begin(), source.end(),
                                  [&](std::size_t s) { return s < fits.size(); });
    const std::vector<std::string> names = parameter_names(model).all();
    executor.for_each(open.size(), [&](std::size_t i) {
      if (told_to_stop()) return;
      const std::size_t at = open[i], refit = at / options_.refit_every;
      BacktestRecord record{
          .entrant = number, .origin = at, .stale = source[refit] != refit, .steps = {}};
      record.steps = from_model(model, names, fits[source[refit]], origins_[at]);
      keep(std::move(record), entrant);
    });
  }

  void add_baseline(const std::string& words, std::size_t number, Entrant& entrant,
                    const Executor& executor) {
    const BaselineKind kind = parse_baseline(words);
    prepare(entrant);
    const std::vector<std::size_t> open = open_origins(number, entrant);
    executor.for_each(open.size(), [&](std::size_t i) {
      if (told_to_stop()) return;
      BacktestRecord record{.entrant = number, .origin = open[i], .stale = false, .steps = {}};
      record.steps = from_baseline(kind, origins_[open[i]]);
      keep(std::move(record), entrant);
    });
  }

  // Whether something was left out because of a stop.
  [[nodiscard]] bool stopped() const { return stopped_; }

 private:
  bool told_to_stop() {
    if (!options_.progress.stop.stop_requested()) return false;
    stopped_ = true;
    return true;
  }
  [[nodiscard]] std::function<Series(const Series&)> prepare_window() const {
    if (options_.chain.empty()) return {};
    return [this](const Series& window) { return transform(window, options_.chain).series; };
  }

  void prepare(Entrant& entrant) const { entrant.steps.resize(origins_.size()); }

  std::vector<std::size_t> open_origins(std::size_t number, Entrant& entrant) {
    for (const BacktestRecord& r : options_.known)
      if (r.entrant == number) {
        require_fitting(r);
        entrant.steps[r.origin] = r.steps;
        entrant.stale += r.stale;
        ++done_;
      }
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < origins_.size(); ++i)
      if (entrant.steps[i].empty()) open.push_back(i);
    return open;
  }

  // A record of this run: what it holds is what these options ask for.
  void require_fitting(const BacktestRecord& record) const {
    const bool fits =
        record.origin < origins_.size() &&
        record.steps.size() == static_cast<std::size_t>(options_.horizon) &&
        std::all_of(record.steps.begin(), record.steps.end(), [&](const BacktestStep& s) {
          return s.return_interval.size() == options_.intervals.size() &&
                 s.tails.size() == options_.tails.size();
        });
    if (!fits)
      refuse_backtest(
          fmt::format("a known record of origin {} does not fit these options (its "
                      "steps, intervals or tails)",
                      record.origin + 1));
  }

  void keep(BacktestRecord record, Entrant& entrant) {
    const std::lock_guard<std::mutex> lock(mutex_);
    entrant.stale += record.stale;
    entrant.steps[record.origin] = record.steps;
    if (options_.keep) options_.keep(record);
    ++done_;
    if (options_.progress.report) options_.progress.report(done_, all_);
  }

  [[nodiscard]] Series known_at(std::size_t origin) const {
    const std::size_t first =
        options_.expanding ? origins_.front() + 1 - options_.window : origin + 1 - options_.window;
    return rows_between(series_, first, origin + 1);
  }

  [[nodiscard]] std::vector<BacktestStep> from_model(const Model& model,
                                                     const std::vector<std::string>& names,
                                                     const RollingFit& fitted,
                                                     std::size_t origin) const {
    const auto horizon = static_cast<std::size_t>(options_.horizon);
    KnownFit known;
    known.model = model;
    // Drawn from where the method does; else its delta method would be paid for nothing.
    if (options_.method != ForecastMethod::plug_in) known.covariance = fitted.covariance;
    for (std::size_t j = 0; j < names.size(); ++j) {
      Parameter p;
      p.name = names[j];
      p.estimate = fitted.estimates[j];
      p.held = std::any_of(model.held.begin(), model.held.end(),
                           [&](const Held& h) { return h.name == p.name; });
      known.parameters.push_back(std::move(p));
    }
    known.convergence.status = fitted.status;
    // The numbers of a transform are those of the window that was fitted.
    std::shared_ptr<const Transformed> transformed;
    if (!options_.chain.empty())
      transformed = std::make_shared<Transformed>(
          transform(rows_between(series_, fitted.first, origin + 1), options_.chain, fitted.count));
    // From the first row of the fit on: terms that count time (trend, harmonics) go on from where
    // they were estimated.
    const auto part = std::make_shared<Series>(
        transformed ? transformed->series : rows_between(series_, fitted.first, origin + 1));
    const Fit fit = restore(std::move(known), part);
    const ForecastOptions ahead_options{
        .horizon = options_.horizon,
        .intervals = options_.intervals,
        .method = options_.method,
        .tails = options_.tails,
        .future = rows_between(series_, origin + 1, origin + 1 + horizon).companions,
        .transformed = transformed,
        .draws = std::max(100, options_.paths / kPathsADraw),
        .paths = kPathsADraw,
        .refits = 100,
        .seed = options_.seed + origin,
        .simulation_errors = false};
    const Forecast ahead = forecast(fit, ahead_options);
    std::vector<BacktestStep> steps;
    for (std::size_t k = 0; k < horizon; ++k) {
      const ForecastStep& s = ahead.steps[k];
      const OriginalStep* back = transformed ? &ahead.original[k] : nullptr;
      steps.push_back({.mean = back ? back->mean : s.mean,
                       .variance = back ? back->variance : s.sd * s.sd,
                       .return_interval = back ? back->interval : s.return_interval,
                       .tails = back ? back->tails : s.tails,
                       .actual = series_.values[origin + 1 + k],
                       .proxy = kNaN,
                       .transform = kNaN,
                       .log_score = kNaN,
                       .crps = kNaN});
    }
    if (!transformed) score(steps.front(), ahead.next);
    return steps;
  }

  static void score(BacktestStep& step, const NextRow& next) {
    if (std::isnan(step.actual)) return;
    const DensityScore score = score_density(next, step.actual);
    step.transform = score.transform;
    step.log_score = score.log_score;
    step.crps = score.crps;
  }

  [[nodiscard]] std::vector<BacktestStep> from_baseline(const BaselineKind& kind,
                                                        std::size_t origin) const {
    const Baseline baseline = fit_baseline(kind, known_at(origin));
    std::vector<BacktestStep> steps;
    for (const BaselineStep& s : forecast(baseline, options_.horizon, options_.intervals)) {
      BacktestStep step{.mean = s.mean,
                        .variance = s.sd * s.sd,
                        .return_interval = s.interval,
                        .tails = {},
                        .actual = series_.values[origin + 1 + steps.size()],
                        .proxy = kNaN,
                        .transform = kNaN,
                        .log_score = kNaN,
                        .crps = kNaN};
      for (const double percent : options_.tails) {
        const double z = laws::normal_quantile(percent / 100);
        step.tails.push_back({percent, s.mean + s.sd * z,
                              s.mean - s.sd * std::exp(-0.5 * z * z) /
                                           std::sqrt(2 * std::numbers::pi) / (percent / 100)});
      }
      if (steps.empty()) score(step, {.shocks = Normal{}, .parts = {{s.mean, s.sd * s.sd, {}}}});
      steps.push_back(std::move(step));
    }
    return steps;
  }

  const Series& series_;
  const BacktestOptions& options_;
  const std::vector<std::size_t>& origins_;
  std::size_t all_;
  std::mutex mutex_;
  std::size_t done_ = 0;
  std::atomic<bool> stopped_ = false;
};

// What a variance left behind at each forecast row: a given measure, or the squared deviation from
// a mean that is the same for all entrants and does not move with their order. Of returns that is
// the mean of the rows known at the origin; of levels, whose mean says nothing, the average of all
// forecasts.
void fill_proxies(std::vector<Entrant>& entrants, const Backtest& b,
                  const BacktestOptions& options) {
  constexpr double kRounding = 1e-13;  // of a mean of rows, in their mean size
  const bool returns = !lingers(b.series);
  for (std::size_t i = 0; i < b.origins.size(); ++i) {
    double known = 0, size = 0, n = 0;
    const std::size_t first =
        b.expanding ? b.origins.front() + 1 - b.window : b.origins[i] + 1 - b.window;
    for (std::size_t t = first; t <= b.origins[i]; ++t)
      if (const double v = b.series.values[t]; !std::isnan(v)) {
        known += v;
        size += std::abs(v);
        ++n;
      }
    for (std::size_t k = 0; k < static_cast<std::size_t>(b.horizon); ++k) {
      double centre = known / n;
      if (!returns) {
        double sum = 0, count = 0;
        for (const Entrant& e : entrants)
          if (e.steps[i].size() > k && std::isfinite(e.steps[i][k].mean)) {
            sum += e.steps[i][k].mean;
            ++count;
          }
        centre = sum / count;
      }
      for (Entrant& e : entrants) {
        if (e.steps[i].size() <= k) continue;
        BacktestStep& s = e.steps[i][k];
        // A price that stands still deviates by nothing, in whatever way its mean is rounded.
        double away = s.actual - centre;
        if (std::abs(away) <= kRounding * size / n) away = 0;
        s.proxy = options.proxy.empty() ? away * away : options.proxy[b.origins[i] + 1 + k];
        if (std::isnan(s.actual)) s.proxy = kNaN;
      }
    }
  }
}

BacktestStep weighted(const std::vector<const BacktestStep*>& steps, const std::vector<double>& w) {
  BacktestStep out = *steps.front();
  out.mean = out.variance = out.transform = 0;
  out.crps = kNaN;
  std::vector<double> log_densities;
  for (PredictionInterval& i : out.return_interval) i.low = i.high = 0;
  for (TailRisk& t : out.tails) {
    t.value_at_risk = 0;
    t.shortfall = 0;
  }
  for (std::size_t m = 0; m < steps.size(); ++m) {
    const BacktestStep& s = *steps[m];
    out.mean += w[m] * s.mean;
    out.variance += w[m] * s.variance;
    // Of the linear pool of their laws (Stone 1961); NaN where one has none.
    out.transform += w[m] * s.transform;
    log_densities.push_back(s.log_score);
    for (std::size_t i = 0; i < out.return_interval.size(); ++i) {
      out.return_interval[i].low += w[m] * s.return_interval[i].low;
      out.return_interval[i].high += w[m] * s.return_interval[i].high;
    }
    for (std::size_t i = 0; i < out.tails.size(); ++i) {
      out.tails[i].value_at_risk += w[m] * s.tails[i].value_at_risk;
      std::optional<double>& shortfall = out.tails[i].shortfall;
      if (shortfall && s.tails[i].shortfall)
        *shortfall += w[m] * *s.tails[i].shortfall;
      else
        shortfall.reset();
    }
  }
  out.log_score = maths::log_mean_exp(log_densities, w);
  return out;
}

// Means, variances and ends of intervals averaged over the models: with equal weights, or with the
// inverse of the mean loss (QLIKE as a ratio) of what was known at each origin.
Entrant combination(const std::vector<Entrant>& entrants, std::size_t models, std::size_t origins,
                    std::size_t horizon, bool by_loss) {
  Entrant out;
  out.label = by_loss ? "models, inverse-loss weights" : "models, equal weights";
  out.kind = Entrant::Kind::combination;
  out.steps.resize(origins);
  std::vector<std::vector<double>> loss(models, std::vector<double>(horizon, 0));
  std::vector<std::size_t> known(horizon, 0);
  for (std::size_t i = 0; i < origins; ++i) {
    // What became known since the last origin: the step k + 1 of the origin i - 1 - k.
    for (std::size_t k = 0; k < horizon && k + 1 <= i; ++k) {
      const std::size_t past = i - 1 - k;
      bool complete = true;
      for (std::size_t m = 0; m < models; ++m)
        complete =
            complete && entrants[m].steps[past].size() > k && entrants[m].steps[past][k].proxy > 0;
      if (!complete) continue;
      ++known[k];
      for (std::size_t m = 0; m < models; ++m) {
        const BacktestStep& s = entrants[m].steps[past][k];
        const double x = s.proxy / s.variance;
        loss[m][k] += x - std::log(x) - 1;
      }
    }
    for (std::size_t k = 0; k < horizon; ++k) {
      std::vector<const BacktestStep*> steps;
      std::vector<double> weights;
      for (std::size_t m = 0; m < models; ++m) {
        if (entrants[m].steps[i].size() <= k) break;
        steps.push_back(&entrants[m].steps[i][k]);
        weights.push_back(
            by_loss && known[k] >= kLossesForWeights && loss[m][k] > 0 ? 1 / loss[m][k] : 1);
      }
      if (steps.size() < models) break;
      const double sum = std::accumulate(weights.begin(), weights.end(), 0.0);
      for (double& w : weights) w /= sum;
      out.steps[i].push_back(weighted(steps, weights));
    }
  }
  return out;
}

}  // namespace

Backtest backtest(const std::vector<Model>& models, const Series& series,
                  const BacktestOptions& options, const Executor& executor) {
  validate(series, options, models.size() + options.baselines.size());
  Backtest b;
  b.series = series;
  b.window = options.window;
  b.refit_every = options.refit_every;
  b.expanding = options.expanding;
  b.horizon = options.horizon;
  b.method = options.method;
  for (const Transform& link : options.chain)
    b.fitted_transform += (b.fitted_transform.empty() ? "" : " ") + to_string(link);
  b.proxy = !options.proxy.empty() ? "proxy given"
            : lingers(series)      ? "squared deviation from the average of all forecasts"
                                   : "squared deviation from the mean of the rows known";
  b.origins = origins_of(series, options);
  Runner runner(series, options, b.origins,
                b.origins.size() * (models.size() + options.baselines.size()));
  b.entrants.resize(models.size() + options.baselines.size());
  for (std::size_t m = 0; m < models.size(); ++m) {
    b.entrants[m].label = to_string(canonical(models[m]));
    runner.add_model(models[m], m, b.entrants[m], executor);
  }
  for (std::size_t i = 0; i < options.baselines.size(); ++i) {
    Entrant& entrant = b.entrants[models.size() + i];
    entrant.label = to_string(parse_baseline(options.baselines[i]));
    entrant.kind = Entrant::Kind::baseline;
    runner.add_baseline(options.baselines[i], models.size() + i, entrant, executor);
  }
  b.stopped = runner.stopped();
  if (!models.empty()) b.warnings = data_warnings(models, series);
  fill_proxies(b.entrants, b, options);
  if (options.combinations && models.size() > 1)
    for (const bool by_loss : {false, true})
      b.entrants.push_back(combination(b.entrants, models.size(), b.origins.size(),
                                       static_cast<std::size_t>(options.horizon), by_loss));
  judge(b, options);
  return b;
}

Backtest backtest(const std::vector<std::string>& lines, const Series& series,
                  const BacktestOptions& options, const Executor& executor) {
  std::vector<Model> models;
  for (const std::string& line : lines) models.push_back(parse_model(line));
  return backtest(models, series, options, executor);
}

Backtest backtest(std::initializer_list<std::string_view> lines, const Series& series,
                  const BacktestOptions& options, const Executor& executor) {
  return backtest(std::vector<std::string>(lines.begin(), lines.end()), series, options, executor);
}

}  // namespace brace::inline v0
