// SPDX-License-Identifier: Apache-2.0
// The JSON contract through nlohmann-json. Covered by tests/io/json_test.cpp.
#include "brace/io/json.hpp"

#include <fmt/format.h>

#include <algorithm>
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
  const auto place = [](const TestResult::Break& b) {
    return Json{{"index", b.index}, {"date", date(b.date)}};
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

Json to_value(const std::vector<Interval>& intervals) {
  if (intervals.empty()) return nullptr;
  Json out = Json::object();
  for (const Interval& i : intervals)
    out[std::to_string(i.percent)] = {number(i.low), number(i.high)};
  return out;
}

Json to_value(const std::vector<TailRisk>& tails) {
  Json out = Json::array();
  for (const TailRisk& t : tails)
    out.push_back({{"percent", t.percent},
                   {"value_at_risk", number(t.value_at_risk)},
                   {"shortfall", number(t.shortfall)}});
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

namespace {

void add_inference(Json& result, const Inference& more) {
  if (!more.intervals.empty()) {
    Json& list = result["profile_intervals"] = Json::array();
    for (const ProfileInterval& i : more.intervals)
      list.push_back({{"quantity", i.quantity},
                      {"level", i.level},
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

namespace {

Json to_value(const Accuracy& a) {
  return {{"n", a.n},
          {"me", number(a.me)},
          {"rmse", number(a.rmse)},
          {"mae", number(a.mae)},
          {"mpe", number(a.mpe)},
          {"mape", number(a.mape)},
          {"smape", number(a.smape)},
          {"mase", number(a.mase)},
          {"theil_u2", number(a.theil_u2)},
          {"acf1", number(a.acf1)},
          {"right_direction", number(a.right_direction)}};
}

Json to_value(const HoldOutForecast& f) {
  const auto list = [](const std::vector<double>& values) {
    Json out = Json::array();
    for (const double v : values) out.push_back(number(v));
    return out;
  };
  return {{"mean", list(f.mean)},         {"low_95", list(f.low)},
          {"high_95", list(f.high)},      {"accuracy", to_value(f.accuracy)},
          {"one_step", list(f.one_step)}, {"one_step_accuracy", to_value(f.one_step_accuracy)}};
}

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

}  // namespace

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

Json to_value(const Scored& c, std::size_t rank) {
  return {{"rank", rank},
          {"model", to_string(c.model)},
          {"log_likelihood", number(c.log_likelihood)},
          {"aic", number(c.aic)},
          {"aicc", number(c.aicc)},
          {"bic", number(c.bic)},
          {"hqc", number(c.hqc)},
          {"status", to_string(c.status)},
          {"white", c.whiteness_p.value_or(0) > 0.05},
          {"white_p", number(c.whiteness_p)},
          {"arch_free", c.arch_p.value_or(0) > 0.05},
          {"arch_p", number(c.arch_p)}};
}

}  // namespace

namespace {

Json to_value(const HorizonScore& s) {
  Json coverage = Json::object(), tails = Json::object();
  const auto test = [](const std::optional<TestResult>& t) {
    return t ? to_value(*t) : Json(nullptr);
  };
  for (const IntervalCoverage& c : s.intervals)
    coverage[std::to_string(c.percent)] = {{"covered", c.covered},
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

std::string json_document(std::string_view command, const Search& found) {
  Json candidates = Json::array(), proposals = Json::array();
  for (const Candidate& c : found.candidates) {
    Json one = to_value(c, candidates.size() + 1);
    one["nearest_root"] = number(c.nearest_root);
    one["cancelling"] = number(c.cancelling);
    candidates.push_back(std::move(one));
  }
  for (const LagProposal& p : found.proposals)
    proposals.push_back({{"lag", p.lag},
                         {"acf", number(p.autocorrelation)},
                         {"band_95", number(p.band)},
                         {"model", to_string(p.model)},
                         {"gain", number(p.gain)}});
  return document(command, found.series,
                  {{"criterion", to_string(found.criterion)},
                   {"walk", found.stepwise ? "stepwise" : "full"},
                   {"candidates", std::move(candidates)},
                   {"chosen", to_string(found.candidates.at(found.chosen).model)},
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

std::string json_document(std::string_view command, const Fit& fit, const Check& check) {
  Json spikes = Json::array(), roots = Json::array();
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
                   {"tests", to_value(check.tests)},
                   {"whiteness", to_value(check.whiteness)},
                   {"spikes", std::move(spikes)},
                   {"lags_looked_at", check.lags_looked_at},
                   {"inverse_roots", std::move(roots)},
                   {"verdict", to_string(check.verdict)},
                   {"reading", check.reading}},
                  check.warnings);
}

std::string json_document(std::string_view command, const Fit& fit, const Forecast& ahead) {
  Json steps = Json::array();
  for (const ForecastStep& s : ahead.steps)
    steps.push_back({{"step", s.step},
                     {"date", date(s.date)},
                     {"mean", number(s.mean)},
                     {"sd", number(s.sd)},
                     {"variance", number(s.variance)},
                     {"typical_variance", number(s.typical_variance)},
                     {"return_interval", to_value(s.return_interval)},
                     {"volatility_interval", to_value(s.volatility_interval)},
                     {"tails", to_value(s.tails)},
                     {"gap_left", number(s.gap_left)}});
  Json original = nullptr;
  for (const OriginalStep& s : ahead.original)
    original.push_back({{"median", number(s.median)},
                        {"mean", number(s.mean)},
                        {"interval", to_value(s.interval)}});
  Json annualised = nullptr;
  if (ahead.annualised)
    annualised = {{"periods_per_year", ahead.annualised->periods_per_year},
                  {"volatility", number(ahead.annualised->volatility)},
                  {"volatility_interval", to_value(ahead.annualised->volatility_interval)},
                  {"long_run_volatility", number(ahead.annualised->long_run_volatility)}};
  return document(command, fit.window(),
                  {{"model", ahead.model},
                   {"origin", date(ahead.origin)},
                   {"method", to_string(ahead.method)},
                   {"intervals", ahead.intervals},
                   {"steps", std::move(steps)},
                   {"horizon_total",
                    {{"mean", number(ahead.horizon_total.mean)},
                     {"sd", number(ahead.horizon_total.sd)},
                     {"return_interval", to_value(ahead.horizon_total.return_interval)},
                     {"volatility_interval", to_value(ahead.horizon_total.volatility_interval)},
                     {"tails", to_value(ahead.horizon_total.tails)}}},
                   {"half_way", number(ahead.half_way)},
                   {"effective_draws", number(ahead.effective_draws)},
                   {"windows", ahead.windows},
                   {"monte_carlo_error", number(ahead.monte_carlo_error)},
                   {"original", std::move(original)},
                   {"annualised", std::move(annualised)},
                   {"share_redrawn", number(ahead.share_redrawn)}},
                  ahead.warnings);
}

namespace {

// What became of the file's rows, its clock, and where that does not hold.
Json account_of(const Series& level) {
  Json dropped = Json::array(), irregular = Json::array();
  for (const Account::Dropped& d : level.account.dropped)
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
  for (const Extreme& e : inspection.extremes)
    extremes.push_back(
        {{"row", e.index + 1}, {"date", date(e.date)}, {"value", e.value}, {"sizes", e.sizes}});
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
                          const LeverageTable& table) {
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
                  {});
}

std::string json_document(std::string_view command, const Series& series,
                          const Decomposition& parts, const TestResult& test) {
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
       {"trend_strength", number(parts.trend_strength)},
       {"season_strength", number(parts.season_strength)},
       {"tests", to_value(std::vector<TestResult>{test})},
       {"typical_season", std::move(places)},
       {"rows", std::move(rows)}},
      {});
}

std::string json_document(std::string_view command, const Series& series,
                          const std::vector<Profile>& profiles,
                          const std::vector<TestResult>& tests) {
  Json out = Json::array();
  for (const Profile& profile : profiles) {
    Json slots = Json::array();
    for (const Profile::Slot& slot : profile.slots)
      slots.push_back({{"slot", slot.label},
                       {"n", slot.count},
                       {"mean", number(slot.mean)},
                       {"volatility", number(slot.volatility)},
                       {"factor", number(slot.factor)},
                       {"error", number(slot.error)}});
    out.push_back({{"by", profile.by == ProfileBy::weekday ? "weekday" : "time-of-day"},
                   {"slots", std::move(slots)}});
  }
  return document(command, series, {{"profiles", std::move(out)}, {"tests", to_value(tests)}}, {});
}

std::string json_document(std::string_view command, const Series& series,
                          const UnitRootReport& report, const std::vector<TestResult>& more,
                          const std::optional<DifferencesSuggested>& suggested) {
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
                        {"reading", battery.reading}});
    warnings.insert(warnings.end(), battery.warnings.begin(), battery.warnings.end());
  }
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
    breaks.push_back({{"kind", to_string(f.kind)},
                      {"index", f.at.index},
                      {"date", date(f.at.date)},
                      {"interval_95", ends(f.at.low, f.at.high)},
                      {"interval_95_dates", ends(date(f.at.low_date), date(f.at.high_date))}});
  }
  for (const auto& s : report.segments)
    segments.push_back({{"first", s.first_date ? date(s.first_date) : Json(s.first)},
                        {"last", s.last_date ? date(s.last_date) : Json(s.last)},
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
                   {"from", date(report.from)},
                   {"reading", report.reading},
                   {"advice", report.advice}},
                  report.warnings);
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
                    {"p_robust", number(row.p_robust)},
                    {"band_robust", number(row.band_robust)},
                    {"band_widening", number(row.band_widening)}});
  return document(command, series,
                  {{"of", of},
                   {"n", table.observations},
                   {"band_95", table.band_95},
                   {"lags", std::move(lags)}},
                  {});
}

}  // namespace brace
