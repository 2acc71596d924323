// SPDX-License-Identifier: Apache-2.0
// brace breaks: did the process itself change, when, and is high persistence only that?
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <iostream>

#include "brace/draw/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

// The tests that can be asked for alone, with what they take.
using Make = std::vector<TestResult> (*)(const Series&, const Options&);
Fit fit_for(const Series& y, const Options& o) {
  return estimate(o.model.empty() ? "const / garch / student" : o.model, y);
}
ChangeOptions change_options(const Options& o) {
  ChangeOptions options;
  if (o.trim) options.trim = *o.trim;
  return options;
}
const std::vector<std::pair<std::string, Make>>& single_tests() {
  static const std::vector<std::pair<std::string, Make>> all{
      {"cusum", [](const Series& y, const Options&) { return std::vector{cusum(y)}; }},
      {"cusum-ols", [](const Series& y, const Options&) { return std::vector{cusum_ols(y)}; }},
      {"cusum-squares",
       [](const Series& y, const Options&) { return std::vector{cusum_squares(y)}; }},
      {"sup-f", [](const Series& y, const Options& o) { return sup_f(y, {}, change_options(o)); }},
      {"bai-perron",
       [](const Series& y, const Options& o) {
         return bai_perron(y, {.number = o.number_of_breaks}).tests;
       }},
      {"nyblom", [](const Series& y, const Options& o) { return nyblom(fit_for(y, o)); }},
      {"variance-break", [](const Series& y, const Options& o) {
         return std::vector{variance_break(fit_for(y, o))};
       }}};
  return all;
}

// Only the tests asked for, each with its null and what it says.
int run_single(const Options& o, const Loaded& data) {
  std::vector<TestResult> tests;
  for (const std::string& id : o.tests) {
    const auto found = std::find_if(single_tests().begin(), single_tests().end(),
                                    [&](const auto& one) { return one.first == id; });
    if (found == single_tests().end()) {
      std::vector<std::string> known;
      for (const auto& [name, make] : single_tests()) known.push_back(name);
      throw Error(ErrorCode::bad_option,
                  fmt::format("--test {}: is no test of breaks; these are: {}", id,
                              fmt::join(known, ", ")));
    }
    for (TestResult& test : found->second(data.values, o)) tests.push_back(std::move(test));
  }
  BreakReport report;
  report.of = data.values.name;
  report.tests = tests;
  if (o.json) {
    std::cout << json_document("breaks", data.values, report);
  } else {
    for (const TestResult& test : tests) std::cout << test;
    print_account(data.level);
    print_next(o, fmt::format("breaks {}", modelled_words(o)));
  }
  std::vector<std::vector<std::string>> rows{{"test", "variant", "statistic", "p_value", "null"}};
  for (const TestResult& t : tests)
    rows.push_back({t.test, t.variant, cell(t.statistic), cell(t.p_value), t.null});
  write_table(o, rows);
  return 0;
}

int run_breaks(const Options& o) {
  const Loaded data = load(o);
  if (!o.tests.empty()) return run_single(o, data);
  FindBreaksOptions options;
  if (!o.model.empty()) options.model = o.model;
  options.number = o.number_of_breaks;
  options.bandwidth = bandwidth_of(o) == kBandwidthAutomatic ? -1 : bandwidth_of(o);
  const BreakReport report =
      with_warnings_of(data, find_breaks(data.values, options, Executor(o.threads)));
  std::optional<TestResult> at_date;
  if (!o.at.empty()) {
    const auto when = parse_date(o.at);
    if (!when)
      throw Error(ErrorCode::bad_option,
                  fmt::format("--at {}: is not a date; write it as 2019-05-02", o.at));
    if (data.values.times.empty())
      throw Error(ErrorCode::bad_option,
                  fmt::format("--at {}: {} has no dates; name their column with --date", o.at,
                              data.values.name));
    std::size_t last_before = 0;
    for (std::size_t t = 0; t < data.values.size(); ++t)
      if (!std::isnan(data.values.values[t]) && data.values.times[t] < *when) ++last_before;
    at_date = chow(data.values, last_before);
  }
  if (o.json) {
    BreakReport whole = report;
    if (at_date) whole.tests.push_back(*at_date);
    std::cout << json_document("breaks", data.values, whole);
  } else {
    std::cout << report;
    if (at_date) std::cout << text::indented(*at_date, "  ");
    print_account(data.level);
    print_next(o, report.from
                      ? fmt::format("fit {} --from {} --model '{}'", modelled_words(o),
                                    format_date(*report.from), report.model)
                      : fmt::format("fit {} --model '{}'", modelled_words(o), report.model));
  }
  if (!o.chart.empty()) {
    draw_breaks(data.values, report, o.chart);
    say_written(o, o.chart);
  }
  std::vector<std::vector<std::string>> rows{
      {"kind", "index", "date", "low", "high", "low_date", "high_date", "p_value"}};
  const auto date = [](const std::optional<Timestamp>& t) { return t ? format_date(*t) : ""; };
  for (const auto& f : report.breaks)
    rows.push_back({std::string(to_string(f.kind)), std::to_string(f.at.index), date(f.at.date),
                    std::to_string(f.at.low), std::to_string(f.at.high), date(f.at.low_date),
                    date(f.at.high_date), ""});
  if (at_date) rows.push_back({"chow", "", o.at, "", "", "", "", cell(at_date->p_value)});
  write_table(o, rows);
  return 0;
}

}  // namespace

void add_breaks(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "breaks", "Lasting changes of mean, variance and parameters, dated, and what they mean");
  add_series_options(*c, o);
  const char* group = "Tests";
  c->add_option(
       "--model", o.model,
       "whose parameters are tested and whose persistence is shown (default: const / garch "
       "/ student)")
      ->option_text("LINE")
      ->group(group);
  c->add_option("--breaks", o.number_of_breaks,
                "this many breaks in the mean, whatever the tests say")
      ->check(CLI::Range(0, 5))
      ->group(group);
  c->add_option("--test", o.tests,
                "only these tests, each alone: cusum, cusum-ols, cusum-squares, sup-f, bai-perron, "
                "nyblom, variance-break")
      ->delimiter(',')
      ->option_text("ID,...")
      ->group(group);
  c->add_option("--trim", o.trim,
                "share of the rows that sup-f leaves out at each end (default: .15)")
      ->check(CLI::Range(0.02, 0.4))
      ->option_text("SHARE")
      ->needs("--test")
      ->group(group);
  c->add_option("--bandwidth", o.bandwidth_words,
                "Bartlett window for the squares instead of the AR spectrum, for comparison")
      ->option_text("N")
      ->group(group);
  c->add_option("--at", o.at, "Chow's test of a change of mean at a date known beforehand")
      ->option_text("DATE")
      ->group(group);
  c->add_option("--threads", o.threads, "for the fits (default: all)")->group(group);
  add_output_options(*c, o);
  c->add_option("--chart", o.chart, "series with its segments shaded, .png .svg .pdf")
      ->group("Output");
  c->add_option("--out", o.out, "the breaks as CSV")->group("Output");
  c->footer(
      "Example:\n  brace breaks data/kelp-fibre.csv --value settle --drop-zero volume --returns "
      "log");
  c->callback([&run] { run = run_breaks; });
}

}  // namespace brace::app
