// SPDX-License-Identifier: Apache-2.0
// The battery and its verdict. Covered by tests/hypothesis/unit_root_test.cpp.
#include "brace/hypothesis/unit_root_battery.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/few_rows.hpp"
#include "brace/hypothesis/memory.hpp"
#include "brace/maths/autocorrelations.hpp"
#include "hypothesis/by_law.hpp"
#include "hypothesis/own_lags.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0 {
namespace {

const TestResult* find(const UnitRootBattery& battery, std::string_view id) {
  const auto at = std::find_if(battery.tests.begin(), battery.tests.end(),
                               [&](const TestResult& t) { return t.test == id; });
  return at == battery.tests.end() ? nullptr : &*at;
}

bool rejects(const TestResult* test, double level = 0.05) {
  return test != nullptr && test->p_value.value_or(1) < level;
}

std::string p_text(const TestResult& test) {
  return "p " + text::p_value(test.p_value, test.p_floor);
}

std::string date_of(const TestResult& test) {
  return test.break_at->date ? format_date(*test.break_at->date)
                             : fmt::format("observation {}", text::count(test.break_at->row + 1));
}

// The tests whose null is a unit root, of those that were made.
std::vector<const TestResult*> root_tests(const UnitRootBattery& battery) {
  std::vector<const TestResult*> tests;
  for (const char* id : {"adf", "pp", "df-gls", "ng-perron", "point-optimal"})
    if (const TestResult* test = find(battery, id)) tests.push_back(test);
  return tests;
}

// How many of the three that decide reject a unit root at 5 %.
int rejections_of_three(const UnitRootBattery& battery) {
  int count = 0;
  for (const char* id : {"adf", "pp", "df-gls"}) count += rejects(find(battery, id));
  return count;
}

// "pp and kpss".
std::string names_of(const std::vector<const TestResult*>& tests) {
  std::vector<std::string> names;
  for (const TestResult* test : tests) names.push_back(test->test);
  return fmt::format("{}", fmt::join(names, ", "));
}

// Where only some of the tests were asked for: a verdict where all of them say the same.
void decide_on_part(const Series& series, UnitRootBattery& battery) {
  const TestResult* kpss = find(battery, "kpss");
  std::vector<const TestResult*> for_root, against;
  for (const TestResult* test : root_tests(battery))
    (rejects(test) ? against : for_root).push_back(test);
  if (kpss != nullptr) (rejects(kpss) ? for_root : against).push_back(kpss);
  using enum StationarityVerdict;
  if (for_root.empty() && against.empty()) {
    battery.reading = fmt::format("{}: none of the tests asked for decides by itself", series.name);
  } else if (against.empty()) {
    battery.verdict = unit_root;
    battery.reading = fmt::format("{} has a unit root by {}", series.name, names_of(for_root));
  } else if (for_root.empty()) {
    const bool trend = battery.deterministic == Deterministic::trend;
    battery.verdict = trend ? trend_stationary : stationary;
    battery.reading = fmt::format("{} is stationary{} by {}", series.name,
                                  trend ? " around a trend" : "", names_of(against));
  } else {
    battery.reading = fmt::format("the tests on {} conflict: {} {} a unit root, {} against it",
                                  series.name, names_of(for_root),
                                  for_root.size() == 1 ? "supports" : "support", names_of(against));
  }
}

// Tests that contradict the verdict, by name.
std::string dissent(const UnitRootBattery& battery, bool root_rejected) {
  std::vector<const TestResult*> other;
  for (const TestResult* test : root_tests(battery))
    if (rejects(test) != root_rejected) other.push_back(test);
  return other.empty() ? ""
                       : fmt::format("; {} {} otherwise", names_of(other),
                                     other.size() == 1 ? "says" : "say");
}

// The memory left once level and slope may change where the break test says: the test dates a break
// in memory, too.
std::optional<double> memory_beside(const TestResult& broken, const Series& series) {
  constexpr double kLingers = 0.2;
  const std::vector<std::size_t> rows = hypothesis::rows_with_lags(series.values, 0);
  const auto n = static_cast<Eigen::Index>(rows.size());
  Eigen::MatrixXd X(n, 4);
  Eigen::VectorXd y(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    const double since = static_cast<double>(t) - static_cast<double>(broken.break_at->row);
    X.row(i) << 1, static_cast<double>(t), since > 0, std::max(0.0, since);
    y(i) = series.values[t];
  }
  const Eigen::VectorXd rest = maths::regress(X, y).residuals;
  Series left = series;
  for (Eigen::Index i = 0; i < n; ++i) left.values[rows[static_cast<std::size_t>(i)]] = rest(i);
  const MemoryEstimate memory = local_whittle(left);
  return memory.d - 1.96 * memory.se > kLingers ? std::optional(memory.d) : std::nullopt;
}

// The decision table of docs/unit-roots.md.
void decide(const Series& series, UnitRootBattery& battery) {
  const TestResult* kpss = find(battery, "kpss");
  const TestResult* za = find(battery, "zivot-andrews");
  if (find(battery, "adf") == nullptr || find(battery, "pp") == nullptr ||
      find(battery, "df-gls") == nullptr || kpss == nullptr) {
    decide_on_part(series, battery);
    return;
  }
  const int against = rejections_of_three(battery);
  const bool root_rejected = against >= 2;
  const bool with_trend = battery.deterministic == Deterministic::trend;
  const std::string of_three = against == 3   ? "all three tests"
                               : against == 2 ? "two of three tests"
                               : against == 1 ? "one of three tests"
                                              : "none of three tests";
  using enum StationarityVerdict;
  if (root_rejected && !rejects(kpss)) {
    battery.verdict = with_trend ? trend_stationary : stationary;
    battery.reading = fmt::format(
        "{} is stationary{}: {} reject a unit root, and kpss does not "
        "reject stationarity",
        series.name, with_trend ? " around a trend" : "", of_three);
  } else if (rejects(za, root_rejected ? 0.05 : 0.01) && rejects(kpss)) {
    battery.verdict = break_stationary;
    if (root_rejected) battery.memory_left = memory_beside(*za, series);
    battery.reading = fmt::format(
        "{} is stationary around a trend that broke near {}{}: with that "
        "break a unit root is rejected ({}), without it {}",
        series.name, date_of(*za),
        battery.memory_left ? fmt::format(", or has long memory (d {} beside the break)",
                                          text::fixed(*battery.memory_left, 2))
                            : "",
        p_text(*za),
        root_rejected ? "kpss finds too much drift"
                      : of_three + (against == 1 ? " rejects" : " reject"));
  } else if (!root_rejected && rejects(kpss)) {
    battery.verdict = unit_root;
    battery.reading = fmt::format("{} has a unit root: {} {} it, and kpss rejects stationarity",
                                  series.name, of_three, against == 1 ? "rejects" : "reject");
  } else if (root_rejected) {
    battery.reading = fmt::format(
        "the tests on {} conflict: both nulls are rejected, as long "
        "memory or a change of variance would do",
        series.name);
  } else {
    battery.reading = fmt::format(
        "the tests on {} conflict: neither null is rejected, so the "
        "sample does not decide",
        series.name);
  }
  if (battery.verdict == stationary || battery.verdict == trend_stationary ||
      battery.verdict == unit_root)
    battery.reading += dissent(battery, battery.verdict != unit_root);
  if (battery.verdict == unit_root && rejects(za))
    battery.warnings.push_back(
        {WarningCode::break_suspected,
         fmt::format("with a break near {} a unit root in {} would be rejected at 5 % ({}), though "
                     "not at 1 %; examine both sides: `find_breaks`",
                     date_of(*za), series.name, p_text(*za))});
}

}  // namespace

