// SPDX-License-Identifier: Apache-2.0
// A fit, its check, its forecast and searches as documents. Covered by tests/io/json_test.cpp.
#include "brace/io/json.hpp"

#include <cmath>

#include "brace/model/model_line.hpp"
#include "io/json_values.hpp"

namespace brace::inline v0 {
namespace {

void add_inference(Json& result, const Inference& more) {
  if (!more.intervals.empty()) {
    Json& list = result["profile_intervals"] = Json::array();
    for (const ProfileInterval& i : more.intervals)
      list.push_back({{"quantity", i.quantity},
                      {"level", i.percent / 100},
                      {"estimate", number(i.estimate)},
                      {"low", number(i.low)},
                      {"high", number(i.high)},
                      {"bound_low", number(i.bound_low)},
                      {"bound_high", number(i.bound_high)},
                      {"symmetric_low", number(i.symmetric_low)},
                      {"symmetric_high", number(i.symmetric_high)}});
  }
  if (!more.tests.empty()) result["tests"] = to_value(more.tests);
  if (!more.beside) return;
  Json rows = Json::array();
  for (const MeanBeside::Row& r : more.beside->rows)
    rows.push_back({{"name", r.name},
                    {"joint", number(r.joint)},
                    {"joint_error", number(r.joint_error)},
                    {"alone", number(r.alone)},
                    {"alone_error", number(r.alone_error)},
                    {"alone_robust_error", number(r.alone_robust_error)}});
  result["mean_beside"] = {{"model", more.beside->mean_model},
                           {"status", to_string(more.beside->alone_status)},
                           {"terms", std::move(rows)}};
}

}  // namespace

std::string json_document(std::string_view command, const Fit& fit, const Inference& more) {
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
                 {"typical_variance", number(fit.typical_variance)},
                 {"persistence_se", number(fit.persistence_error)},
                 {"half_life_se", number(fit.half_life_error)},
                 {"unconditional_variance_se", number(fit.unconditional_variance_error)},
                 {"last", {{"shock", nullptr}, {"variance", nullptr}}}};
  if (!fit.variances.empty())
    result["last"] = {
        {"shock", std::isnan(fit.data().back()) ? Json(nullptr) : number(fit.shocks.back())},
        {"variance", number(fit.variances.back())}};
  add_inference(result, more);
  return document(command, fit.window(), std::move(result), fit.warnings);
}

std::string json_rows(const Fit& fit) {
  Json rows = Json::array();
  for (const FittedRow& r : fitted_rows(fit))
    rows.push_back({{"date", date_or_null(r.date)},
                    {"actual", number(r.actual)},
                    {"fitted", number(r.fitted)},
                    {"residual", number(r.residual)},
                    {"volatility", number(r.volatility)},
                    {"standardised", number(r.standardised)}});
  return document("residuals", fit.window(), {{"model", to_string(fit.model)}, {"rows", rows}},
                  fit.warnings);
}

std::string json_document(std::string_view command, const Fit& fit, const Check& check) {
  Json spikes = Json::array(), roots = Json::array(), questions = Json::array(),
       tests = Json::array();
  for (const CheckGroup& group : check.groups) {
    Json positions = Json::array();  // of its tests in the list of all
    for (const TestResult& test : group.tests) {
      positions.push_back(tests.size());
      tests.push_back(to_value(test));
    }
    questions.push_back({{"question", to_string(group.question)},
                         {"answer", to_string(group.answer)},
                         {"reading", group.reading},
                         {"tests", std::move(positions)}});
  }
  for (const Spike& s : check.spikes)
    spikes.push_back({{"lag", s.lag},
                      {"acf", number(s.acf)},
                      {"band_95", number(s.band)},
                      {"seasonal", s.seasonal}});
  for (const InverseRoot& r : check.roots)
    roots.push_back({{"side", r.ar ? "ar" : "ma"},
                     {"real", number(r.value.real())},
                     {"imaginary", number(r.value.imag())},
                     {"modulus", number(std::abs(r.value))}});
  return document(command, fit.window(),
                  {{"model", check.model},
                   {"questions", std::move(questions)},
                   {"tests", std::move(tests)},
                   {"whiteness", to_value(check.whiteness)},
                   {"level", check.significance ? Json(*check.significance) : Json(nullptr)},
                   {"whiteness_limits", check.whiteness_limits},
                   {"spikes", std::move(spikes)},
                   {"lags_looked_at", check.lags_looked_at},
                   {"inverse_roots", std::move(roots)},
                   {"verdict", to_string(check.verdict)},
                   {"reading", check.reading}},
                  check.warnings);
}

namespace {

Json to_value(const Judged& judged) {
  if (judged.rows.empty()) return nullptr;
  Json out;
  out["actual"] = Json::array();
  for (const double v : judged.actual.values) out["actual"].push_back(number(v));
  for (const Compared& c : judged.rows) out["models"].push_back(to_value(c));
  return out;
}

}  // namespace

