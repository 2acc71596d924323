// SPDX-License-Identifier: Apache-2.0
// brace fit: estimate the mean, the variance and the law of the shocks together.
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

Inference asked(const Options& o, const Fit& fit) {
  Inference more;
  for (const std::string& quantity : o.profiles)
    more.intervals.push_back(profile_interval(fit, quantity));
  if (!o.wald.empty()) more.tests.push_back(wald_test(fit, held_values(o.wald, "--wald")));
  if (o.mean_beside) more.beside = mean_beside(fit);
  return more;
}

int run_fit(const Options& o) {
  const Fit fit = load_or_fit(o);
  const Inference more = fit.usable() ? asked(o, fit) : Inference{};
  if (!o.save.empty()) {
    save_model(fit, o.save);
    say_written(o, o.save);
  }
  if (o.json) {
    std::cout << json_document("fit", fit, more);
  } else {
    std::cout << fit << more;
    if (o.equation && fit.usable()) std::cout << '\n' << equation(fit);
    print_account(fit.window());
    const bool level = std::any_of(fit.warnings.begin(), fit.warnings.end(), [](const Warning& w) {
      return w.code == WarningCode::level_modelled;
    });
    if (level)
      print_next(o, fmt::format("unitroot {}", series_words(o)));
    else if (fit.usable())
      print_next(o, o.save.empty() ? fmt::format("check {} --model '{}'", modelled_words(o),
                                                 to_string(fit.model))
                                   : fmt::format("check {}", o.save));
  }
  if (!o.chart.empty()) {
    if (fit.usable() && !std::holds_alternative<Steady>(fit.model.variance))
      draw_volatility(fit, o.chart);
    else
      draw_fit(fit, o.chart);
    say_written(o, o.chart);
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

void add_fit(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand("fit", "Estimate a model line by joint maximum likelihood");
  add_series_options(*c, o);
  add_model_options(*c, o);
  c->add_flag("--equation", o.equation,
              "write the fitted equation out and read each coefficient in a sentence")
      ->group("The model");
  c->add_flag("--target-variance", o.target_variance,
              "omega from the sample's variance, the rest given it (arch, garch, gjr)")
      ->group("The model");
  c->add_option(
       "--starts", o.starts,
       "starting points of a joint fit; more find higher hills, if there are (default: 4 to "
       "76, by model and rows)")
      ->check(CLI::Range(1, 10000))
      ->group("The model");
  c->add_option("--profile", o.profiles,
                "intervals that follow the likelihood: persistence or parameters, by commas")
      ->delimiter(',')
      ->group("The model");
  c->add_option("--wald", o.wald, "test that parameters have these values: ar1=0,ma1=0")
      ->group("The model");
  c->add_flag("--mean-beside", o.mean_beside,
              "the mean terms beside those of the mean equation alone")
      ->group("The model");
  add_output_options(*c, o);
  add_residuals_option(*c, o);
  c->add_option(
       "--chart", o.chart,
       "fitted over actual; of a variance equation volatility and what shocks do to it, .png "
       ".svg .pdf")
      ->group("Output");
  c->add_option("--out", o.out, "the parameters as CSV")->group("Output");
  c->add_option("--save", o.save, "the fitted model with its series, for check and forecast")
      ->group("Output");
  c->footer(
      "Example:\n  brace fit data/kelp-fibre.csv --value settle --drop-zero volume --returns log "
      "\\\n"
      "      --model 'const / garch / student' --save kelp.json");
  c->callback([&run] { run = run_fit; });
}

}  // namespace brace::app
