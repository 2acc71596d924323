// SPDX-License-Identifier: Apache-2.0
// brace check: is anything systematic left in the residuals?
#include <fmt/format.h>

#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

int run_check(const Options& o) {
  if (!o.roots.empty() && !is_saved_model(o.file) && arma_terms(canonical(model_of(o))) == 0)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("--roots: '{}' has no ARMA terms, so it has no roots to draw", o.model));
  const Fit fit = load_or_fit(o);
  const std::vector<int> lags = lag_list(o);
  const Check checked = check(fit, {.lags = lags.size() == 1 ? lags.front() : 0,
                                    .period = o.period,
                                    .whiteness = lags.size() > 1 ? lags : std::vector<int>{},
                                    .level = o.level});
  if (o.json) {
    std::cout << json_document("check", fit, checked);
  } else {
    std::cout << checked;
    if (fit.usable()) {
      if (o.outliers) std::cout << '\n' << find_outliers(fit);
      print_next(o, is_saved_model(o.file) ? fmt::format("forecast {}", series_words(o))
                                           : fmt::format("forecast {} --model '{}'",
                                                         modelled_words(o), to_string(fit.model)));
    }
  }
  if (!o.chart.empty()) {
    draw_check(fit, checked, o.chart);
    say_written(o, o.chart);
  }
  if (!o.roots.empty()) {
    draw_roots(fit, checked, o.roots);
    say_written(o, o.roots);
  }
  std::vector<std::vector<std::string>> rows{
      {"question", "answer", "test", "variant", "statistic", "p_value", "lags", "null"}};
  for (const CheckGroup& group : checked.groups)
    for (const TestResult& t : group.tests)
      rows.push_back({std::string(to_string(group.question)), std::string(to_string(group.answer)),
                      t.test, t.variant, cell(t.statistic), cell(t.p_value),
                      t.lags ? std::to_string(*t.lags) : "", t.null});
  for (const TestResult& t : checked.whiteness)
    rows.push_back({"whiteness", t.rejects().value_or(false) ? "fails" : "holds", t.test, t.variant,
                    cell(t.statistic), cell(t.p_value), std::to_string(*t.lags), t.null});
  write_table(o, rows);
  write_residuals(o, fit);
  return status_of(fit);
}

}  // namespace

void add_check(CLI::App& app, Options& o, Run& run) {
  CLI::App* c =
      app.add_subcommand("check", "Residual tests of a saved model, or of a model line on a file");
  add_series_options(*c, o, "saved model, or CSV file with --model ('-' for standard input)");
  add_model_options(*c, o);
  c->add_option(
       "--lags", o.lags,
       "lags of the tests (default: min(10, n/5)); of several, 1,5,12, Ljung-Box is told at each")
      ->option_text("N|LIST")
      ->group("Tests");
  add_level_option(*c, o);
  c->add_option("--season", o.period, "rows in a season (default: the model's, or the clock's)")
      ->check(CLI::Range(2, 10000))
      ->option_text("N")
      ->group("Tests");
  c->add_flag("--outliers", o.outliers,
              "rows that stand out: outliers, level shifts, temporary changes")
      ->group("Tests");
  add_output_options(*c, o);
  add_residuals_option(*c, o);
  c->add_option("--chart", o.chart, "residuals, their memory, quantiles, whiteness by lag")
      ->group("Output");
  c->add_option("--roots", o.roots, "the inverse roots in the unit circle")->group("Output");
  c->add_option("--out", o.out, "the tests as CSV")->group("Output");
  c->footer("Example:\n  brace check kelp.json");
  c->callback([&run] { run = run_check; });
}

}  // namespace brace::app
