// SPDX-License-Identifier: Apache-2.0
// brace lags: is there memory in the values, in their squares, and at which lags?
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

// The last lag of the table.
int lags_shown(const Options& o, const Series& series) {
  const std::vector<int> named = lag_list(o);
  return named.empty() ? std::min<int>(20, static_cast<int>(series.present() / 4))
                       : *std::max_element(named.begin(), named.end());
}

int run_leverage(const Options& o, const Loaded& data) {
  const LeverageTable table = leverage_table(data.values, lags_shown(o, data.values));
  if (o.json) {
    std::cout << json_document("lags", data.values, table);
  } else {
    std::cout << table;
    print_account(data.level);
    print_next(o, fmt::format("fit {} --model 'const / garch / student'", modelled_words(o)));
  }
  std::vector<std::vector<std::string>> rows{{"lag", "correlation", "band_robust"}};
  for (const LeverageRow& r : table.rows)
    rows.push_back({std::to_string(r.lag), cell(r.correlation), cell(r.band_robust)});
  write_table(o, rows);
  return 0;
}

int run_table(const Options& o, const Loaded& data, const LagPrint& print_options) {
  const Series series = o.of == "squares"    ? squares(data.values)
                        : o.of == "absolute" ? absolute_values(data.values)
                                             : data.values;
  LagTable table = lag_table(series, lags_shown(o, series));
  if (const std::vector<int> named = lag_list(o); named.size() > 1) keep_lags(table, named);
  if (o.json) {
    std::cout << json_document("lags", data.values, table, o.of, o.level);
  } else {
    print(std::cout, table, print_options);
    print_account(data.level);
    const std::string words = modelled_words(o);
    print_next(o, o.of == "values"
                      ? fmt::format("lags {} --of squares", words)
                      : fmt::format("fit {} --model 'const / garch / student'", words));
  }
  std::vector<std::vector<std::string>> rows{{"lag", "acf", "pacf", "q", "dof", "p_value",
                                              "q_robust", "p_robust", "band_robust",
                                              "band_widening", "q_critical"}};
  for (const LagRow& r : table.rows)
    rows.push_back({std::to_string(r.lag), cell(r.acf), cell(r.pacf), cell(r.q),
                    std::to_string(r.dof), cell(r.p_value), cell(r.q_robust), cell(r.p_robust),
                    cell(r.band_robust), cell(r.band_widening), cell(critical_q(r, o.level))});
  write_table(o, rows);
  return 0;
}

int run_lags(const Options& o) {
  const Loaded data = load(o);
  require_usable(data.values, 8, "a table of lags");
  LagPrint print_options;
  print_options.season = o.period > 0 ? o.period : season_length(data.values);
  print_options.level = o.level;
  if (o.band == "white") print_options.band = LagBand::white;
  if (o.band == "widening") print_options.band = LagBand::widening;
  const int status = o.of == "leverage" ? run_leverage(o, data) : run_table(o, data, print_options);
  if (!o.chart.empty()) {
    draw_lags(data.values, lags_shown(o, data.values), print_options, o.chart);
    say_written(o, o.chart);
  }
  return status;
}

}  // namespace

void add_lags(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "lags", "ACF, PACF and Ljung-Box at each lag, of values, squares or absolute values");
  add_series_options(*c, o);
  const char* group = "Tests";
  c->add_option(
       "--of", o.of,
       "values, squares, absolute, or leverage: returns with later squares (default: values)")
      ->check(CLI::IsMember({"values", "squares", "absolute", "leverage"}))
      ->option_text("WORD")
      ->group(group);
  c->add_option("--lags", o.lags, "how many (default: 20), or which, 1,5,12")
      ->option_text("N|LIST")
      ->group(group);
  add_level_option(*c, o);
  c->add_option("--period", o.period, "season whose multiples are marked (default: the clock's)")
      ->check(CLI::Range(2, 100000))
      ->group(group);
  c->add_option("--band", o.band,
                "robust to clustering, white, or widening after Bartlett (default: robust)")
      ->check(CLI::IsMember({"robust", "white", "widening"}))
      ->option_text("WORD")
      ->group(group);
  add_output_options(*c, o);
  c->add_option("--chart", o.chart,
                "values, squares, sizes and leverage in one figure, .png .svg .pdf")
      ->group("Output");
  c->add_option("--out", o.out, "the table as CSV")->group("Output");
  c->footer(
      "Example:\n  brace lags data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "--of squares");
  c->callback([&run] { run = run_lags; });
}

}  // namespace brace::app
