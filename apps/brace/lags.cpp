// SPDX-License-Identifier: Apache-2.0
// brace lags: is there memory in the values, in their squares, and at which lags?
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "options.hpp"

namespace brace::app {
namespace {

int run_lags(const Options& o) {
  const Loaded data = load(o);
  const Series series = o.of == "squares"    ? squares(data.values)
                        : o.of == "absolute" ? absolute_values(data.values)
                                             : data.values;
  const int lags =
      lag_count(o) > 0 ? lag_count(o) : std::min<int>(20, static_cast<int>(series.present() / 4));
  require_usable(series, 8, "a table of lags");
  const LagTable table = lag_table(series, lags);
  if (o.json) {
    std::cout << json_document("lags", data.values, table, o.of);
  } else {
    std::cout << table << "\n  " << account(data.level) << '\n';
    const std::string words = modelled_words(o);
    print_next(o, o.of == "values"
                      ? fmt::format("lags {} --of squares", words)
                      : fmt::format("fit {} --model 'const / garch / student'", words));
  }
  std::vector<std::vector<std::string>> rows{
      {"lag", "acf", "pacf", "q", "dof", "p_value", "q_robust", "p_robust"}};
  for (const LagRow& r : table.rows)
    rows.push_back({std::to_string(r.lag), cell(r.acf), cell(r.pacf), cell(r.q),
                    std::to_string(r.dof), cell(r.p_value), cell(r.q_robust), cell(r.p_robust)});
  write_table(o, rows);
  return 0;
}

}  // namespace

void add_lags(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "lags", "ACF, PACF and Ljung-Box at each lag, of values, squares or absolute values");
  add_series_options(*c, o);
  c->add_option("--of", o.of, "values, squares or absolute (default: values)")
      ->check(CLI::IsMember({"values", "squares", "absolute"}))
      ->option_text("WORD")
      ->group("Tests");
  c->add_option("--lags", o.lags, "how many (default: 20)")->group("Tests");
  add_output_options(*c, o);
  c->add_option("--out", o.out, "the table as CSV")->group("Output");
  c->footer(
      "Example:\n  brace lags data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "--of squares");
  c->callback([&run] { run = run_lags; });
}

}  // namespace brace::app
