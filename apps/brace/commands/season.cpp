// SPDX-License-Identifier: Apache-2.0
// brace season: is there a season in the level, or in volatility by the hour or the weekday?
#include <fmt/format.h>

#include <iostream>

#include "brace/figures/figure.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

DecompositionOptions decomposition_options(const Options& o) {
  DecompositionOptions options;
  options.period = o.period;
  options.season_span = o.season.span;
  options.method =
      o.season.method == "averages" ? DecompositionMethod::averages : DecompositionMethod::loess;
  for (const DecompositionForm form :
       {DecompositionForm::additive, DecompositionForm::multiplicative,
        DecompositionForm::automatic})
    if (to_string(form) == o.season.form) options.form = form;
  return options;
}

int run_decomposition(const Options& o, const Loaded& data) {
  const Decomposition parts = decompose(data.values, decomposition_options(o));
  const TestResult test = hypothesis::season_test(parts);
  if (std::ostream* json = json_stream(o))
    *json << json_document("season", data.values, parts, test, data.warnings);
  if (shows_text(o)) {
    std::cout << parts;
    std::cout << fmt::format("\n  {:<17}{:>9}  p {:<9}null: {}\n", test.test,
                             text::significant(test.statistic, 4), text::p_value(test.p_value),
                             test.null);
    print_warnings(std::cout, data.warnings);
    print_account(data.level);
    if (!test.rejects().value_or(false))
      print_next(o, fmt::format("lags {}", modelled_words(o)));
    else if (o.output.out.empty())
      print_next(o, fmt::format("season {} --out adjusted.csv", modelled_words(o)));
    else
      print_next(o, fmt::format("unitroot {} --value adjusted", shell_word(o.output.out)));
  }
  std::vector<std::vector<std::string>> rows{{parts.series.times.empty() ? "row" : "date", "value",
                                              "trend", "season", "remainder", "adjusted"}};
  const Series adjusted = parts.adjusted();
  for (std::size_t t = 0; t < parts.series.size(); ++t)
    rows.push_back({parts.series.times.empty() ? std::to_string(t + 1) : parts.series.when(t),
                    cell(parts.series.values[t]), cell(parts.trend[t]), cell(parts.season[t]),
                    cell(parts.remainder[t]), cell(adjusted.values[t])});
  write_table(o, rows);
  if (!o.output.chart.empty()) {
    draw_decomposition(parts, o.output.chart);
    say_written(o, o.output.chart);
  }
  return 0;
}

int run_profile(const Options& o, const Loaded& data) {
  std::vector<VolatilityProfile> profiles;
  std::vector<TestResult> tests;
  if (data.values.clock == Clock::hour || data.values.clock == Clock::minute ||
      data.values.clock == Clock::row) {
    profiles.push_back(volatility_profile(data.values, ProfileBy::time_of_day));
    tests.push_back(hypothesis::profile_test(data.values, ProfileBy::time_of_day));
  }
  profiles.push_back(volatility_profile(data.values, ProfileBy::weekday));
  tests.push_back(hypothesis::profile_test(data.values, ProfileBy::weekday));
  if (std::ostream* json = json_stream(o))
    *json << json_document("season", data.values, profiles, tests, data.warnings);
  if (shows_text(o)) {
    for (std::size_t i = 0; i < profiles.size(); ++i) {
      if (i > 0) std::cout << '\n';
      print(std::cout, profiles[i], tests[i], data.values);
    }
    print_warnings(std::cout, data.warnings);
    print_account(data.level);
    // What is divided must count from zero, and have a profile to be divided by.
    const bool divides = tests.front().rejects().value_or(false) && counts_from_zero(data.values);
    const bool hours = profiles.front().by == ProfileBy::time_of_day;
    Options next = o;
    if (divides)
      next.series.transform += fmt::format("{}{}", next.series.transform.empty() ? "" : " ",
                                           hours ? "hours" : "weekdays");
    print_next(o, fmt::format("lags {}{}", modelled_words(next), divides ? " --of squares" : ""));
  }
  // The first profile is the finer one; that is what the series is divided by.
  const Series divided = divided_by(data.values, profiles.front());
  std::vector<std::vector<std::string>> rows{{"date", "value", "factor", "divided"}};
  for (std::size_t t = 0; t < divided.size(); ++t)
    rows.push_back(
        {divided.when(t), cell(data.values.values[t]),
         cell(profiles.front().slots[slot_of(profiles.front(), divided.times[t])].factor),
         cell(divided.values[t])});
  write_table(o, rows);
  if (!o.output.chart.empty()) {
    draw_profile(data.values, profiles, o.output.chart);
    say_written(o, o.output.chart);
  }
  return 0;
}

int run_season(const Options& o) {
  Loaded data = load(o);
  if (auto few = few_rows_decide(data.values)) data.warnings.push_back(std::move(*few));
  // Within the day and the week the volatility of returns has a season, and the height of all else;
  // a period given asks for parts.
  const bool dated_rows = data.values.clock == Clock::row && !data.values.times.empty();
  const bool within_week = data.values.clock == Clock::hour || data.values.clock == Clock::minute ||
                           data.values.clock == Clock::day ||
                           data.values.clock == Clock::business_day;
  return !o.period && (dated_rows || (within_week && counts_from_zero(data.values)))
             ? run_profile(o, data)
             : run_decomposition(o, data);
}

}  // namespace

Command season_command(Options& o) {
  Command c("season", "Trend, season and remainder; or volatility by the hour and the weekday",
            run_season);
  add_series_options(c, o);
  const char* group = "The season";
  c.option("--period", o.period,
           "observations in a seasonal period (default: from the frequency, month 12)")
      .range(2, 100000)
      .group(group);
  c.option("--method", o.season.method, "loess or averages (default: loess)")
      .words({"loess", "averages"})
      .group(group);
  c.option("--form", o.season.form,
           "additive, multiplicative, automatic by the Box-Cox power (default: automatic)")
      .words({"additive", "multiplicative", "automatic"})
      .group(group);
  c.option("--season-span", o.season.span,
           "periods over which LOESS smooths the season, odd; 0 for one season (default: 11)")
      .group(group);
  add_output_options(c, o);
  c.option("--chart", o.output.chart, "the panels or the profile, .png .svg .pdf")
      .group("Output")
      .path();
  c.option("--out", o.output.out, "the parts and the adjusted series as CSV")
      .group("Output")
      .path();
  c.footer =
      "Examples:\n  brace season data/lamp-oil.csv --chart parts.png\n"
      "  brace season data/ferry-freight.csv --returns log --overnight mark";
  return c;
}

}  // namespace brace::app