std::string_view to_string(StationarityVerdict verdict) {
  switch (verdict) {
    case StationarityVerdict::stationary: return "stationary";
    case StationarityVerdict::trend_stationary: return "trend-stationary";
    case StationarityVerdict::unit_root: return "unit-root";
    case StationarityVerdict::break_stationary: return "break-stationary";
    case StationarityVerdict::conflict: return "conflict";
  }
  return "conflict";
}

bool asks_for_difference(const UnitRootBattery& battery) {
  switch (battery.verdict) {
    case StationarityVerdict::stationary:
    case StationarityVerdict::trend_stationary: return false;
    case StationarityVerdict::unit_root: return true;
    case StationarityVerdict::break_stationary:
    case StationarityVerdict::conflict: break;
  }
  return rejections_of_three(battery) < 2 || !rejects(find(battery, "adf"), 0.01);
}

UnitRootBattery unit_root_battery(const Series& series, const BatteryOptions& options) {
  UnitRootBattery battery;
  battery.of = series.name;
  battery.label = series.name;
  const bool drifting = hypothesis::unit_root::drifts(series);
  const Deterministic terms =
      options.deterministic.value_or(drifting ? Deterministic::trend : Deterministic::constant);
  battery.deterministic = terms;
  const hypothesis::LagRule rule = options.rule.value_or(hypothesis::LagRule::bic);
  hypothesis::GlsOptions gls{
      .deterministic = terms == Deterministic::none ? Deterministic::constant : terms,
      .rule = options.rule.value_or(hypothesis::LagRule::maic),
      .lags = options.lags};
  const auto wanted = [&](const char* id) {
    return options.only.empty() ||
           std::find(options.only.begin(), options.only.end(), id) != options.only.end();
  };
  const auto add = [&](TestResult test) { battery.tests.push_back(std::move(test)); };
  if (wanted("adf"))
    add(hypothesis::adf(series, {.deterministic = terms, .rule = rule, .lags = options.lags}));
  if (wanted("pp"))
    add(hypothesis::phillips_perron(series,
                                    {.deterministic = terms, .bandwidth = options.bandwidth}));
  if (wanted("df-gls")) add(hypothesis::df_gls(series, gls));
  if (wanted("ng-perron")) add(hypothesis::ng_perron(series, gls)[1]);
  if (wanted("point-optimal")) add(hypothesis::point_optimal(series, gls));
  // The law of the break test starts at 50 rows.
  if (wanted("zivot-andrews") && series.present() > 70)
    add(hypothesis::zivot_andrews(
        series, {.model = options.break_model, .rule = rule, .lags = options.lags}));
  if (wanted("kpss"))
    add(hypothesis::kpss(
        series, {.with_trend = terms == Deterministic::trend, .bandwidth = options.bandwidth}));
  if (battery.tests.empty())
    throw Error(
        ErrorCode::bad_option,
        "no such test; take adf, pp, df-gls, ng-perron, point-optimal, zivot-andrews, kpss");
  decide(series, battery);

  if (drifting && terms != Deterministic::trend)
    battery.warnings.push_back(
        {WarningCode::trend_missing,
         fmt::format("{} drifts, and a test without trend term then has no power against a "
                     "unit root; add `deterministic` trend",
                     series.name)});
  if (series.missing() > 0)
    battery.warnings.push_back(
        {WarningCode::gaps_dropped,
         fmt::format("{} missing in {}: adf drops the rows they touch, the others close the gaps",
                     text::plural(series.missing(), "value is", "values are"), series.name)});
  // A difference too many leaves a moving-average root at 1, whose first correlation is -1/2.
  const double first = maths::autocorrelations(series.values, 1)[0];
  if (first < -0.4)
    battery.warnings.push_back(
        {WarningCode::over_differenced,
         fmt::format("the first autocorrelation of {} is {}, as after one difference too many; "
                     "test and model the series before the last difference",
                     series.name, text::fixed(first, 2))});
  if (auto few = few_rows_decide(series)) battery.warnings.push_back(std::move(*few));
  return battery;
}

