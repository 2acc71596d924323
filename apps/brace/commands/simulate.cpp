// SPDX-License-Identifier: Apache-2.0
// brace simulate: made-up series from a model whose parameters are typed or were fitted.
#include <fmt/format.h>

#include <iostream>

#include "options.hpp"

namespace brace::app {
namespace {

struct Process {
  Model model;
  std::vector<double> parameters;
  std::optional<Series> rows;  // where the model has regressors
};

bool has_regressors(const Model& model) {
  return !model.mean.regressors.empty() || !model.variance_regressors.empty();
}

// Dates and columns of --columns; values stand in for those that are to be made.
Series rows_of(const std::string& file) {
  const Table table = read_table(file, {});
  Series rows = table.series(table.columns.front().name);
  for (const Column& c : table.columns) rows.companions.push_back({c.name, c.values});
  return rows;
}

// The model and its parameters: of a saved fit, or typed as name=value in the line or by --fix.
Process process_of(const Options& o) {
  if (!o.file.empty()) {
    if (!o.model.line.empty() || !o.model.fix.empty())
      throw Error(ErrorCode::bad_option,
                  fmt::format("{}: is a saved model, which has its parameters; leave --model and "
                              "--fix out, or the file",
                              o.file));
    const Fit fit = load_model(o.file);
    Process process{fit.model, fit.estimates(), {}};
    process.model.held.clear();
    // The rows of the series that was fitted, unless others are given.
    if (!o.simulate.columns.empty())
      process.rows = rows_of(o.simulate.columns);
    else if (has_regressors(fit.model))
      process.rows = fit.window();
    return process;
  }
  Model model = canonical(model_of(o));
  std::vector<double> theta;
  std::vector<std::string> without;
  for (const std::string& name : parameter_names(model).all()) {
    const auto held = std::find_if(model.held.begin(), model.held.end(),
                                   [&](const Held& h) { return h.name == name; });
    if (held == model.held.end())
      without.push_back(name);
    else
      theta.push_back(held->value);
  }
  if (!without.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' has no value for {}; write name=value in the line or with --fix",
                            to_string(model), fmt::join(without, ", ")));
  model.held.clear();
  Process process{model, theta, {}};
  if (!o.simulate.columns.empty()) process.rows = rows_of(o.simulate.columns);
  return process;
}

// "500 omega=0.3,nu=4": from that row on.
SimulatedBreak change_of(const std::string& words, const Model& model,
                         const std::vector<double>& before) {
  const std::size_t blank = words.find(' ');
  std::size_t read = 0, row = 0;
  try {
    row = std::stoul(words, &read);
  } catch (const std::exception&) {
    read = 0;
  }
  if (blank == std::string::npos || read != blank || row < 1)
    throw Error(ErrorCode::bad_option,
                fmt::format("--change '{}': write the first row of it and what is new, such as "
                            "'1250 omega=0.3,nu=4'",
                            words));
  SimulatedBreak out{.row = row - 1, .parameters = before};
  const std::vector<std::string> names = parameter_names(model).all();
  for (const Held& held : held_values(words.substr(blank + 1), "--change")) {
    const auto at = std::find(names.begin(), names.end(), held.name);
    if (at == names.end())
      throw Error(ErrorCode::bad_option,
                  fmt::format("--change '{}': '{}' has no {}; it has {}", words, to_string(model),
                              held.name, fmt::join(names, ", ")));
    out.parameters[static_cast<std::size_t>(at - names.begin())] = held.value;
  }
  return out;
}

int run_simulate(const Options& o) {
  const auto [model, theta, with_rows] = process_of(o);
  SimulateOptions options{.seed = o.seed, .rows = with_rows};
  std::vector<double> present = theta;
  for (const std::string& words : o.simulate.changes) {
    options.breaks.push_back(change_of(words, model, present));
    present = options.breaks.back().parameters;
  }
  const Simulated made =
      simulate_path(model, theta, with_rows ? with_rows->size() : o.simulate.length, options);
  if (o.output.json) {
    std::cout << json_document("simulate", model, theta, o.seed, made);
    return 0;
  }
  const bool dated = !made.series.times.empty();
  std::vector<std::vector<std::string>> rows{
      {dated ? "date" : "row", "value", "shock", "variance"}};
  for (const Companion& c : made.series.companions) rows[0].push_back(c.name);
  for (std::size_t t = 0; t < made.series.size(); ++t) {
    rows.push_back({dated ? format_date(made.series.times[t]) : std::to_string(t + 1),
                    cell(made.series.values[t]), cell(made.shocks[t]), cell(made.variances[t])});
    for (const Companion& c : made.series.companions) rows.back().push_back(cell(c.values[t]));
  }
  if (o.output.out.empty())
    std::cout << csv_text(rows);
  else
    write_table(o, rows);
  return 0;
}

}  // namespace

Command simulate_command(Options& o) {
  Command c("simulate", "Simulate a series from given or fitted parameters and write it as CSV",
            run_simulate);
  c.option("file", o.file, "a saved model; or none, and --model");
  const char* group = "The model";
  c.option("--model", o.model.line,
           "the model line with every parameter: 'const mu=0 / garch omega=.02 alpha1=.08 "
           "beta1=.9'")
      .model_line()
      .group(group);
  c.option("--fix", o.model.fix, "values of parameters that the line does not give: beta1=0.9,nu=6")
      .group(group);
  c.option("--change", o.simulate.changes,
           "structural break: first row and new parameter values, '1250 omega=0.3' (may repeat)")
      .group(group);
  c.option("--columns", o.simulate.columns,
           "CSV file with dates and 'with' columns of the rows to simulate")
      .group(group)
      .path();
  c.option("--length", o.simulate.length, "rows (default: 2500, or those of --columns)")
      .range(1, 10000000)
      .excludes("--columns")
      .group("Output");
  c.option("--seed", o.seed, "random seed (default: 1)").group("Output");
  c.option("--json", o.output.json, "the series as JSON instead, with the process it is of")
      .group("Output");
  c.option("--out", o.output.out, "write the CSV there instead of to standard output")
      .group("Output")
      .path();
  c.option("--quiet", o.output.quiet, "no word about the file written").group("Output");
  c.footer =
      "Example:\n  brace simulate --model 'const mu=.03 / garch omega=.02 alpha1=.08 beta1=.9 / "
      "student nu=6' \\\n      --change '1250 omega=.06' --out made.csv";
  return c;
}

}  // namespace brace::app
