// SPDX-License-Identifier: Apache-2.0
// brace forecast: what will volatility be, and how sure is that?
#include <fmt/format.h>

#include <cmath>
#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {

std::vector<std::vector<std::string>> forecast_table(const Forecast& ahead) {
  std::vector<std::vector<std::string>> rows{
      {"step", "date", "mean", "sd", "volatility", "variance"}};
  const bool original = !ahead.original.empty();
  for (const int percent : ahead.intervals)
    for (const char* what : {"return", "volatility"})
      for (const char* side : {"low", "high"})
        rows[0].push_back(fmt::format("{}_{}_{}", what, percent, side));
  if (original) {
    rows[0].emplace_back("original_median");
    rows[0].emplace_back("original_mean");
    for (const int percent : ahead.intervals)
      for (const char* side : {"low", "high"})
        rows[0].push_back(fmt::format("original_{}_{}", percent, side));
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
      for (const Interval& i : there.interval) {
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
    if (to_string(method) == o.method) return method;
  return ForecastMethod::full;
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

// What the forecasts of the hold-out would have been worth, beside the simplest ones.
std::vector<Compared> judged_rows(const Fit& fit, const Loaded& data, const Options& o) {
  std::vector<Compared> rows;
  Compared ours;
  ours.label = !fit.exact ? to_string(fit.model) : mean_part(fit.model);
  ours.hold_out = forecast_hold_out(fit, data.held_out, o.intervals);
  rows.push_back(std::move(ours));
  for (const char* words : {"mean", "walk"}) {
    Compared baseline;
    baseline.label = words;
    baseline.hold_out =
        forecast_hold_out(fit_baseline(words, data.values), data.held_out, o.intervals);
    rows.push_back(std::move(baseline));
  }
  return rows;
}

// The outcomes beside the forecasts of as many rows of the hold-out as there are.
void add_outcomes(std::vector<std::vector<std::string>>& table, const Forecast& ahead,
                  const Series& held_out) {
  table[0].emplace_back("actual");
  table[0].emplace_back("error");
  for (std::size_t i = 1; i < table.size(); ++i) {
    const double actual = i <= held_out.size() ? held_out.values[i - 1] : std::nan("");
    table[i].push_back(std::isnan(actual) ? "" : cell(actual));
    table[i].push_back(std::isnan(actual) ? "" : cell(actual - ahead.steps[i - 1].mean));
  }
}

int run_forecast(const Options& o) {
  Loaded data;
  Fit fit = load_or_fit(o, &data);
  if (!fit.usable()) return status_of(fit);
  if (is_saved_model(o.file))
    if (auto back = way_back(fit.window())) data.transformed = std::move(*back);
  ForecastOptions options;
  const bool judged = data.held_out.size() > 0;
  if (!o.suppose.empty()) {
    if (judged || !o.future.empty())
      throw Error(ErrorCode::bad_option, "--suppose cannot be used with --hold-out or --future");
    fit = update(fit, supposed(fit.window(), o.suppose));
    data.transformed.links.clear();  // the file's own scale ends where the file does
  }
  if (o.start_volatility) options.first_variance = *o.start_volatility * *o.start_volatility;
  options.tails = o.tails;
  if (o.refits && o.method != to_string(ForecastMethod::refit))
    throw Error(ErrorCode::bad_option, "--refits is for --method refit, which is not asked for");
  options.refits = o.refits.value_or(options.refits);
  options.horizon = o.horizon.value_or(judged ? static_cast<int>(data.held_out.size()) : 10);
  options.intervals = o.intervals;
  options.method = method_of(o);
  options.per_year = o.per_year;
  options.draws = o.draws;
  options.seed = o.seed;
  options.future = judged ? data.held_out.companions : read_future(o);
  // Without links there is no other scale, and overnight returns do not lead back to prices.
  if (!data.transformed.links.empty() && o.overnight == "keep")
    options.transformed = &data.transformed;
  options.back = o.back == "mean" ? BackTransform::mean : BackTransform::median;
  const Executor executor(o.threads);
  const Forecast ahead =
      o.windows > 1
          ? forecast_averaged(fit_windows(fit, static_cast<std::size_t>(o.windows),
                                          o.shortest_window.value_or(fit.count / 4), executor),
                              options, executor)
          : forecast(fit, options, executor);
  std::vector<Compared> rows;
  if (judged) rows = judged_rows(fit, data, o);
  if (o.json) {
    std::cout << json_document("forecast", fit, ahead, rows, data.held_out);
  } else {
    std::cout << ahead;
    if (judged) {
      std::cout << fmt::format("\n  {} held out\n",
                               text::plural(data.held_out.size(), "row", "rows"));
      print_accuracy(std::cout, rows);
    }
  }
  std::vector<std::vector<std::string>> table = forecast_table(ahead);
  if (judged) add_outcomes(table, ahead, data.held_out);
  write_table(o, table);
  if (!o.chart.empty()) {
    draw_forecast(fit, ahead, o.chart);
    say_written(o, o.chart);
  }
  if (!o.json && o.chart.empty())
    print_next(o, fmt::format("forecast {}{} --horizon {} --chart forecast.png", modelled_words(o),
                              o.model.empty() ? "" : fmt::format(" --model '{}'", o.model),
                              options.horizon));
  return 0;
}

}  // namespace

void add_forecast(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "forecast", "Volatility and returns ahead, with intervals, of a saved model or a model line");
  add_series_options(*c, o, "saved model, or CSV file with --model ('-' for standard input)");
  add_model_options(*c, o);
  const char* group = "The forecast";
  c->add_option("--horizon", o.horizon, "steps ahead (default: 10, or the hold-out)")->group(group);
  c->add_option("--intervals", o.intervals, "percent, such as 50,95 (default)")
      ->delimiter(',')
      ->group(group);
  c->add_option(
       "--method", o.method,
       "full holds the uncertainty of the estimates, resampled takes the shocks seen, refit fits "
       "made series again, plug-in leaves the estimates' uncertainty out (default: full)")
      ->check(CLI::IsMember({"full", "plug-in", "resampled", "refit"}))
      ->option_text("WORD")
      ->group(group);
  c->add_option("--future", o.future, "CSV of the coming values of the columns that 'with' names")
      ->group(group);
  c->add_option("--back", o.back,
                "centre on the file's own scale: median or mean, bias corrected (default: median)")
      ->check(CLI::IsMember({"median", "mean"}))
      ->option_text("WORD")
      ->group(group);
  c->add_option("--per-year", o.per_year,
                "periods a year to annualise by (default: the clock's; business-day 252)")
      ->check(CLI::PositiveNumber)
      ->group(group);
  c->add_option("--tails", o.tails,
                "percent of the returns whose value-at-risk and shortfall are told (default: 1,5)")
      ->delimiter(',')
      ->group(group);
  c->add_option(
       "--windows", o.windows,
       "average over fits to so many windows, from all rows to the last few: after a break")
      ->check(CLI::Range(2, 100))
      ->group(group);
  c->add_option("--shortest-window", o.shortest_window,
                "rows of the shortest of them (default: a quarter of all)")
      ->check(CLI::PositiveNumber)
      ->needs("--windows")
      ->group(group);
  c->add_option("--suppose", o.suppose,
                "forecast as if these values had come next: a scenario, such as -5 or -5,2")
      ->delimiter(',')
      ->group(group);
  c->add_option("--start-volatility", o.start_volatility,
                "volatility of the first step, whatever the past says: a scenario")
      ->check(CLI::Range(1e-50, 1e50))
      ->option_text("NUMBER")
      ->group(group);
  c->add_option("--refits", o.refits, "made series that --method refit fits (default: 400)")
      ->group(group);
  c->add_option("--draws", o.draws, "parameter draws, 25 paths from each (default: 2000)")
      ->group(group);
  c->add_option("--seed", o.seed, "of the draws (default: 1)")->group(group);
  c->add_option("--threads", o.threads, "0 takes all (default); results do not depend on it")
      ->check(CLI::NonNegativeNumber)
      ->group(group);
  add_output_options(*c, o);
  c->add_option("--out", o.out, "one row a step as CSV")->group("Output");
  c->add_option("--chart", o.chart, "the forecast figure, .png .svg .pdf")->group("Output");
  c->footer("Example:\n  brace forecast kelp.json --horizon 20 --chart forecast.png");
  c->callback([&run] { run = run_forecast; });
}

}  // namespace brace::app