UnitRootReport compare_unit_roots(const std::vector<Series>& levels, const Series& change,
                                  const BatteryOptions& options) {
  UnitRootReport report;
  for (const Series& level : levels) {
    report.batteries.push_back(unit_root_battery(level, options));
    report.batteries.back().label =
        levels.size() > 1 && &level == &levels.back() ? "log level" : "level";
  }
  BatteryOptions for_change = options;
  for_change.deterministic = Deterministic::constant;
  report.batteries.push_back(unit_root_battery(change, for_change));
  const bool returns = change.name.find("return") != std::string::npos;
  report.batteries.back().label = returns ? "return" : "difference";
  // All have the gaps of the level, and the rows that outweigh the others: one word on them is
  // enough.
  for (const WarningCode code : {WarningCode::gaps_dropped, WarningCode::few_rows_decide}) {
    bool told = false;
    for (UnitRootBattery& battery : report.batteries) {
      if (told)
        std::erase_if(battery.warnings, [code](const Warning& w) { return w.code == code; });
      told = told || has_warning(battery.warnings, code);
    }
  }

  const Series& level = levels.back();
  const UnitRootBattery& of_level = report.batteries[levels.size() - 1];
  const UnitRootBattery& of_change = report.batteries.back();
  using enum StationarityVerdict;
  switch (of_level.verdict) {
    case unit_root:
      if (of_change.verdict == stationary) {
        report.reading = fmt::format("{} has a unit root; its {} does not. Model the latter.",
                                     level.name, of_change.label);
        report.advice.push_back("Difference once: model " + change.name + ".");
      } else {
        report.reading = fmt::format("On {}: {}. On its {}: {}.", level.name, of_level.reading,
                                     of_change.label, of_change.reading);
        report.advice.emplace_back(of_change.verdict == unit_root
                                       ? "One difference is not enough; plot the data before a "
                                         "second one."
                                       : "Difference once, and look for breaks in the result.");
      }
      break;
    case stationary:
      report.reading =
          fmt::format("{} is stationary as it is: model it without differencing.", level.name);
      report.advice.emplace_back("A difference would be one too many (over-differenced).");
      break;
    case trend_stationary:
      report.reading = fmt::format(
          "{} is stationary around a trend: model it with a trend, do not difference it.",
          level.name);
      report.advice.emplace_back("Write trend in the model line.");
      break;
    case break_stationary:
      report.reading = of_level.reading + ".";
      report.advice.emplace_back(
          asks_for_difference(of_level)
              ? fmt::format("Take the break into the model (a step at its date), or start the "
                            "sample after it; without either model {}.",
                            change.name)
          : of_level.memory_left
              ? "A step at its date takes up a break, ar and ma terms take up memory: compare "
                "both. A difference would be one too many."
              : "Take the break into the model (a step at its date), or start the sample after "
                "it.");
      break;
    case conflict:
      report.reading = fmt::format("On {}: {}. On its {}: {}.", level.name, of_level.reading,
                                   of_change.label, of_change.reading);
      report.advice.emplace_back(
          asks_for_difference(of_level)
              ? "Where tests conflict, returns are the safe choice for a price."
              : "adf rejects a unit root at 1 %: model the level with its memory. A difference "
                "would be one too many.");
      break;
  }
  return report;
}

