// SPDX-License-Identifier: Apache-2.0
// brace inspect: what is in this file, and what kind of series is it?
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

// What the file is: its rows, its clock, where that does not hold.
void print_file(const Series& level) {
  std::cout << '\n'
            << text::wrap(fmt::format("{}: {} read; {}", level.file,
                                      text::plural(level.account.rows_read, "row", "rows"),
                                      account(level)),
                          100, "  ");
  if (level.clock == Clock::row) {
    std::cout << "  clock: none that fits, so rows are only counted\n";
    return;
  }
  const Calendar calendar = learn_calendar(level.times, level.clock);
  std::cout << text::wrap(fmt::format("clock: {}", describe(calendar)), 100, "  ");
  const std::vector<IrregularStep> steps = irregular_steps(calendar, level.times);
  if (steps.empty()) return;
  constexpr std::size_t kListed = 6;
  std::vector<std::string> places;
  for (std::size_t i = 0; i < std::min(kListed, steps.size()); ++i) {
    const IrregularStep& step = steps[i];
    if (step.skipped == 0) {
      places.push_back(level.when(step.index) + " (off the clock)");
      continue;
    }
    const std::string first = format_date(calendar.next(level.times[step.index - 1]));
    places.push_back(
        step.skipped == 1 ? first : fmt::format("{} and {} after it", first, step.skipped - 1));
  }
  if (steps.size() > kListed) places.push_back(fmt::format("{} more", steps.size() - kListed));
  std::cout << text::wrap(
      fmt::format("dates that the clock has and the file has not: {}", fmt::join(places, ", ")),
      100, "  ");
}

// A file of several numeric columns, where none was named: what each holds.
int run_overview(const Options& o, const Table& table) {
  if (std::ostream* json = json_stream(o)) *json << json_document("inspect", table);
  if (!shows_text(o)) return 0;
  std::vector<std::string> names;
  for (const Column& c : table.columns) names.push_back(c.name);
  std::cout << text::wrap(
                   fmt::format("{}: {} columns hold numbers; choose one.", o.file, names.size()))
            << fmt::format("\n  {:<20}{:>10}{:>10}{:>12}{:>12}{:>12}\n", "column", "present",
                           "missing", "first", "least", "most");
  for (const std::string& name : names) {
    const Series s = table.series(name);
    const std::vector<double> kept = s.present_values();
    const auto shown = [](double x) { return x == 0 ? "0" : text::significant(x, 5); };
    std::cout << fmt::format(
        "  {:<20}{:>10}{:>10}{:>12}{:>12}{:>12}\n", name.substr(0, 20), text::count(s.present()),
        text::count(s.missing()), kept.empty() ? "-" : shown(kept.front()),
        kept.empty() ? "-" : shown(*std::min_element(kept.begin(), kept.end())),
        kept.empty() ? "-" : shown(*std::max_element(kept.begin(), kept.end())));
  }
  Series rows = table.series(names.front());
  rows.values.assign(rows.values.size(), 0);  // the missing are told above, column by column
  print_file(rows);
  Options next = o;
  next.series.read.value = table.close ? names[*table.close] : names.back();
  if (table.volume && !next.series.read.drop_zero)
    next.series.read.drop_zero = names[*table.volume];
  print_next(o, fmt::format("inspect {}{}", series_words(next),
                            making_of(table.series(*next.series.read.value))));
  return 0;
}

// Those of --test alone.
void keep_tests(const Options& o, std::vector<TestResult>& tests) {
  std::vector<std::string> known;
  for (const TestResult& t : tests)
    if (std::find(known.begin(), known.end(), t.test) == known.end()) known.push_back(t.test);
  for (const std::string& id : o.test.named)
    if (std::find(known.begin(), known.end(), id) == known.end())
      throw Error(ErrorCode::bad_option,
                  fmt::format("--test {}: is no test of the first look; these are: {}", id,
                              fmt::join(known, ", ")));
  std::erase_if(tests, [&](const TestResult& t) {
    return std::find(o.test.named.begin(), o.test.named.end(), t.test) == o.test.named.end();
  });
}

int run_inspect(const Options& o) {
  if (!o.series.read.value && o.file != "-" && !is_saved_model(o.file)) {
    const Table table = read_whole_table(o);
    if (table.columns.size() > 1) return run_overview(o, table);
  }
  const Loaded data = load(o, Takes::bars);
  const std::vector<int> lags = lag_list(o);
  Inspection inspection = with_warnings_of(
      data,
      inspect(data.values, {.lags = lags.size() == 1 ? std::optional(lags.front()) : std::nullopt,
                            .at = lags.size() > 1 ? lags : std::vector<int>{},
                            .bars = data.bars}));
  if (!o.test.named.empty()) keep_tests(o, inspection.tests);
  if (std::ostream* json = json_stream(o))
    *json << json_document("inspect", data.values, inspection, data.level);
  if (shows_text(o)) {
    if (o.test.named.empty())
      std::cout << inspection;
    else
      for (const TestResult& test : inspection.tests) std::cout << test;
    print_file(data.level);
    print_next(o, o.series.returns == "none" ? fmt::format("unitroot {}", series_words(o))
                                             : fmt::format("lags {}", modelled_words(o)));
  }
  std::vector<std::vector<std::string>> rows{{"test", "statistic", "p_value", "lags", "null"}};
  for (const TestResult& t : inspection.tests)
    rows.push_back({t.test, cell(t.statistic), cell(t.p_value),
                    t.lags ? std::to_string(*t.lags) : "", t.null});
  write_table(o, rows);
  const bool same = o.series.returns == "none" && o.series.transform.empty();
  if (!o.output.chart.empty()) {
    draw_first_look(data.values, o.output.chart, same ? std::nullopt : std::optional(data.level));
    say_written(o, o.output.chart);
  }
  if (!o.output.shape.empty()) {
    draw_shape(data.values, o.output.shape);
    say_written(o, o.output.shape);
  }
  return 0;
}

}  // namespace

Command inspect_command(Options& o) {
  Command c("inspect", "What is in the file; moments, memory, clustering, tails, advice",
            run_inspect);
  add_series_options(c, o);
  c.option("--lags", o.test.lags, "lags of the tests (default: min(10, n/5))").group("Tests");
  c.option("--test", o.test.named, "only these tests, by their ids: ljung-box,arch-lm")
      .list()
      .shown_as("ID,...")
      .group("Tests");
  add_output_options(c, o);
  c.option("--chart", o.output.chart, "the first-look figure, .png .svg .pdf")
      .group("Output")
      .path();
  c.option("--shape", o.output.shape, "histogram and quantiles against fitted laws, .png .svg .pdf")
      .group("Output")
      .path();
  c.option("--out", o.output.out, "the tests as CSV").group("Output").path();
  c.footer =
      "Example:\n  brace inspect data/kelp-fibre.csv --value settle --drop-zero volume --returns "
      "log --chart look.png";
  return c;
}

}  // namespace brace::app
