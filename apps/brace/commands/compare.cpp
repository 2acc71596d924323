// SPDX-License-Identifier: Apache-2.0
// brace compare: several models side by side, on the rows they were fitted to and on a hold-out.
#include <fmt/format.h>

#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

// The columns of an accuracy, in the order in which it is read.
std::vector<std::string> accuracy_names(const std::vector<double>& intervals, const char* when) {
  std::vector<std::string> names{"rmse_to_walk", "mae_to_walk", "mase",     "rmse",
                                 "mae",          "mape",        "smape",    "bias",
                                 "bias_error",   "right",       "commoner", "white_p"};
  for (const double percent : intervals) names.push_back(fmt::format("inside_{:g}", percent));
  for (std::string& name : names) name += fmt::format("_{}", when);
  return names;
}

std::vector<std::string> accuracy_cells(const Accuracy& a, const std::vector<double>& intervals) {
  const auto of = [](const auto& part, auto field) -> std::string {
    return part ? cell((*part).*field) : "";
  };
  std::vector<std::string> cells{of(a.relative, &Accuracy::Relative::rmse),
                                 of(a.relative, &Accuracy::Relative::mae),
                                 cell(a.mase),
                                 cell(a.rmse),
                                 cell(a.mae),
                                 cell(a.mape),
                                 cell(a.smape),
                                 cell(a.bias),
                                 cell(a.bias_error),
                                 of(a.directions, &RightDirections::right),
                                 of(a.directions, &RightDirections::commoner),
                                 a.memory ? cell(a.memory->test.p_value) : ""};
  for (const double percent : intervals) {
    const auto found = std::find_if(a.coverage.begin(), a.coverage.end(),
                                    [&](const Coverage& c) { return c.percent == percent; });
    cells.push_back(found == a.coverage.end() ? "" : cell(found->inside));
  }
  return cells;
}

int run_compare(const Options& o) {
  const Loaded data = load(o);
  const std::vector<Model> models = models_of_lines(o.model.lines);
  CompareOptions options;
  options.hold_out = data.held_out.size();
  if (o.ahead.horizon && options.hold_out == 0)
    throw Error(ErrorCode::bad_option,
                fmt::format("--horizon {}: keep the rows to be forecast back with --hold-out",
                            *o.ahead.horizon));
  if (o.ahead.horizon) options.horizon = static_cast<std::size_t>(*o.ahead.horizon);
  options.intervals = o.ahead.intervals;
  if (!o.backtest.baselines.empty()) options.baselines = o.backtest.baselines;
  // The hold-out follows the training part, and the comparison cuts it off again.
  Series whole = data.values;
  whole.append(data.held_out);
  const Comparison c = with_warnings_of(data, compare(models, whole, options, executor_of(o)));
  if (std::ostream* json = json_stream(o)) *json << json_document("compare", c);
  if (shows_text(o)) {
    std::cout << c;
    print_account(data.values);
    const auto best = std::min_element(
        c.models.begin(), c.models.end(), [](const Compared& a, const Compared& b) {
          return a.fit->bic.value_or(1e300) < b.fit->bic.value_or(1e300);
        });
    print_next(o, has_warning(c.warnings, WarningCode::level_modelled)
                      ? fmt::format("unitroot {}", series_words(o))
                      : fmt::format("check {}", fitted_words(o, best->label)));
  }
  if (!o.output.chart.empty()) {
    draw_comparison(c, o.output.chart);
    say_written(o, o.output.chart);
  }
  std::vector<std::vector<std::string>> rows{{"label", "log_likelihood", "aic", "aicc", "bic",
                                              "white_p", "arch_p", "normal_p", "correlation"}};
  for (const char* when : {"ahead", "one_step"})
    for (const std::string& name : accuracy_names(options.intervals, when)) rows[0].push_back(name);
  // Behind them each model's coefficients, by name, with their errors.
  std::vector<std::string> terms;
  for (const Compared& m : c.models)
    for (const Parameter& p : m.fit->parameters)
      if (std::find(terms.begin(), terms.end(), p.name) == terms.end()) terms.push_back(p.name);
  rows[0].push_back("one_step_rmse");
  for (const std::string& name : terms) {
    rows[0].push_back(name);
    rows[0].push_back(name + "_error");
  }
  for (const std::vector<Compared>* part : {&c.models, &c.baselines})
    for (const Compared& m : *part) {
      const auto of_fit = [&](std::optional<double> Fit::*field) {
        return m.fit ? cell((*m.fit).*field) : "";
      };
      std::vector<std::string> row{m.label,
                                   of_fit(&Fit::log_likelihood),
                                   of_fit(&Fit::aic),
                                   of_fit(&Fit::aicc),
                                   of_fit(&Fit::bic),
                                   cell(m.whiteness_p),
                                   cell(m.arch_p),
                                   cell(m.normality_p),
                                   cell(m.correlation)};
      if (m.hold_out)
        for (const Accuracy* a : {&m.hold_out->accuracy, &m.hold_out->one_step_accuracy})
          for (const std::string& value : accuracy_cells(*a, options.intervals))
            row.push_back(value);
      row.resize(rows[0].size() - 1 - 2 * terms.size());
      row.push_back(m.in_sample ? cell(m.in_sample->rmse) : "");
      for (const std::string& name : terms) {
        const Parameter* found = nullptr;
        if (m.fit)
          for (const Parameter& p : m.fit->parameters)
            if (p.name == name) found = &p;
        row.push_back(found ? cell(found->estimate) : "");
        row.push_back(found ? cell(found->se) : "");
      }
      rows.push_back(std::move(row));
    }
  write_table(o, rows);
  return std::any_of(c.models.begin(), c.models.end(),
                     [](const Compared& m) { return !m.fit->usable(); })
             ? 3
             : 0;
}

}  // namespace

Command compare_command(Options& o) {
  Command c("compare",
            "Model lines side by side: criteria, tests, coefficients, hold-out forecasts",
            run_compare);
  add_series_options(c, o);
  c.option("--model", o.model.lines, "a model line; give the option once for each")
      .model_line()
      .required()
      .once_for_each()
      .group("The models");
  c.option("--baseline", o.backtest.baselines,
           "mean, walk, drift, 'season 12', smooth, 'smooth damped season 12'... (default: mean "
           "and walk); judged on --hold-out")
      .once_for_each()
      .group("The models");
  c.option("--horizon", o.ahead.horizon,
           "rows of the hold-out that are forecast (default: all of them)")
      .positive()
      .group("The models");
  c.option("--intervals", o.ahead.intervals, "percent, such as 50,95 (default)")
      .list()
      .group("The models");
  c.option("--threads", o.threads,
           "number of threads, 0 for all (default); results do not depend on it")
      .not_negative()
      .group("How");
  add_output_options(c, o);
  c.option("--out", o.output.out, "one row a model as CSV").group("Output").path();
  c.option("--chart", o.output.chart,
           "each forecast of the hold-out over what happened, .png .svg .pdf")
      .group("Output")
      .path();
  c.footer =
      "Example:\n  brace compare data/lamp-oil.csv --transform log --hold-out 24 --chart pair.png "
      "\\\n"
      "      --model 'diff1 diff12 ma1 sma12' --model 'diff1 diff12 ar1 sma12' --baseline 'season "
      "12'";
  return c;
}

}  // namespace brace::app
