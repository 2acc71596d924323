// SPDX-License-Identifier: Apache-2.0
// brace update: a saved model takes the rows that came since, nothing estimated.
#include <fmt/format.h>

#include <cmath>
#include <iostream>

#include "options.hpp"

namespace brace::app {
namespace {

// The rows of the new file that follow the model's last one, as returns where the model has them.
Series rows_since(const Fit& fit, const Options& o) {
  Options newer = o;
  newer.file = o.newer;
  const Series values = load(newer).values;
  const Series window = fit.window();
  if (values.kind != window.kind)
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: these rows are not of the kind that the model was fitted to; give "
                            "--returns and --unit as then",
                            o.newer));
  if (window.times.empty() != values.times.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: the model's rows {} dates, and these {}", o.newer,
                            window.times.empty() ? "have no" : "have",
                            values.times.empty() ? "have none" : "have them"));
  std::size_t from = 0;
  while (from < values.times.size() && values.times[from] <= window.times.back()) ++from;
  if (from == values.size())
    throw Error(ErrorCode::too_few_observations,
                fmt::format("{}: no row comes after {}, where the model ends", o.newer,
                            window.when(window.size() - 1)));
  return rows_between(values, from, values.size());
}

int run_update(const Options& o) {
  if (!is_saved_model(o.file))
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: is no saved model; fit one with --save first", o.file));
  const Fit before = load_model(o.file);
  const Series more = rows_since(before, o);
  const Fit fit = update(before, more);
  const std::string target = o.save.empty() ? o.file : o.save;
  save_model(fit, target);
  say_written(o, target);
  if (o.json) {
    std::cout << json_document("update", fit);
    return 0;
  }
  const Forecast next = forecast(fit, {.horizon = 1, .method = ForecastMethod::plug_in});
  const std::string period(fit.series->period());
  std::cout << text::wrap(fmt::format(
      "{} added, to {}. Volatility of the next {} is {}, after {}; the parameters are those "
      "of {} {}s.",
      text::plural(more.size(), period, period + "s"), fit.series->when(fit.count - 1), period,
      text::significant(std::sqrt(next.steps.front().shown_variance()), 3),
      text::significant(std::sqrt(before.variances.back()), 3), text::count(before.n), period));
  print_next(o, fmt::format("forecast {}", target));
  return 0;
}

}  // namespace

void add_update(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "update", "Give a saved model the rows that came since; nothing is estimated");
  add_series_options(*c, o, "saved model");
  c->add_option("--new", o.newer,
                "CSV file with the new rows; those up to the model's last date are left out, but "
                "returns need one of them")
      ->required()
      ->group("The new rows");
  add_output_options(*c, o);
  c->add_option("--save", o.save, "where the model goes (default: over the old one)")
      ->group("Output");
  c->footer(
      "Example:\n  brace update kelp.json --new data/kelp-fibre.csv --value settle --drop-zero "
      "volume --returns log");
  c->callback([&run] { run = run_update; });
}

}  // namespace brace::app
