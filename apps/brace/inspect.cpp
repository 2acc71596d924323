// SPDX-License-Identifier: Apache-2.0
// brace inspect: what is in this file, and what kind of series is it?
#include <fmt/format.h>

#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

int run_inspect(const Options& o) {
  const Loaded data = load(o);
  const Inspection inspection = inspect(data.values, lag_count(o));
  if (o.json) {
    std::cout << json_document("inspect", data.values, inspection);
  } else {
    std::cout << inspection << "\n  " << account(data.level) << '\n';
    print_next(o, o.returns == "none" ? fmt::format("unitroot {}", series_words(o))
                                      : fmt::format("lags {}", modelled_words(o)));
  }
  std::vector<std::vector<std::string>> rows{{"test", "statistic", "p_value", "lags", "null"}};
  for (const TestResult& t : inspection.tests)
    rows.push_back({t.test, cell(t.statistic), cell(t.p_value),
                    t.lags ? std::to_string(*t.lags) : "", t.null});
  write_table(o, rows);
  if (!o.chart.empty()) {
    draw_first_look(data.values, o.chart,
                    o.returns == "none" ? std::nullopt : std::optional(data.level));
    say_written(o, o.chart);
  }
  return 0;
}

}  // namespace

void add_inspect(CLI::App& app, Options& o, Run& run) {
  CLI::App* c =
      app.add_subcommand("inspect", "First look: moments, memory, clustering, and a figure");
  add_series_options(*c, o);
  c->add_option("--lags", o.lags, "lags of the tests (default: min(10, n/5))")->group("Tests");
  add_output_options(*c, o);
  c->add_option("--chart", o.chart, "the first-look figure, .png .svg .pdf")->group("Output");
  c->add_option("--out", o.out, "the tests as CSV")->group("Output");
  c->footer(
      "Example:\n  brace inspect data/kelp-fibre.csv --value settle --drop-zero volume --returns "
      "log --chart look.png");
  c->callback([&run] { run = run_inspect; });
}

}  // namespace brace::app
