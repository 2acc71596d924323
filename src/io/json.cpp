// SPDX-License-Identifier: Apache-2.0
// The JSON contract through nlohmann-json. Covered by tests/io/json_test.cpp.
#include "brace/io/json.hpp"

#include <cmath>

#include "brace/model/model_line.hpp"
#include "io/json_values.hpp"

namespace brace {
namespace {

Json date(std::optional<Timestamp> when) {
  return when ? Json(format_date(*when)) : Json(nullptr);
}

template <class T>
Json maybe(const std::optional<T>& value) {
  return value ? Json(*value) : Json(nullptr);
}

Json to_value(const Series& s) {
  const bool dated = !s.times.empty();
  return {{"file", s.file.empty() ? Json(nullptr) : Json(s.file)},
          {"name", s.name},
          {"unit", s.unit.empty() ? Json(nullptr) : Json(s.unit)},
          {"n", s.size()},
          {"first", dated ? date(s.times.front()) : Json(nullptr)},
          {"last", dated ? date(s.times.back()) : Json(nullptr)},
          {"missing", s.missing()},
          {"every", to_string(s.clock)}};
}

Json to_value(const TestResult& t) {
  Json out = {
      {"test", t.test},
      {"variant", t.variant},
      {"null", t.null},
      {"statistic", number(t.statistic)},
      {"p_value", number(t.p_value)},
      {"p_floor", number(t.p_floor)},
      {"dof", t.dof},
      {"lags", maybe(t.lags)},
      {"bandwidth", maybe(t.bandwidth)},
      {"observations", t.observations},
      {"critical", nullptr},
      {"deterministic", t.deterministic ? Json(to_string(*t.deterministic)) : Json(nullptr)},
      {"break", nullptr},
      {"reject_5pct", maybe(t.rejects())},
      {"reading", t.reading}};
  if (t.critical)
    out["critical"] = {
        {"1%", t.critical->at_1}, {"5%", t.critical->at_5}, {"10%", t.critical->at_10}};
  if (t.break_at) out["break"] = {{"index", t.break_at->index}, {"date", date(t.break_at->date)}};
  return out;
}

Json to_value(const std::vector<TestResult>& tests) {
  Json out = Json::array();
  for (const TestResult& test : tests) out.push_back(to_value(test));
  return out;
}

Json to_value(const std::vector<Interval>& intervals) {
  if (intervals.empty()) return nullptr;
  Json out = Json::object();
  for (const Interval& i : intervals)
    out[std::to_string(i.percent)] = {number(i.low), number(i.high)};
  return out;
}

std::string document(std::string_view command, const Series& series, Json result,
                     const std::vector<Warning>& warnings) {
  const Json out = {{"brace", version()},
                    {"command", command},
                    {"series", to_value(series)},
                    {"result", std::move(result)},
                    {"warnings", to_value(warnings)}};
  return out.dump(2) + '\n';
}

}  // namespace

std::string_view version() {
  return BRACE_VERSION;
}

Json to_value(const std::vector<Warning>& warnings) {
  Json out = Json::array();
  for (const Warning& w : warnings) out.push_back({{"code", to_string(w.code)}, {"text", w.text}});
  return out;
}

Json to_value(const Parameter& p) {
  return {{"name", p.name},
          {"estimate", number(p.estimate)},
          {"se_hessian", number(p.se_hessian)},
          {"se_opg", number(p.se_opg)},
          {"se_robust", number(p.se_robust)},
          {"se", number(p.se)},
          {"t", number(p.t)},
          {"p_value", number(p.p_value)},
          {"held", p.held},
          {"at_bound", p.at_bound}};
}

Json to_value(const Convergence& c) {
  return {{"status", to_string(c.status)},
          {"gradient_norm", number(c.gradient_norm)},
          {"iterations", c.iterations},
          {"evaluations", c.evaluations},
          {"starts", c.starts},
          {"why", c.why}};
}

std::string json_document(std::string_view command, const Fit& fit) {
  Json parameters = Json::array();
  for (const Parameter& p : fit.parameters) parameters.push_back(to_value(p));
  Json result = {{"model", to_string(fit.model)},
                 {"n", fit.n},
                 {"likelihood", fit.exact ? "exact" : "conditional"},
                 {"log_likelihood", number(fit.log_likelihood)},
                 {"aic", number(fit.aic)},
                 {"aicc", number(fit.aicc)},
                 {"bic", number(fit.bic)},
                 {"hqc", number(fit.hqc)},
                 {"parameters", std::move(parameters)},
                 {"errors", to_string(fit.errors)},
                 {"convergence", to_value(fit.convergence)},
                 {"persistence", number(fit.persistence)},
                 {"half_life", number(fit.half_life)},
                 {"unconditional_variance", number(fit.unconditional_variance)},
                 {"last", {{"shock", nullptr}, {"variance", nullptr}}}};
  if (!fit.variances.empty())
    result["last"] = {
        {"shock", std::isnan(fit.data().back()) ? Json(nullptr) : number(fit.shocks.back())},
        {"variance", number(fit.variances.back())}};
  return document(command, fit.window(), std::move(result), fit.warnings);
}

std::string json_document(std::string_view command, const Fit& fit, const Check& check) {
  return document(command, fit.window(),
                  {{"model", check.model},
                   {"tests", to_value(check.tests)},
                   {"verdict", to_string(check.verdict)},
                   {"reading", check.reading}},
                  check.warnings);
}

std::string json_document(std::string_view command, const Fit& fit, const Forecast& f) {
  Json steps = Json::array();
  for (const ForecastStep& s : f.steps)
    steps.push_back({{"step", s.step},
                     {"date", date(s.date)},
                     {"mean", number(s.mean)},
                     {"sd", number(s.sd)},
                     {"variance", number(s.variance)},
                     {"typical_variance", number(s.typical_variance)},
                     {"return_interval", to_value(s.return_interval)},
                     {"volatility_interval", to_value(s.volatility_interval)}});
  Json annualised = nullptr;
  if (f.annualised)
    annualised = {{"periods_per_year", f.annualised->periods_per_year},
                  {"volatility", number(f.annualised->volatility)},
                  {"volatility_interval", to_value(f.annualised->volatility_interval)},
                  {"long_run_volatility", number(f.annualised->long_run_volatility)}};
  return document(command, fit.window(),
                  {{"model", f.model},
                   {"origin", date(f.origin)},
                   {"method", to_string(f.method)},
                   {"intervals", f.intervals},
                   {"steps", std::move(steps)},
                   {"horizon_total",
                    {{"mean", number(f.horizon_total.mean)},
                     {"sd", number(f.horizon_total.sd)},
                     {"return_interval", to_value(f.horizon_total.return_interval)},
                     {"volatility_interval", to_value(f.horizon_total.volatility_interval)}}},
                   {"annualised", std::move(annualised)},
                   {"share_redrawn", number(f.share_redrawn)}},
                  f.warnings);
}

std::string json_document(std::string_view command, const Series& series, const Inspection& i) {
  const Moments& m = i.moments;
  return document(command, series,
                  {{"moments",
                    {{"n", m.n},
                     {"mean", m.mean},
                     {"sd", m.sd},
                     {"min", m.min},
                     {"median", m.median},
                     {"max", m.max},
                     {"skewness", m.skewness},
                     {"excess_kurtosis", m.excess_kurtosis}}},
                   {"tests", to_value(i.tests)},
                   {"reading", i.reading}},
                  i.warnings);
}

std::string json_document(std::string_view command, const Series& series,
                          const UnitRootReport& report) {
  Json tests = Json::array();
  std::vector<Warning> warnings;
  for (const UnitRootBattery& battery : report.batteries) {
    for (const TestResult& test : battery.tests) {
      Json value = to_value(test);
      value["of"] = battery.of;
      tests.push_back(std::move(value));
    }
    warnings.insert(warnings.end(), battery.warnings.begin(), battery.warnings.end());
  }
  return document(command, series,
                  {{"tests", std::move(tests)},
                   {"verdict", to_string(report.batteries.front().verdict)},
                   {"reading", report.reading}},
                  warnings);
}

std::string json_document(std::string_view command, const Series& series, const LagTable& table,
                          std::string_view of) {
  Json lags = Json::array();
  for (const LagRow& row : table.rows)
    lags.push_back({{"lag", row.lag},
                    {"acf", number(row.acf)},
                    {"pacf", number(row.pacf)},
                    {"q", number(row.q)},
                    {"dof", row.dof},
                    {"p_value", number(row.p_value)},
                    {"q_robust", number(row.q_robust)},
                    {"p_robust", number(row.p_robust)}});
  return document(command, series,
                  {{"of", of},
                   {"n", table.observations},
                   {"band_95", table.band_95},
                   {"lags", std::move(lags)}},
                  {});
}

}  // namespace brace
