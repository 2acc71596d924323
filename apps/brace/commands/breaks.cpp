// SPDX-License-Identifier: Apache-2.0
// brace breaks: did the process itself change, when, and is high persistence only that?
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {

FindBreaksOptions breaks_options(const Options& o) {
  FindBreaksOptions options;
  if (!o.model.line.empty()) options.model = o.model.line;
  options.number = o.test.breaks;
  options.bandwidth = bandwidth_of(o).number;
  return options;
}

namespace {

// The tests that can be asked for alone, with what they take.
using Make = std::vector<TestResult> (*)(const Series&, const Options&);
Fit fit_for(const Series& y, const Options& o) {
  return estimate(o.model.line.empty() ? first_model(y) : parse_model(o.model.line), y);
}
hypothesis::ChangeOptions change_options(const Options& o) {
  hypothesis::ChangeOptions options;
  if (o.test.trim) options.trim = *o.test.trim;
  return options;
}
const std::vector<std::pair<std::string, Make>>& single_tests() {
  static const std::vector<std::pair<std::string, Make>> all{
      {"cusum", [](const Series& y, const Options&) { return std::vector{hypothesis::cusum(y)}; }},
      {"cusum-ols",
       [](const Series& y, const Options&) { return std::vector{hypothesis::cusum_ols(y)}; }},
      {"cusum-squares",
       [](const Series& y, const Options&) { return std::vector{hypothesis::cusum_squares(y)}; }},
      {"sup-f", [](const Series& y,
                   const Options& o) { return hypothesis::sup_f(y, {}, change_options(o)); }},
      {"bai-perron",
       [](const Series& y, const Options& o) {
         return hypothesis::bai_perron(y, {.number = o.test.breaks}).tests;
       }},
      {"nyblom", [](const Series& y, const Options& o) { return nyblom(fit_for(y, o)); }},
      {"variance-break", [](const Series& y, const Options& o) {
         return std::vector{variance_break_test(fit_for(y, o))};
       }}};
  return all;
}

// Only the tests asked for, each with its null and what it says.
int run_single(const Options& o, const Loaded& data) {
  std::vector<TestResult> tests;
  for (const std::string& id : o.test.named) {
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
  if (std::ostream* json = json_stream(o)) *json << json_document("breaks", data.values, report);
  if (shows_text(o)) {
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
  if (!o.test.named.empty()) return run_single(o, data);
  const BreakReport report =
      with_warnings_of(data, find_breaks(data.values, breaks_options(o), executor_of(o)));
  std::optional<TestResult> at_date;
  if (!o.test.at.empty()) {
    const auto when = parse_date(o.test.at);
    if (!when)
      throw Error(ErrorCode::bad_option,
                  fmt::format("--at {}: is not a date; write it as 2019-05-02", o.test.at));
    if (data.values.times.empty())
      throw Error(ErrorCode::bad_option,
                  fmt::format("--at {}: {} has no dates; name their column with --date", o.test.at,
                              data.values.name));
    std::size_t rows_before = 0;
    for (std::size_t t = 0; t < data.values.size(); ++t)
      if (!std::isnan(data.values.values[t]) && data.values.times[t] < *when) ++rows_before;
    at_date = hypothesis::chow(data.values, rows_before);
  }
  if (std::ostream* json = json_stream(o)) {
    BreakReport whole = report;
    if (at_date) whole.tests.push_back(*at_date);
    *json << json_document("breaks", data.values, whole);
  }
  if (shows_text(o)) {
    std::cout << report;
    if (at_date) std::cout << text::indented(*at_date, "  ");
    print_account(data.level);
    Options after = o;
    if (report.from) after.series.read.from = format_date(*report.from);
    print_next(o, fmt::format("fit {}", fitted_words(after, report.model)));
  }
  if (!o.output.chart.empty()) {
    draw_breaks(data.values, report, o.output.chart);
    say_written(o, o.output.chart);
  }
  std::vector<std::vector<std::string>> rows{
      {"kind", "index", "date", "low", "high", "low_date", "high_date", "p_value"}};
  const auto date = [](const std::optional<Timestamp>& t) { return t ? format_date(*t) : ""; };
  for (const auto& f : report.breaks)
    rows.push_back({std::string(to_string(f.kind)), std::to_string(f.at.row + 1), date(f.at.date),
                    std::to_string(f.at.low + 1), std::to_string(f.at.high + 1),
                    date(f.at.low_date), date(f.at.high_date), ""});
  if (at_date) rows.push_back({"chow", "", o.test.at, "", "", "", "", cell(at_date->p_value)});
  write_table(o, rows);
  return 0;
}

}  // namespace

Command breaks_command(Options& o) {
  Command c("breaks", "Date lasting changes of the mean, variance and parameters", run_breaks);
  add_series_options(c, o);
  const char* group = "Tests";
  c.option("--model", o.model.line,
           "model whose parameters are tested and whose persistence is reported (default: const / "
           "garch / student, with AR lags where the mean has memory)")
      .shown_as("LINE")
      .model_line()
      .group(group);
  c.option("--breaks", o.test.breaks,
           "use this number of breaks in the mean, regardless of the tests")
      .range(0, 5)
      .group(group);
  c.option("--test", o.test.named,
           "only these tests, each on its own: cusum, cusum-ols, cusum-squares, sup-f, bai-perron, "
           "nyblom, variance-break")
      .list()
      .shown_as("ID,...")
      .group(group);
  c.option("--trim", o.test.trim,
           "share of the rows that sup-f leaves out at each end (default: .15)")
      .range(0.02, 0.4)
      .shown_as("SHARE")
      .needs("--test")
      .group(group);
  c.option("--bandwidth", o.test.bandwidth,
           "Bartlett window for the squares instead of the AR spectrum, for comparison")
      .shown_as("N")
      .group(group);
  c.option("--at", o.test.at, "Chow's test of a change of mean at a date known beforehand")
      .shown_as("DATE")
      .group(group);
  c.option("--threads", o.threads, "threads for the fits (default: all)").group(group);
  add_output_options(c, o);
  c.option("--chart", o.output.chart, "series with its segments shaded, .png .svg .pdf")
      .group("Output")
      .path();
  c.option("--out", o.output.out, "the breaks as CSV").group("Output").path();
  c.footer =
      "Example:\n  brace breaks data/kelp-fibre.csv --value settle --drop-zero volume --returns "
      "log";
  return c;
}

}  // namespace brace::app
