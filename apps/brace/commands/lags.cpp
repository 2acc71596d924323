// SPDX-License-Identifier: Apache-2.0
// brace lags: is there memory in the values, in their squares, and at which lags?
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

// The last lag of the table.
int lags_shown(const Options& o, const Series& series) {
  const std::vector<int> named = lag_list(o);
  return named.empty() ? std::min<int>(20, static_cast<int>(series.present() / 4))
                       : *std::max_element(named.begin(), named.end());
}

// Of a level its returns are to be looked at, of values their squares; then a model may be fitted.
std::string next_of(const Options& o, const Loaded& data) {
  if (has_warning(data.warnings, WarningCode::level_modelled))
    return fmt::format("unitroot {}", series_words(o));
  if (o.test.of == "values") return fmt::format("lags {} --of squares", modelled_words(o));
  return fmt::format("fit {}", fitted_words(o, to_string(first_model(data.values))));
}

int run_leverage(const Options& o, const Loaded& data) {
  const LeverageTable table = leverage_table(data.values, lags_shown(o, data.values));
  if (std::ostream* json = json_stream(o))
    *json << json_document("lags", data.values, table, data.warnings);
  if (shows_text(o)) {
    std::cout << table;
    print_warnings(std::cout, data.warnings);
    print_account(data.level);
    print_next(o, next_of(o, data));
  }
  std::vector<std::vector<std::string>> rows{{"lag", "correlation", "band_robust"}};
  for (const LeverageRow& r : table.rows)
    rows.push_back({std::to_string(r.lag), cell(r.correlation), cell(r.band_robust)});
  write_table(o, rows);
  return 0;
}

int run_table(const Options& o, const Loaded& data, const LagPrint& print_options) {
  const Series series = o.test.of == "squares"    ? squares(data.values)
                        : o.test.of == "absolute" ? absolute_values(data.values)
                                                  : data.values;
  LagTable table = lag_table(series, lags_shown(o, series));
  if (const std::vector<int> named = lag_list(o); named.size() > 1) keep_lags(table, named);
  if (std::ostream* json = json_stream(o))
    *json << json_document("lags", data.values, table, o.test.of, o.test.level, data.warnings);
  if (shows_text(o)) {
    print(std::cout, table, print_options);
    print_warnings(std::cout, data.warnings);
    print_account(data.level);
    print_next(o, next_of(o, data));
  }
  std::vector<std::vector<std::string>> rows{{"lag", "acf", "pacf", "q", "dof", "p_value",
                                              "q_robust", "p_robust", "band_robust",
                                              "band_widening", "q_critical"}};
  for (const LagRow& r : table.rows)
    rows.push_back({std::to_string(r.lag), cell(r.acf), cell(r.pacf), cell(r.q),
                    std::to_string(r.dof), cell(r.p_value), cell(r.q_robust), cell(r.p_robust),
                    cell(r.band_robust), cell(r.band_widening),
                    cell(o.test.level ? critical_q(r, *o.test.level) : std::nullopt)});
  write_table(o, rows);
  return 0;
}

int run_lags(const Options& o) {
  Loaded data = load(o);
  require_usable(data.values, 8, "a table of lags");
  for (Warning& doubt : data_warnings(data.values)) data.warnings.push_back(std::move(doubt));
  LagPrint print_options;
  print_options.season = o.period.value_or(season_length(data.values));
  print_options.significance = o.test.level;
  if (o.test.band == "white") print_options.band = LagBand::white;
  if (o.test.band == "widening") print_options.band = LagBand::widening;
  const int status =
      o.test.of == "leverage" ? run_leverage(o, data) : run_table(o, data, print_options);
  if (!o.output.chart.empty()) {
    draw_lags(data.values, lags_shown(o, data.values), print_options, o.output.chart);
    say_written(o, o.output.chart);
  }
  return status;
}

}  // namespace

Command lags_command(Options& o) {
  Command c("lags", "ACF, PACF and Ljung-Box at each lag, of values, squares or absolute values",
            run_lags);
  add_series_options(c, o);
  const char* group = "Tests";
  c.option("--of", o.test.of,
           "values, squares, absolute, or leverage: returns with later squares (default: values)")
      .words({"values", "squares", "absolute", "leverage"})
      .group(group);
  c.option("--lags", o.test.lags, "number of lags (default: 20), or a list: 1,5,12")
      .shown_as("N|LIST")
      .group(group);
  add_level_option(c, o);
  c.option("--period", o.period,
           "seasonal period whose multiples are marked (default: from the frequency)")
      .range(2, 100000)
      .group(group);
  c.option("--band", o.test.band,
           "robust to clustering, white, or widening after Bartlett (default: robust)")
      .words({"robust", "white", "widening"})
      .group(group);
  add_output_options(c, o);
  c.option("--chart", o.output.chart,
           "values, squares, sizes and leverage in one figure, .png .svg .pdf")
      .group("Output")
      .path();
  c.option("--out", o.output.out, "the table as CSV").group("Output").path();
  c.footer =
      "Example:\n  brace lags data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "--of squares";
  return c;
}

}  // namespace brace::app
