// SPDX-License-Identifier: Apache-2.0
// brace fit: estimate the mean, the variance and the law of the shocks together.
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

Inference asked(const Options& o, const Fit& fit) {
  Inference more;
  for (const std::string& quantity : o.model.profiles)
    more.intervals.push_back(profile_interval(fit, quantity));
  if (!o.model.wald.empty())
    more.tests.push_back(wald_test(fit, held_values(o.model.wald, "--wald")));
  if (o.model.mean_beside) more.beside = mean_beside(fit);
  return more;
}

int run_fit(const Options& o) {
  const Fit fit = load_or_fit(o);
  const Inference more = fit.usable() ? asked(o, fit) : Inference{};
  if (!o.output.save.empty()) {
    save_model(fit, o.output.save);
    say_written(o, o.output.save);
  }
  if (std::ostream* json = json_stream(o)) *json << json_document("fit", fit, more);
  if (shows_text(o)) {
    std::cout << fit << more;
    if (o.model.equation && fit.usable()) std::cout << '\n' << equation(fit);
    print_account(fit.window());
    if (has_warning(fit.warnings, WarningCode::level_modelled))
      print_next(o, fmt::format("unitroot {}", series_words(o)));
    else if (fit.usable())
      print_next(
          o, fmt::format("check {}", o.output.save.empty() ? fitted_words(o, to_string(fit.model))
                                                           : shell_word(o.output.save)));
  }
  if (!o.output.chart.empty()) {
    if (fit.usable() && !std::holds_alternative<Steady>(fit.model.variance))
      draw_volatility(fit, o.output.chart);
    else
      draw_fit(fit, o.output.chart);
    say_written(o, o.output.chart);
  }
  std::vector<std::vector<std::string>> rows{{"name", "estimate", "se_hessian", "se_opg",
                                              "se_robust", "t", "p_value", "held", "at_bound"}};
  for (const Parameter& p : fit.parameters)
    rows.push_back({p.name, cell(p.estimate), cell(p.se_hessian), cell(p.se_opg), cell(p.se_robust),
                    cell(p.t), cell(p.p_value), p.held ? "yes" : "no", p.at_bound ? "yes" : "no"});
  write_table(o, rows);
  write_residuals(o, fit);
  return status_of(fit);
}

}  // namespace

Command fit_command(Options& o) {
  Command c("fit", "Estimate a model line by joint maximum likelihood", run_fit);
  add_series_options(c, o);
  add_model_options(c, o);
  c.option("--equation", o.model.equation,
           "write the fitted equation out and read each coefficient in a sentence")
      .group("The model");
  c.option("--profile", o.model.profiles,
           "profile-likelihood intervals of persistence or parameters, separated by commas")
      .list()
      .group("The model");
  c.option("--wald", o.model.wald, "Wald test that parameters equal these values: ar1=0,ma1=0")
      .group("The model");
  c.option("--mean-beside", o.model.mean_beside,
           "compare the mean terms with a fit that has no variance equation")
      .group("The model");
  add_output_options(c, o);
  add_residuals_option(c, o);
  c.option("--chart", o.output.chart,
           "fitted and actual values; with a variance equation, volatility and news impact, .png "
           ".svg .pdf")
      .group("Output")
      .path();
  c.option("--out", o.output.out, "the parameters as CSV").group("Output").path();
  c.option("--save", o.output.save, "the fitted model with its series, for check and forecast")
      .group("Output")
      .path();
  c.footer =
      "Example:\n  brace fit data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "\\\n"
      "      --model 'const / garch / student' --save kelp.json";
  return c;
}

}  // namespace brace::app