std::string json_document(std::string_view command, const Fit& fit, const Forecast& ahead,
                          const Judged& judged, const Judged& on_file) {
  Json steps = Json::array();
  for (const ForecastStep& s : ahead.steps)
    steps.push_back({{"step", s.step},
                     {"date", date_or_null(s.date)},
                     {"mean", number(s.mean)},
                     {"sd", number(s.sd)},
                     {"variance", number(s.variance)},
                     {"typical_variance", number(s.typical_variance)},
                     {"return_interval", to_value(s.return_interval)},
                     {"volatility_interval", to_value(s.volatility_interval)},
                     {"return_error", errors_of(s.return_interval)},
                     {"volatility_error", errors_of(s.volatility_interval)},
                     {"tails", to_value(s.tails)},
                     {"gap_left", number(s.gap_left)}});
  Json original = nullptr;
  for (const OriginalStep& s : ahead.original)
    original.push_back({{"median", number(s.median)},
                        {"mean", number(s.mean)},
                        {"interval", to_value(s.interval)},
                        {"error", errors_of(s.interval)}});
  Json hold_out = to_value(judged);
  if (!on_file.rows.empty()) hold_out["original"] = to_value(on_file);
  Json annualised = nullptr;
  if (ahead.annualised)
    annualised = {{"periods_per_year", ahead.annualised->periods_per_year},
                  {"volatility", number(ahead.annualised->volatility)},
                  {"volatility_interval", to_value(ahead.annualised->volatility_interval)},
                  {"long_run_volatility", number(ahead.annualised->long_run_volatility)}};
  Json total = nullptr;
  if (ahead.horizon_total) {
    const HorizonTotal& t = *ahead.horizon_total;
    total = {{"mean", number(t.mean)},
             {"sd", number(t.sd)},
             {"return_interval", to_value(t.return_interval)},
             {"volatility_interval", to_value(t.volatility_interval)},
             {"return_error", errors_of(t.return_interval)},
             {"volatility_error", errors_of(t.volatility_interval)},
             {"tails", to_value(t.tails)}};
  }
  return document(command, fit.window(),
                  {{"model", ahead.model},
                   {"origin", date_or_null(ahead.origin)},
                   {"method", to_string(ahead.method)},
                   {"intervals", ahead.intervals},
                   {"steps", std::move(steps)},
                   {"horizon_total", std::move(total)},
                   {"half_way", number(ahead.half_way)},
                   {"effective_draws", number(ahead.effective_draws)},
                   {"windows", ahead.windows},
                   {"monte_carlo_error", number(ahead.monte_carlo_error)},
                   {"original", std::move(original)},
                   {"hold_out", std::move(hold_out)},
                   {"annualised", std::move(annualised)},
                   {"share_redrawn", number(ahead.share_redrawn)}},
                  ahead.warnings);
}

namespace {

Json to_value(const Scored& c, std::size_t rank) {
  return {{"rank", rank},
          {"model", to_string(c.model)},
          {"log_likelihood", number(c.log_likelihood)},
          {"aic", number(c.aic)},
          {"aicc", number(c.aicc)},
          {"bic", number(c.bic)},
          {"hqc", number(c.hqc)},
          {"estimated", c.estimated},
          {"status", to_string(c.status)},
          {"on_circle", c.on_circle},
          {"white", c.whiteness_p.value_or(0) > 0.05},
          {"white_p", number(c.whiteness_p)},
          {"arch_free", c.arch_p.value_or(0) > 0.05},
          {"arch_p", number(c.arch_p)}};
}

}  // namespace

std::string json_document(std::string_view command, const Search& found) {
  Json candidates = Json::array(), proposals = Json::array();
  for (const MeanCandidate& c : found.candidates) {
    Json one = to_value(c, candidates.size() + 1);
    one["nearest_root"] = number(c.nearest_root);
    one["cancelling"] = number(c.cancelling);
    one["place"] = c.place() == 0 ? "ranked" : c.place() == 1 ? "apart" : "failed";
    candidates.push_back(std::move(one));
  }
  for (const LagProposal& p : found.proposals)
    proposals.push_back({{"lag", p.lag},
                         {"acf", number(p.autocorrelation)},
                         {"band_95", number(p.band)},
                         {"model", to_string(p.model)},
                         {"gain", number(p.gain)},
                         {"p_value", number(p.p_value)}});
  return document(
      command, found.series,
      {{"criterion", to_string(found.criterion)},
       {"walk", found.stepwise ? "stepwise" : "full"},
       {"candidates", std::move(candidates)},
       {"chosen", found.proposes() ? Json(to_string(found.candidates.at(found.chosen).model))
                                   : Json(nullptr)},
       {"differences", to_value(found.differences.tests)},
       {"lags_looked_at", found.lags_looked_at},
       {"proposals", std::move(proposals)}},
      found.warnings);
}

std::string json_document(std::string_view command, const VarianceSearch& found) {
  Json candidates = Json::array();
  for (const VarianceCandidate& c : found.candidates) {
    Json one = to_value(c, candidates.size() + 1);
    one["persistence"] = number(c.persistence);
    one["sign_p"] = number(c.sign_p);
    one["law_p"] = number(c.law_p);
    candidates.push_back(std::move(one));
  }
  return document(command, found.series,
                  {{"criterion", to_string(found.criterion)},
                   {"candidates", std::move(candidates)},
                   {"chosen", to_string(found.candidates.at(found.chosen).model)}},
                  found.warnings);
}

}  // namespace brace::inline v0
