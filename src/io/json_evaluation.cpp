// SPDX-License-Identifier: Apache-2.0
// Comparisons and backtests as documents. Covered by tests/io/json_test.cpp.
#include "brace/io/json.hpp"

#include <fmt/format.h>

#include "io/json_values.hpp"

namespace brace::inline v0 {
namespace {

Json to_value(const Accuracy& a) {
  Json coverage = Json::object(), relative, directions, memory;
  if (a.relative)
    relative = {{"baseline", a.relative->baseline},
                {"rmse", number(a.relative->rmse)},
                {"mae", number(a.relative->mae)}};
  if (a.directions)
    directions = {{"of", a.directions->of_change ? "changes" : "signs"},
                  {"n", a.directions->n},
                  {"right", number(a.directions->right)},
                  {"commoner", number(a.directions->commoner)}};
  for (const Coverage& c : a.coverage) coverage[fmt::format("{:g}", c.percent)] = number(c.inside);
  if (a.memory)
    memory = {{"lag", a.memory->lag},
              {"autocorrelation", number(a.memory->autocorrelation)},
              {"test", to_value(a.memory->test)}};
  return {{"n", a.n},
          {"relative", std::move(relative)},
          {"mase", number(a.mase)},
          {"rmse", number(a.rmse)},
          {"mae", number(a.mae)},
          {"mape", number(a.mape)},
          {"smape", number(a.smape)},
          {"no_percent", a.no_percent.empty() ? Json() : Json(a.no_percent)},
          {"bias", number(a.bias)},
          {"bias_error", number(a.bias_error)},
          {"directions", std::move(directions)},
          {"coverage", std::move(coverage)},
          {"whiteness", std::move(memory)}};
}

Json to_value(const HoldOutForecast& f) {
  const auto list = [](const std::vector<double>& values) {
    Json out = Json::array();
    for (const double v : values) out.push_back(number(v));
    return out;
  };
  Json intervals = Json::object();
  for (const std::vector<PredictionInterval>& row : f.intervals)
    for (const PredictionInterval& i : row) {
      Json& ends = intervals[fmt::format("{:g}", i.percent)];
      ends["low"].push_back(number(i.low));
      ends["high"].push_back(number(i.high));
    }
  return {{"mean", list(f.mean)},
          {"intervals", std::move(intervals)},
          {"accuracy", to_value(f.accuracy)},
          {"one_step", list(f.one_step)},
          {"one_step_accuracy", to_value(f.one_step_accuracy)}};
}

}  // namespace

Json to_value(const Compared& c) {
  Json out = {{"model", c.label}};
  if (c.fit) {
    Json parameters = Json::array();
    for (const Parameter& p : c.fit->parameters) parameters.push_back(to_value(p));
    out["n"] = c.fit->n;
    out["log_likelihood"] = number(c.fit->log_likelihood);
    out["aic"] = number(c.fit->aic);
    out["aicc"] = number(c.fit->aicc);
    out["bic"] = number(c.fit->bic);
    out["hqc"] = number(c.fit->hqc);
    out["status"] = to_string(c.fit->convergence.status);
    out["parameters"] = std::move(parameters);
    out["whiteness_p"] = number(c.whiteness_p);
    out["arch_p"] = number(c.arch_p);
    out["normality_p"] = number(c.normality_p);
    out["correlation"] = number(c.correlation);
    out["in_sample"] = c.in_sample ? to_value(*c.in_sample) : Json(nullptr);
  }
  out["hold_out"] = c.hold_out ? to_value(*c.hold_out) : Json(nullptr);
  return out;
}

std::string json_document(std::string_view command, const Comparison& c) {
  Json models = Json::array(), baselines = Json::array(), nested = Json::array();
  for (const Compared& m : c.models) models.push_back(to_value(m));
  for (const Compared& b : c.baselines) baselines.push_back(to_value(b));
  for (const Nested& n : c.nested) {
    Json test = to_value(n.test);
    test["small"] = n.small + 1;
    test["large"] = n.large + 1;
    nested.push_back(std::move(test));
  }
  return document(command, c.training,
                  {{"likelihood", c.conditional ? "conditional" : "exact"},
                   {"hold_out", c.held_out.size()},
                   {"models", std::move(models)},
                   {"baselines", std::move(baselines)},
                   {"comparisons", std::move(nested)},
                   {"reading", c.reading}},
                  c.warnings);
}

namespace {

Json to_value(const HorizonScore& s) {
  Json coverage = Json::object(), tails = Json::object();
  const auto test = [](const std::optional<TestResult>& t) {
    return t ? to_value(*t) : Json(nullptr);
  };
  for (const IntervalCoverage& c : s.intervals)
    coverage[fmt::format("{:g}", c.percent)] = {{"covered", c.covered},
                                                {"frequency", to_value(c.frequency)},
                                                {"independence", test(c.independence)},
                                                {"conditional", test(c.conditional)}};
  for (const TailCoverage& c : s.tails)
    tails[fmt::format("{:g}", c.percent)] = {{"hits", c.hits},
                                             {"frequency", to_value(c.frequency)},
                                             {"conditional", test(c.conditional)},
                                             {"dynamic", test(c.dynamic)},
                                             {"shortfall", test(c.shortfall)},
                                             {"shortfall_memory", test(c.shortfall_memory)}};
  Json out = {{"step", s.step},
              {"n", s.n},
              {"accuracy", to_value(s.mean)},
              {"volatility",
               {{"qlike", number(s.volatility.qlike)},
                {"qlike_ratio", number(s.volatility.qlike_ratio)},
                {"mse", number(s.volatility.mse)},
                {"mae", number(s.volatility.mae)},
                {"qlike_calm", number(s.qlike_calm)},
                {"qlike_rough", number(s.qlike_rough)},
                {"mincer_zarnowitz",
                 {{"a", number(s.fair.a)},
                  {"b", number(s.fair.b)},
                  {"a_error", number(s.fair.a_error)},
                  {"b_error", number(s.fair.b_error)},
                  {"r2", number(s.fair.r2)},
                  {"fair", to_value(s.fair.fair)},
                  {"fair_robust", to_value(s.fair.fair_robust)}}}}},
              {"coverage", std::move(coverage)},
              {"tails", std::move(tails)},
              {"directions", nullptr},
              {"density", nullptr}};
  if (s.directions)
    out["directions"] = {{"table", s.directions->table},
                         {"right", number(s.directions->right)},
                         {"by_chance", number(s.directions->by_chance)},
                         {"test", to_value(s.directions->test)}};
  if (s.berkowitz)
    out["density"] = {{"log_score", number(s.log_score)},
                      {"crps", number(s.crps)},
                      {"berkowitz", to_value(s.berkowitz->all)},
                      {"memory", to_value(s.berkowitz->memory)}};
  return out;
}

Json to_value(const ConfidenceSet& set) {
  return {{"p_values", set.p_values}, {"within", set.within}, {"block", set.block}};
}

}  // namespace

std::string json_document(std::string_view command, const Backtest& b) {
  Json models = Json::array(), comparisons = Json::array();
  for (const Entrant& e : b.entrants) {
    Json scores = Json::array();
    for (const HorizonScore& s : e.scores) scores.push_back(to_value(s));
    models.push_back({{"model", e.label},
                      {"kind", e.kind == Entrant::Kind::model      ? "model"
                               : e.kind == Entrant::Kind::baseline ? "baseline"
                                                                   : "combination"},
                      {"stale", e.stale},
                      {"steps", std::move(scores)}});
  }
  for (const Contest& c : b.contests) {
    Json pairs = Json::array();
    for (std::size_t i = 0; i < c.pairs.size(); ++i)
      for (std::size_t j = i + 1; j < c.pairs.size(); ++j)
        pairs.push_back({{"first", i}, {"second", j}, {"test", to_value(*c.pairs[i][j])}});
    comparisons.push_back({{"step", c.step},
                           {"pairs", std::move(pairs)},
                           {"set_by_qlike", to_value(c.by_qlike)},
                           {"set_by_mse", to_value(c.by_mse)}});
  }
  return document(command, b.series,
                  {{"origins", b.origins.size()},
                   {"first_origin", b.series.when(b.origins.front())},
                   {"last_origin", b.series.when(b.origins.back())},
                   {"horizon", b.horizon},
                   {"window", b.window},
                   {"expanding", b.expanding},
                   {"refit_every", b.refit_every},
                   {"fitted_transform", b.fitted_transform},
                   {"method", to_string(b.method)},
                   {"proxy", b.proxy},
                   {"stopped", b.stopped},
                   {"models", std::move(models)},
                   {"comparisons", std::move(comparisons)},
                   {"reading", b.reading}},
                  b.warnings);
}

}  // namespace brace::inline v0
