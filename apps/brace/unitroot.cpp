// SPDX-License-Identifier: Apache-2.0
// brace unitroot: is the level stationary, and which series may be modelled?
#include <fmt/format.h>

#include <algorithm>
#include <iostream>

#include "options.hpp"

namespace brace::app {
namespace {

BatteryOptions battery_options(const Options& o) {
  BatteryOptions battery;
  for (const Deterministic terms :
       {Deterministic::none, Deterministic::constant, Deterministic::trend})
    if (to_string(terms) == o.deterministic) battery.deterministic = terms;
  if (o.lags == "aic") {
    battery.adf.rule = LagRule::aic;
  } else if (!o.lags.empty() && o.lags != "bic") {
    battery.adf.rule = LagRule::fixed;
    battery.adf.lags = o.lags == "0" ? 0 : lag_count(o);
  }
  battery.kpss.bandwidth = o.bandwidth;
  return battery;
}

int run_unitroot(const Options& o) {
  const Loaded data = load(o);
  const bool positive = std::none_of(data.level.values.begin(), data.level.values.end(),
                                     [](double v) { return v <= 0; });
  // What --transform makes is tested as it is; else the logarithm of a level that has one.
  const bool made = !o.transform.empty();
  const Series level = made ? data.values : positive ? log_level(data.level) : data.level;
  const Series change = made ? differences(data.values) : change_of(data.level, o);
  const UnitRootReport report = compare_unit_roots(level, change, battery_options(o));
  if (o.json) {
    std::cout << json_document("unitroot", level, report);
  } else {
    std::cout << report;
    print_account(data.level);
    const bool returns =
        positive && !made && report.batteries.front().verdict != StationarityVerdict::stationary;
    print_next(o, made
                      ? fmt::format("lags {}", modelled_words(o))
                      : fmt::format("lags {}{}", series_words(o), returns ? " --returns log" : ""));
  }
  std::vector<std::vector<std::string>> rows{{"of", "test", "deterministic", "lags", "bandwidth",
                                              "statistic", "p_value", "critical_5", "null"}};
  for (const UnitRootBattery& battery : report.batteries)
    for (const TestResult& t : battery.tests)
      rows.push_back({battery.of, t.test, std::string(to_string(*t.deterministic)),
                      t.lags ? std::to_string(*t.lags) : "",
                      t.bandwidth ? std::to_string(*t.bandwidth) : "", cell(t.statistic),
                      cell(t.p_value), cell(t.critical->at_5), t.null});
  write_table(o, rows);
  return 0;
}

}  // namespace

void add_unitroot(CLI::App& app, Options& o, Run& run) {
  CLI::App* c = app.add_subcommand(
      "unitroot", "Is the level stationary? ADF and KPSS on the level and its change");
  add_series_options(*c, o);
  const char* group = "Tests";
  c->add_option("--deterministic", o.deterministic,
                "terms for the level: none, constant, trend (default: trend if it drifts)")
      ->check(CLI::IsMember({"none", "constant", "trend"}))
      ->option_text("WORD")
      ->group(group);
  c->add_option("--lags", o.lags, "lagged differences of ADF: a number, aic or bic (default: bic)")
      ->group(group);
  c->add_option("--bandwidth", o.bandwidth,
                "Bartlett bandwidth of KPSS (default: floor(4 (n/100)^(1/4)))")
      ->check(CLI::NonNegativeNumber)
      ->group(group);
  add_output_options(*c, o);
  c->add_option("--out", o.out, "the tests as CSV")->group("Output");
  c->footer("Example:\n  brace unitroot data/kelp-fibre.csv --value settle --drop-zero volume");
  c->callback([&run] { run = run_unitroot; });
}

}  // namespace brace::app
