// SPDX-License-Identifier: Apache-2.0
// brace check: is anything systematic left in the residuals?
#include <fmt/format.h>

#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {

CheckOptions check_options(const Options& o) {
  const std::vector<int> lags = lag_list(o);
  return {.lags = lags.size() == 1 ? std::optional(lags.front()) : std::nullopt,
          .period = o.period,
          .whiteness = lags.size() > 1 ? lags : std::vector<int>{},
          .significance = o.test.level};
}

namespace {

int run_check(const Options& o) {
  if (!o.output.roots.empty() && !is_saved_model(o.file) && arma_terms(canonical(model_of(o))) == 0)
    throw Error(
        ErrorCode::bad_option,
        fmt::format("--roots: '{}' has no ARMA terms, so it has no roots to draw", o.model.line));
  const Fit fit = load_or_fit(o);
  const Check checked = check(fit, check_options(o));
  if (std::ostream* json = json_stream(o)) *json << json_document("check", fit, checked);
  if (shows_text(o)) {
    std::cout << checked;
    if (fit.usable()) {
      if (o.model.outliers) std::cout << '\n' << find_outliers(fit);
      print_next(o, is_saved_model(o.file)
                        ? fmt::format("forecast {}", series_words(o))
                        : fmt::format("forecast {}", fitted_words(o, to_string(fit.model))));
    }
  }
  if (!o.output.chart.empty()) {
    draw_check(fit, checked, o.output.chart);
    say_written(o, o.output.chart);
  }
  if (!o.output.roots.empty()) {
    draw_roots(fit, checked, o.output.roots);
    say_written(o, o.output.roots);
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

Command check_command(Options& o) {
  Command c("check", "Residual tests of a saved model, or of a model line on a file", run_check);
  add_series_options(c, o, "saved model, or CSV file with --model ('-' for standard input)");
  add_model_options(c, o);
  c.option("--lags", o.test.lags,
           "lags of the tests (default: min(10, n/5)); for a list, 1,5,12, Ljung-Box at each")
      .shown_as("N|LIST")
      .group("Tests");
  add_level_option(c, o);
  c.option("--season", o.period, "seasonal period (default: from the model or the frequency)")
      .range(2, 10000)
      .shown_as("N")
      .group("Tests");
  c.option("--outliers", o.model.outliers, "list outliers, level shifts and temporary changes")
      .group("Tests");
  add_output_options(c, o);
  add_residuals_option(c, o);
  c.option("--chart", o.output.chart, "residuals, their memory, quantiles, whiteness by lag")
      .group("Output")
      .path();
  c.option("--roots", o.output.roots, "the inverse roots in the unit circle")
      .group("Output")
      .path();
  c.option("--out", o.output.out, "the tests as CSV").group("Output").path();
  c.footer = "Example:\n  brace check kelp.json";
  return c;
}

}  // namespace brace::app
