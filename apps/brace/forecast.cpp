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
  for (const int percent : ahead.intervals)
    for (const char* what : {"return", "volatility"})
      for (const char* side : {"low", "high"})
        rows[0].push_back(fmt::format("{}_{}_{}", what, percent, side));
  for (const ForecastStep& s : ahead.steps) {
    std::vector<std::string> row{std::to_string(s.step),
                                 s.date ? format_date(*s.date) : "",
                                 cell(s.mean),
                                 cell(s.sd),
                                 cell(std::sqrt(s.variance)),
                                 cell(s.variance)};
    for (std::size_t i = 0; i < ahead.intervals.size(); ++i) {
      row.push_back(cell(s.return_interval[i].low));
      row.push_back(cell(s.return_interval[i].high));
      const bool known = s.volatility_interval.empty();
      row.push_back(known ? "" : cell(s.volatility_interval[i].low));
      row.push_back(known ? "" : cell(s.volatility_interval[i].high));
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

namespace {

int run_forecast(const Options& o) {
  const Fit fit = load_or_fit(o);
  if (!fit.usable()) return status_of(fit);
  ForecastOptions options;
  options.horizon = o.horizon;
  options.intervals = o.intervals;
  options.method = o.method == "plug-in" ? ForecastMethod::plug_in : ForecastMethod::full;
  options.per_year = o.per_year;
  options.draws = o.draws;
  options.seed = o.seed;
  const Forecast ahead = forecast(fit, options, Executor(o.threads));
  if (o.json)
    std::cout << json_document("forecast", fit, ahead);
  else
    std::cout << ahead;
  write_table(o, forecast_table(ahead));
  if (!o.chart.empty()) {
    draw_forecast(fit, ahead, o.chart);
    say_written(o, o.chart);
  }
  if (!o.json && o.chart.empty())
    print_next(
        o, fmt::format("forecast {}{} --horizon {} --chart forecast.png", modelled_words(o),
                       o.model.empty() ? "" : fmt::format(" --model '{}'", o.model), o.horizon));
  return 0;
}

}  // namespace

void add_forecast(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "forecast", "Volatility and returns ahead, with intervals, of a saved model or a model line");
  add_series_options(*c, o, "saved model, or CSV file with --model ('-' for standard input)");
  add_model_options(*c, o);
  const char* group = "The forecast";
  c->add_option("--horizon", o.horizon, "steps ahead (default: 10)")->group(group);
  c->add_option("--intervals", o.intervals, "percent, such as 50,95 (default)")
      ->delimiter(',')
      ->group(group);
  c->add_option(
       "--method", o.method,
       "full holds the uncertainty of the estimates, plug-in leaves it out (default: full)")
      ->check(CLI::IsMember({"full", "plug-in"}))
      ->option_text("WORD")
      ->group(group);
  c->add_option("--per-year", o.per_year,
                "periods a year to annualise by (default: the clock's; business-day 252)")
      ->check(CLI::PositiveNumber)
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