namespace {

std::string how(const TestResult& t) {
  const std::string memory = t.lags ? text::plural(static_cast<std::size_t>(*t.lags), "lag", "lags")
                                    : fmt::format("window {}", t.bandwidth.value_or(0));
  return fmt::format("{}, {}", to_string(*t.deterministic), memory);
}

// In a column of seven.
std::string shown(double statistic) {
  return std::abs(statistic) < 999.995 ? text::fixed(statistic, 2)
                                       : fmt::format("{:.0e}", statistic);
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const UnitRootReport& report) {
  out << text::wrap(text::sentence(report.reading)) << '\n';
  const std::vector<TestResult>& first = report.batteries.front().tests;
  std::string null;
  for (const TestResult& of_null : first) {
    const std::string its_null = of_null.test == "kpss" ? "it is stationary" : of_null.null;
    if (its_null != null)
      out << (null.empty() ? fmt::format("  {:<75}{:>7}{:>8}{:>8}\n", "null: " + its_null, "1 %",
                                         "5 %", "10 %")
                           : fmt::format("  null: {}\n", its_null));
    null = its_null;
    for (const UnitRootBattery& battery : report.batteries) {
      const auto test = std::find_if(battery.tests.begin(), battery.tests.end(),
                                     [&](const TestResult& t) { return t.test == of_null.test; });
      if (test == battery.tests.end()) continue;
      const bool first_row = &battery == &report.batteries.front();
      out << fmt::format("  {:<15}{:<11}{:<21}{:>7}  p {:<9}{:<8}{:>7}{:>8}{:>8}\n",
                         first_row ? test->test : "", battery.label, how(*test),
                         shown(test->statistic), text::p_value(test->p_value, test->p_floor),
                         *test->rejects() ? "rejected" : "kept",
                         text::fixed(test->critical->at_1, 2), text::fixed(test->critical->at_5, 2),
                         text::fixed(test->critical->at_10, 2));
    }
  }
  out << '\n';
  for (const UnitRootBattery& battery : report.batteries) print_warnings(out, battery.warnings);
  for (const std::string& sentence : report.advice) out << text::wrap(sentence, 100, "  ");
  return out;
}

}  // namespace brace::inline v0
