// SPDX-License-Identifier: Apache-2.0
// What is found in a series before a model, as documents. Covered by tests/io/json_test.cpp.
#include "brace/io/json.hpp"

#include <algorithm>

#include "brace/model/model_line.hpp"
#include "io/json_values.hpp"

namespace brace::inline v0 {
namespace {

// What became of the file's rows, its clock, and where that does not hold.
Json account_of(const Series& level) {
  Json dropped = Json::array(), irregular = Json::array();
  for (const DataAccount::Dropped& d : level.account.dropped)
    dropped.push_back({{"because", d.because}, {"rows", d.rows}});
  const Calendar calendar = learn_calendar(level.times, level.clock);
  for (const IrregularStep& step : irregular_steps(calendar, level.times))
    irregular.push_back({{"before", level.when(step.index)}, {"skipped", step.skipped}});
  return {{"rows_read", level.account.rows_read}, {"rows_kept", level.size()},
          {"missing", level.missing()},           {"dropped", std::move(dropped)},
          {"notes", level.account.notes},         {"clock", describe(calendar)},
          {"irregular", std::move(irregular)}};
}

Json to_value(const MemoryEstimate& m) {
  return {{"of", m.of},           {"d", m.d},
          {"se", m.se},           {"bandwidth", m.bandwidth},
          {"at_edge", m.at_edge}, {"reading", m.reading}};
}

}  // namespace

std::string json_document(std::string_view command, const Series& series,
                          const Inspection& inspection, const Series& level) {
  const Moments& m = inspection.moments;
  Json whiteness = Json::array(), extremes = Json::array(), memory = Json::array(),
       tails = Json::array(), ranges = Json::array();
  for (const Inspection::WhitenessRow& row : inspection.whiteness)
    whiteness.push_back({{"lags", row.lags},
                         {"p_values", number(row.values)},
                         {"p_values_robust", number(row.values_robust)},
                         {"p_squares", number(row.squares)}});
  for (const ExtremeRow& e : inspection.extremes)
    extremes.push_back({{"row", e.index + 1},
                        {"date", date_or_null(e.date)},
                        {"value", e.value},
                        {"sizes", e.sizes}});
  for (const MemoryEstimate& estimate : inspection.memory) memory.push_back(to_value(estimate));
  constexpr std::string_view kTails[] = {"both", "left", "right"};
  for (const TailIndex& t : inspection.tails)
    tails.push_back({{"tail", kTails[static_cast<std::size_t>(t.tail)]},
                     {"alpha", t.alpha},
                     {"se", t.se},
                     {"values", t.k},
                     {"threshold", t.threshold}});
  for (const Inspection::RangeVolatility& r : inspection.range_volatility)
    ranges.push_back({{"estimator", to_string(r.estimator)}, {"sd", r.sd}});
  return document(command, series,
                  {{"file", account_of(level)},
                   {"moments",
                    {{"n", m.n},
                     {"mean", m.mean},
                     {"sd", m.sd},
                     {"min", m.min},
                     {"median", m.median},
                     {"max", m.max},
                     {"skewness", m.skewness},
                     {"excess_kurtosis", m.excess_kurtosis}}},
                   {"tests", to_value(inspection.tests)},
                   {"whiteness", std::move(whiteness)},
                   {"extremes", std::move(extremes)},
                   {"memory", std::move(memory)},
                   {"tail_index", std::move(tails)},
                   {"range_volatility", std::move(ranges)},
                   {"leverage_p", number(inspection.leverage_p)},
                   {"reading", inspection.reading},
                   {"advice", inspection.advice}},
                  inspection.warnings);
}

std::string json_document(std::string_view command, const Table& table) {
  Json columns = Json::array();
  for (const Column& column : table.columns) {
    const Series s = table.series(column.name);
    const std::vector<double> kept = s.present_values();
    const auto [least, most] = std::minmax_element(kept.begin(), kept.end());
    const bool any = !kept.empty();
    columns.push_back({{"name", column.name},
                       {"present", kept.size()},
                       {"missing", s.missing()},
                       {"first", any ? Json(kept.front()) : Json(nullptr)},
                       {"min", any ? Json(*least) : Json(nullptr)},
                       {"max", any ? Json(*most) : Json(nullptr)}});
  }
  const Series first = table.series(table.columns.front().name);
  return document(command, first, {{"file", account_of(first)}, {"columns", std::move(columns)}},
                  {});
}

std::string json_document(std::string_view command, const Series& series,
                          const LeverageTable& table, const std::vector<Warning>& of_file) {
  Json lags = Json::array();
  for (const LeverageRow& row : table.rows)
    lags.push_back({{"lag", row.lag},
                    {"correlation", number(row.correlation)},
                    {"band_robust", number(row.band_robust)}});
  return document(command, series,
                  {{"of", "leverage"},
                   {"n", table.observations},
                   {"statistic", number(table.statistic)},
                   {"p_value", number(table.p_value)},
                   {"lags", std::move(lags)}},
                  of_file);
}

std::string json_document(std::string_view command, const Series& series,
                          const Decomposition& parts, const TestResult& test,
                          const std::vector<Warning>& of_file) {
  Json rows = Json::array(), places = Json::array();
  const Series adjusted = parts.adjusted();
  for (std::size_t t = 0; t < parts.series.size(); ++t)
    rows.push_back(
        {{"date", parts.series.times.empty() ? Json(nullptr) : Json(parts.series.when(t))},
         {"value", number(parts.series.values[t])},
         {"trend", number(parts.trend[t])},
         {"season", number(parts.season[t])},
         {"remainder", number(parts.remainder[t])},
         {"adjusted", number(adjusted.values[t])}});
  for (std::size_t p = 0; p < parts.places.size(); ++p)
    places.push_back({{"place", parts.places[p]}, {"season", number(parts.typical_season[p])}});
  return document(
      command, series,
      {{"period", parts.period},
       {"method", to_string(parts.method)},
       {"form", to_string(parts.form)},
       {"form_because", parts.form_because.empty() ? Json(nullptr) : Json(parts.form_because)},
       {"trend_share", number(parts.trend_share)},
       {"season_share", number(parts.season_share)},
       {"tests", to_value(std::vector<TestResult>{test})},
       {"typical_season", std::move(places)},
       {"rows", std::move(rows)}},
      of_file);
}

std::string json_document(std::string_view command, const Series& series,
                          const std::vector<VolatilityProfile>& profiles,
                          const std::vector<TestResult>& tests,
                          const std::vector<Warning>& of_file) {
  Json out = Json::array();
  for (const VolatilityProfile& profile : profiles) {
    Json slots = Json::array();
    for (const VolatilityProfile::Slot& slot : profile.slots)
      slots.push_back({{"slot", slot.label},
                       {"n", slot.count},
                       {"mean", number(slot.mean)},
                       {"volatility", number(slot.volatility)},
                       {"factor", number(slot.factor)},
                       {"error", number(slot.error)}});
    out.push_back({{"by", profile.by == ProfileBy::weekday ? "weekday" : "time-of-day"},
                   {"slots", std::move(slots)}});
  }
  return document(command, series, {{"profiles", std::move(out)}, {"tests", to_value(tests)}},
                  of_file);
}

std::string json_document(std::string_view command, const Series& series,
                          const UnitRootReport& report, const std::vector<TestResult>& more,
                          const std::optional<hypothesis::DifferencesSuggested>& suggested,
                          const std::vector<Warning>& of_file) {
  Json tests = Json::array();
  std::vector<Warning> warnings;
  const auto add = [&](const TestResult& test, const std::string& of) {
    Json value = to_value(test);
    value["of"] = of;
    tests.push_back(std::move(value));
  };
  Json verdicts = Json::array();
  for (const UnitRootBattery& battery : report.batteries) {
    for (const TestResult& test : battery.tests) add(test, battery.of);
    verdicts.push_back({{"of", battery.of},
                        {"verdict", to_string(battery.verdict)},
                        {"memory_left", battery.memory_left ? Json(*battery.memory_left) : Json()},
                        {"reading", battery.reading}});
    warnings.insert(warnings.end(), battery.warnings.begin(), battery.warnings.end());
  }
  warnings.insert(warnings.end(), of_file.begin(), of_file.end());
  for (const TestResult& test : more) add(test, series.name);
  // The verdict is that of the series that decides: the last level before the change.
  const std::size_t levels = report.batteries.size();
  return document(
      command, series,
      {{"tests", std::move(tests)},
       {"verdicts", std::move(verdicts)},
       {"verdict", levels > 1 ? Json(to_string(report.batteries[levels - 2].verdict)) : Json()},
       {"reading", report.reading},
       {"advice", report.advice},
       {"differences", suggested ? Json{{"regular", suggested->regular},
                                        {"seasonal", suggested->seasonal},
                                        {"reading", suggested->reading}}
                                 : Json()}},
      warnings);
}

std::string json_document(std::string_view command, const Series& series,
                          const BreakReport& report) {
  Json breaks = Json::array(), segments = Json::array();
  for (const auto& f : report.breaks) {
    const bool known = f.at.low < f.at.high;
    const auto ends = [&](const Json& low, const Json& high) {
      return known ? Json{low, high} : Json();
    };
    breaks.push_back(
        {{"kind", to_string(f.kind)},
         {"index", f.at.row + 1},
         {"date", date_or_null(f.at.date)},
         {"interval_95", ends(f.at.low + 1, f.at.high + 1)},
         {"interval_95_dates", ends(date_or_null(f.at.low_date), date_or_null(f.at.high_date))}});
  }
  for (const auto& s : report.segments)
    segments.push_back({{"first", s.first_date ? date_or_null(s.first_date) : Json(s.first + 1)},
                        {"last", s.last_date ? date_or_null(s.last_date) : Json(s.last + 1)},
                        {"n", s.n},
                        {"mean", number(s.mean)},
                        {"sd", number(s.sd)},
                        {"persistence", number(s.persistence)}});
  return document(command, series,
                  {{"tests", to_value(report.tests)},
                   {"holm",
                    {{"mean", report.holm.mean},
                     {"variance", report.holm.variance},
                     {"parameters", number(report.holm.parameters)}}},
                   {"breaks", std::move(breaks)},
                   {"segments", std::move(segments)},
                   {"model", report.model},
                   {"persistence", number(report.persistence)},
                   {"terms", report.terms},
                   {"from", date_or_null(report.from)},
                   {"reading", report.reading},
                   {"advice", report.advice}},
                  report.warnings);
}

std::string json_document(std::string_view command, const Series& series, const LagTable& table,
                          std::string_view of, std::optional<double> level,
                          const std::vector<Warning>& of_file) {
  Json lags = Json::array();
  for (const LagRow& row : table.rows)
    lags.push_back({{"lag", row.lag},
                    {"acf", number(row.acf)},
                    {"pacf", number(row.pacf)},
                    {"q", number(row.q)},
                    {"dof", row.dof},
                    {"p_value", number(row.p_value)},
                    {"q_robust", number(row.q_robust)},
                    {"p_robust", number(row.p_robust)},
                    {"band_robust", number(row.band_robust)},
                    {"band_widening", number(row.band_widening)},
                    {"q_critical", number(level ? critical_q(row, *level) : std::nullopt)}});
  return document(command, series,
                  {{"of", of},
                   {"n", table.observations},
                   {"band_95", table.band_95},
                   {"verdict", to_string(table.verdict)},
                   {"largest", table.largest ? Json(*table.largest) : Json(nullptr)},
                   {"level", level ? Json(*level) : Json(nullptr)},
                   {"lags", std::move(lags)}},
                  of_file);
}

std::string json_document(std::string_view command, const Model& model,
                          const std::vector<double>& parameters, std::uint64_t seed,
                          const Simulated& made) {
  Json named = Json::array(), rows = Json::array();
  const std::vector<std::string> names = parameter_names(model).all();
  for (std::size_t i = 0; i < names.size(); ++i)
    named.push_back({{"name", names[i]}, {"value", number(parameters[i])}});
  for (std::size_t t = 0; t < made.series.size(); ++t) {
    Json row{{"date", made.series.times.empty() ? Json(nullptr) : Json(made.series.when(t))},
             {"value", number(made.series.values[t])},
             {"shock", number(made.shocks[t])},
             {"variance", number(made.variances[t])}};
    for (const Companion& c : made.series.companions) row[c.name] = number(c.values[t]);
    rows.push_back(std::move(row));
  }
  return document(command, made.series,
                  {{"model", to_string(model)},
                   {"parameters", std::move(named)},
                   {"seed", seed},
                   {"next_mean", number(made.next_mean)},
                   {"next_variance", number(made.next_variance)},
                   {"rows", std::move(rows)}},
                  {});
}

}  // namespace brace::inline v0
