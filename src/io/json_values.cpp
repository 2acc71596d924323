// SPDX-License-Identifier: Apache-2.0
// Covered by tests/io/json_test.cpp.
#include "io/json_values.hpp"

#include <fmt/format.h>

#include "brace/base/version.hpp"
#include "brace/io/json.hpp"

namespace brace::inline v0 {

Json date_or_null(std::optional<Timestamp> when) {
  return when ? Json(format_date(*when)) : Json(nullptr);
}

namespace {

template <class T>
Json maybe(const std::optional<T>& value) {
  return value ? Json(*value) : Json(nullptr);
}

Json to_value(const Series& s) {
  const bool dated = !s.times.empty();
  return {{"file", s.file.empty() ? Json(nullptr) : Json(s.file)},
          {"name", s.name},
          {"unit", s.unit ? Json(to_string(*s.unit)) : Json(nullptr)},
          {"n", s.size()},
          {"first", dated ? date_or_null(s.times.front()) : Json(nullptr)},
          {"last", dated ? date_or_null(s.times.back()) : Json(nullptr)},
          {"missing", s.missing()},
          {"every", to_string(s.clock)}};
}

}  // namespace

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
  const auto place = [](const TestResult::Break& b) {
    return Json{{"index", b.row + 1}, {"date", date_or_null(b.date)}};
  };
  if (t.break_at) out["break"] = place(*t.break_at);
  if (t.second_break_at) out["second_break"] = place(*t.second_break_at);
  return out;
}

Json to_value(const std::vector<TestResult>& tests) {
  Json out = Json::array();
  for (const TestResult& test : tests) out.push_back(to_value(test));
  return out;
}

Json to_value(const std::vector<PredictionInterval>& intervals) {
  if (intervals.empty()) return nullptr;
  Json out = Json::object();
  for (const PredictionInterval& i : intervals)
    out[fmt::format("{:g}", i.percent)] = {number(i.low), number(i.high)};
  return out;
}

Json to_value(const std::vector<TailRisk>& tails) {
  Json out = Json::array();
  for (const TailRisk& t : tails)
    out.push_back({{"percent", t.percent},
                   {"value_at_risk", number(t.value_at_risk)},
                   {"shortfall", number(t.shortfall)},
                   {"error", number(t.error)},
                   {"shortfall_error", number(t.shortfall_error)}});
  return out;
}

Json errors_of(const std::vector<PredictionInterval>& intervals) {
  if (intervals.empty()) return nullptr;
  Json out = Json::object();
  for (const PredictionInterval& i : intervals)
    out[fmt::format("{:g}", i.percent)] = number(i.error);
  return out;
}

std::string document(std::string_view command, const Series& series, Json result,
                     const std::vector<Warning>& warnings) {
  const Json out = {{"brace", version()},
                    {"command", command},
                    {"series", to_value(series)},
                    {"result", std::move(result)},
                    {"warnings", to_value(warnings)}};
  // Bytes that are no UTF-8 may stand in a file's name; they must not cost the result.
  return out.dump(2, ' ', false, Json::error_handler_t::replace) + '\n';
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

}  // namespace brace::inline v0
