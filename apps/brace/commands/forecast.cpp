// SPDX-License-Identifier: Apache-2.0
// brace forecast: what will volatility be, and how sure is that?
#include <fmt/format.h>

#include <cmath>
#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"
#include "study_run.hpp"

namespace brace::app {

std::vector<std::vector<std::string>> forecast_table(const Forecast& ahead) {
  std::vector<std::vector<std::string>> rows{
      {"step", "date", "mean", "sd", "volatility", "variance"}};
  const bool original = !ahead.original.empty();
  for (const double percent : ahead.intervals)
    for (const char* what : {"return", "volatility"})
      for (const char* side : {"low", "high"})
        rows[0].push_back(fmt::format("{}_{:g}_{}", what, percent, side));
  if (original) {
    rows[0].emplace_back("original_median");
    rows[0].emplace_back("original_mean");
    for (const double percent : ahead.intervals)
      for (const char* side : {"low", "high"})
        rows[0].push_back(fmt::format("original_{:g}_{}", percent, side));
  }
  for (const TailRisk& tail : ahead.steps.front().tails)
    for (const char* what : {"value_at_risk", "shortfall"})
      rows[0].push_back(fmt::format("{}_{:g}", what, tail.percent));
  for (const ForecastStep& s : ahead.steps) {
    std::vector<std::string> row{std::to_string(s.step),
                                 s.date ? format_date(*s.date) : "",
                                 cell(s.mean),
                                 cell(s.sd),
                                 cell(std::sqrt(s.shown_variance())),
                                 s.variance ? cell(*s.variance) : ""};
    for (std::size_t i = 0; i < ahead.intervals.size(); ++i) {
      row.push_back(cell(s.return_interval[i].low));
      row.push_back(cell(s.return_interval[i].high));
      const bool known = s.volatility_interval.empty();
      row.push_back(known ? "" : cell(s.volatility_interval[i].low));
      row.push_back(known ? "" : cell(s.volatility_interval[i].high));
    }
    if (original) {
      const OriginalStep& there = ahead.original[static_cast<std::size_t>(s.step) - 1];
      row.push_back(cell(there.median));
      row.push_back(cell(there.mean));
      for (const PredictionInterval& i : there.interval) {
        row.push_back(cell(i.low));
        row.push_back(cell(i.high));
      }
    }
    for (const TailRisk& tail : s.tails) {
      row.push_back(cell(tail.value_at_risk));
      row.push_back(cell(tail.shortfall));
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

ForecastMethod method_of(const Options& o) {
  for (const ForecastMethod method :
       {ForecastMethod::plug_in, ForecastMethod::resampled, ForecastMethod::refit})
    if (to_string(method) == o.ahead.method) return method;
  return ForecastMethod::full;
}

ForecastOptions forecast_options(const Options& o) {
  ForecastOptions options;
  if (o.ahead.start_volatility)
    options.first_variance = *o.ahead.start_volatility * *o.ahead.start_volatility;
  options.tails = o.ahead.tails;
  if (o.ahead.refits && o.ahead.method != to_string(ForecastMethod::refit))
    throw Error(ErrorCode::bad_option, "--refits is for --method refit, which is not asked for");
  options.refits = o.ahead.refits.value_or(options.refits);
  options.horizon = o.ahead.horizon.value_or(10);
  options.intervals = o.ahead.intervals;
  options.method = method_of(o);
  options.per_year = o.ahead.per_year;
  options.draws = o.ahead.draws;
  options.seed = o.seed;
  options.back = o.ahead.back == "mean" ? BackTransform::mean : BackTransform::median;
  return options;
}

Series supposed(const Series& series, const std::vector<double>& values) {
  Series more;
  more.name = series.name;
  more.values = values;
  if (!series.times.empty())
    more.times =
        dates_after(learn_calendar(series.times, series.clock), series.times.back(), values.size());
  return more;
}

namespace {

// The forecasts of the hold-out beside the simplest ones, on the model's scale.
Judged judged_rows(const Fit& fit, const Loaded& data, const Options& o) {
  Judged out{.rows = {}, .actual = data.held_out};
  Compared ours;
  ours.label = !fit.exact ? to_string(fit.model) : mean_part(fit.model);
  ours.hold_out = forecast_hold_out(fit, data.held_out, o.ahead.intervals);
  out.rows.push_back(std::move(ours));
  for (const char* words : {"mean", "walk"}) {
    Compared baseline;
    baseline.label = words;
    baseline.hold_out =
        forecast_hold_out(fit_baseline(words, data.values), data.held_out, o.ahead.intervals);
    out.rows.push_back(std::move(baseline));
  }
  return out;
}

// And on the file's own, where the forecast has it.
Judged judged_on_file(const Fit& fit, const Forecast& ahead, const Loaded& data, const Options& o) {
  Judged out{.rows = {}, .actual = data.level_held_out};
  if (ahead.original.size() < data.level_held_out.size() || data.level_held_out.present() == 0)
    return out;
  Compared ours, walk;
  ours.label = !fit.exact ? to_string(fit.model) : mean_part(fit.model);
  ours.hold_out = judge_original(ahead, data.level, data.level_held_out);
  walk.label = "walk";
  walk.hold_out =
      forecast_hold_out(fit_baseline("walk", data.level), data.level_held_out, o.ahead.intervals);
  out.rows = {std::move(ours), std::move(walk)};
  return out;
}

// The outcomes beside the forecasts of as many rows of the hold-out as there are.
void add_outcomes(std::vector<std::vector<std::string>>& table, const std::string& prefix,
                  const Series& held_out, const std::vector<double>& forecasts) {
  table[0].push_back(prefix + "actual");
  table[0].push_back(prefix + "error");
  for (std::size_t i = 1; i < table.size(); ++i) {
    const double actual = i <= held_out.size() ? held_out.values[i - 1] : std::nan("");
    table[i].push_back(std::isnan(actual) ? "" : cell(actual));
    table[i].push_back(std::isnan(actual) ? "" : cell(actual - forecasts[i - 1]));
  }
}

std::vector<double> shown_on_file(const Forecast& ahead) {
  std::vector<double> out;
  for (const OriginalStep& s : ahead.original)
    out.push_back(ahead.back == BackTransform::median ? s.median : s.mean);
  return out;
}

// Row by row: what was forecast, what happened, which intervals held it; then the accuracy.
void print_judged(const std::string& scale, const Forecast& ahead, const Judged& judged) {
  const HoldOutForecast& ours = *judged.rows.front().hold_out;
  std::cout << fmt::format("\n  {} held out, {}\n",
                           text::plural(judged.actual.size(), "row", "rows"), scale);
  std::cout << fmt::format("  {:<20}{:>14}{:>14}{:>14}", ahead.period, "forecast", "actual",
                           "error");
  for (const double percent : ahead.intervals)
    std::cout << fmt::format("{:>11}", fmt::format("in {} %", percent));
  std::cout << '\n';
  const std::vector<PredictionInterval>& first = ours.intervals.front();
  const double spread = first.empty() ? std::abs(ours.mean.front()) / 100
                                      : (first.back().high - first.back().low) / 4;
  const int digits =
      std::clamp(2 - static_cast<int>(std::floor(std::log10(std::max(spread, 1e-9)))), 0, 8);
  for (std::size_t k = 0; k < judged.actual.size(); ++k) {
    const double actual = judged.actual.values[k], forecast = ours.mean[k];
    std::string line = fmt::format(
        "  {:<20}{:>14}{:>14}{:>14}", judged.actual.when(k), text::fixed(forecast, digits),
        std::isnan(actual) ? "missing" : text::fixed(actual, digits),
        std::isnan(actual) ? "" : text::fixed(actual - forecast, digits));
    for (const PredictionInterval& i : ours.intervals[k])
      line += fmt::format("{:>11}", std::isnan(actual)                    ? ""
                                    : actual >= i.low && actual <= i.high ? "yes"
                                                                          : "no");
    line.erase(line.find_last_not_of(' ') + 1);
    std::cout << line << '\n';
  }
  std::string inside = "share inside:";
  for (const Coverage& c : ours.accuracy.coverage)
    inside += fmt::format("{} {:.0f} % of the {} % interval", inside.ends_with(':') ? "" : ",",
                          100 * c.inside, c.percent);
  std::cout << "  " << inside << "\n\n";
  print_accuracy(std::cout, judged.rows);
}

int run_forecast(const Options& o) {
  Loaded data;
  Fit fit = load_or_fit(o, &data);
  if (!fit.usable()) return status_of(fit);
  if (is_saved_model(o.file))
    if (auto back = way_back(fit.window())) data.transformed = std::move(*back);
  ForecastOptions options = forecast_options(o);
  const bool judged = data.held_out.size() > 0;
  if (judged && !o.ahead.horizon) options.horizon = static_cast<int>(data.held_out.size());
  if (!o.ahead.suppose.empty()) {
    if (judged || !o.ahead.future.empty())
      throw Error(ErrorCode::bad_option, "--suppose cannot be used with --hold-out or --future");
    fit = update(fit, supposed(fit.window(), o.ahead.suppose));
    data.transformed.links.clear();  // the file's own scale ends where the file does
  }
  options.future = judged ? data.held_out.companions : read_future(o);
  if (!data.transformed.goes_on() && !o.output.quiet)
    std::cerr << fmt::format(
        "brace: {} ends on a missing value, so that the forecast is not carried back to it\n",
        data.transformed.original.name);
  if (leads_back(o, data)) options.transformed = std::make_shared<Transformed>(data.transformed);
  const Executor executor = executor_of(o);
  const Forecast ahead =
      o.ahead.windows > 1
          ? forecast_averaged(
                fit_windows(fit, static_cast<std::size_t>(o.ahead.windows),
                            o.ahead.shortest_window.value_or(fit.count / 4), executor),
                options, executor)
          : forecast(fit, options, executor);
  Judged on_model, on_file;
  if (judged) {
    on_model = judged_rows(fit, data, o);
    on_file = judged_on_file(fit, ahead, data, o);
  }
  if (std::ostream* json = json_stream(o))
    *json << json_document("forecast", fit, ahead, on_model, on_file);
  if (shows_text(o)) {
    std::cout << ahead;
    if (judged) print_judged("on the scale of the model", ahead, on_model);
    if (!on_file.rows.empty()) print_judged("on the scale of the file", ahead, on_file);
    const std::vector<std::string> changes = changes_since_study(o, fit, ahead);
    if (!changes.empty()) std::cout << "\n  Since the last run of the study:\n";
    for (const std::string& change : changes) std::cout << text::wrap(change, 100, "  ");
  }
  std::vector<std::vector<std::string>> table = forecast_table(ahead);
  if (judged) {
    std::vector<double> means;
    for (const ForecastStep& s : ahead.steps) means.push_back(s.mean);
    add_outcomes(table, "", data.held_out, means);
  }
  if (!on_file.rows.empty())
    add_outcomes(table, "original_", data.level_held_out, shown_on_file(ahead));
  write_table(o, table);
  if (!o.output.chart.empty()) {
    draw_forecast(
        fit, ahead, o.output.chart,
        {.level = ahead.original.empty() || is_saved_model(o.file) ? std::nullopt
                                                                   : std::optional(data.level),
         .held_out = data.held_out,
         .level_held_out = data.level_held_out});
    say_written(o, o.output.chart);
  }
  if (shows_text(o) && o.output.chart.empty())
    print_next(o, fmt::format("forecast {}{} --horizon {} --chart forecast.png", modelled_words(o),
                              typed_words(o,
                                          [](const Option& option) {
                                            return option.name != "--horizon" &&
                                                   !is_of_reading(option) &&
                                                   option.heading != "Output";
                                          }),
                              options.horizon));
  return 0;
}

}  // namespace

Command forecast_command(Options& o) {
  Command c("forecast",
            "Volatility and returns ahead, with intervals, of a saved model or a model line",
            run_forecast);
  add_series_options(c, o, "saved model, or CSV file with --model ('-' for standard input)");
  add_model_options(c, o);
  const char* group = "The forecast";
  c.option("--horizon", o.ahead.horizon, "steps ahead (default: 10, or the hold-out)").group(group);
  c.option("--intervals", o.ahead.intervals, "percent, such as 50,95 (default)")
      .list()
      .group(group);
  c.option(
       "--method", o.ahead.method,
       "full includes the uncertainty of the estimates, resampled uses the observed shocks, refit "
       "fits simulated series, plug-in ignores the uncertainty of the estimates (default: full)")
      .words({"full", "plug-in", "resampled", "refit"})
      .group(group);
  c.option("--future", o.ahead.future, "CSV file with future values of the 'with' columns")
      .group(group)
      .path();
  c.option("--back", o.ahead.back,
           "point forecast on the original scale: median, or mean with bias correction (default: "
           "median)")
      .words({"median", "mean"})
      .group(group);
  c.option("--per-year", o.ahead.per_year,
           "periods a year to annualise by (default: the clock's; business-day 252)")
      .positive()
      .group(group);
  c.option("--tails", o.ahead.tails,
           "percent levels of value-at-risk and expected shortfall (default: 1,5)")
      .list()
      .group(group);
  c.option("--windows", o.ahead.windows,
           "average over this number of estimation windows, from the full sample to the latest "
           "rows (after a break)")
      .range(2, 100)
      .group(group);
  c.option("--shortest-window", o.ahead.shortest_window,
           "rows in the shortest window (default: a quarter of the sample)")
      .positive()
      .needs("--windows")
      .group(group);
  c.option("--suppose", o.ahead.suppose,
           "scenario: forecast as if these values were observed next, such as -5 or -5,2")
      .list()
      .group(group);
  c.option("--start-volatility", o.ahead.start_volatility,
           "scenario: volatility of the first step, regardless of the past")
      .range(1e-50, 1e50)
      .shown_as("NUMBER")
      .group(group);
  c.option("--refits", o.ahead.refits, "simulated series that --method refit fits (default: 400)")
      .group(group);
  c.option("--draws", o.ahead.draws, "parameter draws, 25 paths from each (default: 2000)")
      .group(group);
  c.option("--seed", o.seed, "random seed of the draws (default: 1)").group(group);
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative()
      .group(group);
  add_output_options(c, o);
  c.option("--out", o.output.out, "one row a step as CSV").group("Output").path();
  c.option("--chart", o.output.chart, "the forecast figure, .png .svg .pdf").group("Output").path();
  c.footer = "Example:\n  brace forecast kelp.json --horizon 20 --chart forecast.png";
  return c;
}

}  // namespace brace::app
