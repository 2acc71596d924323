// SPDX-License-Identifier: Apache-2.0
// brace unitroot: is the level stationary, and which series may be modelled?
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "options.hpp"

namespace brace::app {
namespace {

const std::vector<std::string> kBatteryTests{
    "adf", "pp", "df-gls", "ng-perron", "point-optimal", "zivot-andrews", "kpss"};
const std::vector<std::string> kMoreTests{"two-breaks", "seasonal-roots", "variance-ratio"};

hypothesis::LagRule rule_of(const Options& o) {
  if (o.test.lags == "aic") return hypothesis::LagRule::aic;
  if (o.test.lags == "bic") return hypothesis::LagRule::bic;
  if (o.test.lags == "maic") return hypothesis::LagRule::maic;
  if (o.test.lags == "t") return hypothesis::LagRule::t;
  return hypothesis::LagRule::fixed;
}

hypothesis::BreakModel model_of_break(const Options& o) {
  for (const hypothesis::BreakModel model :
       {hypothesis::BreakModel::intercept, hypothesis::BreakModel::trend})
    if (to_string(model) == o.test.model_of_break) return model;
  return hypothesis::BreakModel::both;
}

BatteryOptions battery_options(const Options& o) {
  BatteryOptions battery;
  for (const Deterministic terms :
       {Deterministic::none, Deterministic::constant, Deterministic::trend})
    if (to_string(terms) == o.test.deterministic) battery.deterministic = terms;
  if (!o.test.lags.empty()) {
    battery.rule = rule_of(o);
    if (battery.rule == hypothesis::LagRule::fixed)
      battery.lags = o.test.lags == "0" ? 0 : lag_count(o).value_or(0);
  }
  battery.bandwidth = bandwidth_of(o);
  battery.break_model = model_of_break(o);
  for (const std::string& id : o.test.named)
    if (std::find(kBatteryTests.begin(), kBatteryTests.end(), id) != kBatteryTests.end())
      battery.only.push_back(id);
  return battery;
}

// What --test names beyond the battery, on the series that decides.
std::vector<TestResult> more_tests(const Options& o, const Series& level,
                                   const BatteryOptions& battery) {
  const auto asked = [&](const char* id) {
    return std::find(o.test.named.begin(), o.test.named.end(), id) != o.test.named.end();
  };
  std::vector<TestResult> tests;
  if (asked("two-breaks"))
    tests.push_back(
        hypothesis::two_breaks(level, {.model = battery.break_model,
                                       .rule = battery.rule.value_or(hypothesis::LagRule::bic),
                                       .lags = battery.lags}));
  if (asked("seasonal-roots")) {
    const int period = o.period.value_or(season_length(level));
    const auto roots = hypothesis::seasonal_roots(
        level,
        {.period = period,
         .with_trend = battery.deterministic.value_or(Deterministic::trend) == Deterministic::trend,
         .rule = battery.rule.value_or(hypothesis::LagRule::bic),
         .lags = battery.lags});
    tests.insert(tests.end(), roots.begin(), roots.end());
  }
  if (asked("variance-ratio")) {
    hypothesis::VarianceRatioOptions ratio{.seed = o.seed};
    if (!o.test.periods.empty()) ratio.periods = o.test.periods;
    const hypothesis::VarianceRatio result =
        hypothesis::variance_ratio(level, ratio, executor_of(o));
    tests.insert(tests.end(), result.tests.begin(), result.tests.end());
  }
  return tests;
}

// Options of a test that is not asked for would do nothing.
void require_test_of(const Options& o, bool given, const char* option, const char* test) {
  if (given && std::find(o.test.named.begin(), o.test.named.end(), test) == o.test.named.end())
    throw Error(
        ErrorCode::bad_option,
        fmt::format("{} is for {}, which is not asked for; add --test {}", option, test, test));
}

void require_known_tests(const Options& o) {
  std::vector<std::string> known = kBatteryTests;
  known.insert(known.end(), kMoreTests.begin(), kMoreTests.end());
  for (const std::string& id : o.test.named)
    if (std::find(known.begin(), known.end(), id) == known.end()) {
      const auto near = text::nearest(id, known);
      throw Error(ErrorCode::bad_option,
                  fmt::format("--test {}: no such test{}; there are {}", id,
                              near ? fmt::format(" (did you mean '{}'?)", *near) : "",
                              fmt::join(known, ", ")));
    }
}

std::vector<std::string> table_row(const std::string& of, const TestResult& t) {
  return {of,
          t.test,
          t.variant,
          t.deterministic ? std::string(to_string(*t.deterministic)) : "",
          t.lags ? std::to_string(*t.lags) : "",
          t.bandwidth ? std::to_string(*t.bandwidth) : "",
          cell(t.statistic),
          cell(t.p_value),
          cell(t.critical ? std::optional(t.critical->at_5) : std::nullopt),
          t.break_at && t.break_at->date ? format_date(*t.break_at->date) : "",
          t.null};
}

// What the verdict asks for: the change, the level (its logarithm where that decided), or a search
// with a trend.
std::string next_of(const Options& o, const UnitRootReport& report, const Series& level,
                    bool of_logarithm) {
  const UnitRootBattery* deciding =
      report.batteries.empty() ? nullptr : &report.batteries[report.batteries.size() - 2];
  std::string words = series_words(o);
  if (deciding == nullptr) return "lags " + words;
  if (asks_for_difference(*deciding)) return "lags " + words + making_of(level);
  if (of_logarithm) words += " --transform log";
  return deciding->verdict == StationarityVerdict::trend_stationary
             ? "search " + words + " --terms trend"
             : "lags " + words;
}

int run_unitroot(const Options& o) {
  require_known_tests(o);
  require_test_of(o, !o.test.periods.empty(), "--periods", "variance-ratio");
  require_test_of(o, o.period.has_value(), "--period", "seasonal-roots");
  const Loaded data = load(o, Takes::changes);
  // What --transform makes is tested as it is; else the level, its logarithm where it has one, and
  // the change.
  const bool made = !o.series.transform.empty();
  std::vector<Series> levels{made ? data.values : data.level};
  if (!made && all_positive(data.level)) levels.push_back(log_level(data.level));
  const Series& deciding = levels.back();
  const Series change = made ? differences(data.values) : change_of(data.level, o);
  const BatteryOptions options = battery_options(o);
  const bool battery_asked = o.test.named.empty() || !options.only.empty();
  UnitRootReport report;
  if (battery_asked) report = compare_unit_roots(levels, change, options);
  const std::vector<TestResult> more = more_tests(o, deciding, options);
  const int season = season_length(deciding);
  const bool seasonal = (season == 4 || season == 12) && deciding.size() >= 96;
  std::optional<hypothesis::DifferencesSuggested> suggested;
  if (o.test.named.empty())
    suggested = hypothesis::suggest_differences(deciding, seasonal ? season : 0, options);

  if (std::ostream* json = json_stream(o))
    *json << json_document("unitroot", deciding, report, more, suggested, data.warnings);
  if (shows_text(o)) {
    if (battery_asked) std::cout << report;
    for (const TestResult& test : more) std::cout << text::indented(test, "  ");
    if (suggested)
      std::cout << text::wrap(fmt::format("Differences suggested: {}.", suggested->reading), 100,
                              "  ");
    print_warnings(std::cout, data.warnings);
    print_account(data.level);
    print_next(o, made ? fmt::format("lags {}", modelled_words(o))
                       : next_of(o, report, data.level, levels.size() > 1));
  }
  std::vector<std::vector<std::string>> rows{{"of", "test", "variant", "deterministic", "lags",
                                              "bandwidth", "statistic", "p_value", "critical_5",
                                              "break", "null"}};
  for (const UnitRootBattery& battery : report.batteries)
    for (const TestResult& t : battery.tests) rows.push_back(table_row(battery.of, t));
  for (const TestResult& t : more) rows.push_back(table_row(deciding.name, t));
  write_table(o, rows);
  return 0;
}

}  // namespace

Command unitroot_command(Options& o) {
  Command c("unitroot",
            "Is the level stationary? Seven tests on the level, its logarithm and its change",
            run_unitroot);
  add_series_options(c, o);
  const char* group = "Tests";
  c.option("--test", o.test.named,
           fmt::format("only these: {}; or {}", fmt::join(kBatteryTests, ", "),
                       fmt::join(kMoreTests, ", ")))
      .list()
      .shown_as("ID,...")
      .group(group);
  c.option("--deterministic", o.test.deterministic,
           "deterministic terms for the level: none, constant, trend (default: trend if it drifts)")
      .words({"none", "constant", "trend"})
      .group(group);
  c.option("--lags", o.test.lags,
           "lagged differences: a number, aic, bic, maic or t (default: bic, and maic for the "
           "GLS tests)")
      .group(group);
  c.option("--bandwidth", o.test.bandwidth,
           "Bartlett bandwidth of pp and kpss: a number or auto (default: from the sample size)")
      .shown_as("N|auto")
      .group(group);
  c.option("--model-of-break", o.test.model_of_break,
           "what may break: intercept, trend, both (default: both)")
      .words({"intercept", "trend", "both"})
      .group(group);
  c.option("--period", o.period,
           "seasonal period of seasonal-roots, 4 or 12 (default: from the frequency)")
      .group(group);
  c.option("--periods", o.test.periods, "horizons of the variance ratios (default: 2,5,10)")
      .list()
      .shown_as("N,...")
      .group(group);
  c.option("--seed", o.seed, "random seed of the variance-ratio bootstrap").group(group);
  c.option("--threads", o.threads, "threads for the bootstrap (default: all)").group(group);
  add_output_options(c, o);
  c.option("--out", o.output.out, "the tests as CSV").group("Output").path();
  c.footer = "Example:\n  brace unitroot data/kelp-fibre.csv --value settle --drop-zero volume";
  return c;
}

}  // namespace brace::app
