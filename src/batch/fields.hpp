// SPDX-License-Identifier: Apache-2.0
// The fields of the rows of a batch by name, once: from them come the tables of a results file,
// what is written into them and read from them, and what travels between processes.
//
//   each_field(row, [](const char* column, auto& value) { ... });
//   each_table(result, [](const char* table, auto& rows) { ... });
#pragma once

#include "brace/batch/result.hpp"

namespace brace::inline v0 {

template <class Visit>
void each_field(SeriesRow& r, Visit visit) {
  visit("name", r.name), visit("digest", r.digest), visit("made", r.made), visit("unit", r.unit);
  visit("clock", r.clock), visit("first", r.first), visit("last", r.last), visit("rows", r.rows);
  visit("missing", r.missing), visit("dropped", r.dropped), visit("level_rows", r.level_rows);
  visit("level_digest", r.level_digest), visit("outcome", r.outcome), visit("seconds", r.seconds);
}
template <class Visit>
void each_field(FitRow& r, Visit visit) {
  visit("model", r.model), visit("chosen", r.chosen), visit("status", r.status);
  visit("why", r.why), visit("how", r.how), visit("estimated_rows", r.estimated_rows);
  visit("moved", r.moved), visit("n", r.n), visit("likelihood", r.likelihood);
  visit("errors", r.errors), visit("log_likelihood", r.log_likelihood), visit("aic", r.aic);
  visit("aicc", r.aicc), visit("bic", r.bic), visit("hqc", r.hqc);
  visit("persistence", r.persistence), visit("half_life", r.half_life);
  visit("unconditional_variance", r.unconditional_variance);
  visit("typical_variance", r.typical_variance), visit("last_variance", r.last_variance);
  visit("gradient_norm", r.gradient_norm), visit("iterations", r.iterations);
  visit("evaluations", r.evaluations), visit("starts", r.starts), visit("presample", r.presample);
  visit("covariance", r.covariance);
}
template <class Visit>
void each_field(ParameterRow& r, Visit visit) {
  visit("model", r.model), visit("name", r.name), visit("estimate", r.estimate), visit("se", r.se);
  visit("se_hessian", r.se_hessian), visit("se_opg", r.se_opg), visit("se_robust", r.se_robust);
  visit("t", r.t), visit("p_value", r.p_value), visit("held", r.held);
  visit("at_bound", r.at_bound);
}
template <class Visit>
void each_field(CheckRow& r, Visit visit) {
  visit("model", r.model), visit("verdict", r.verdict), visit("reading", r.reading);
  visit("mean", r.mean), visit("variance", r.variance), visit("law", r.law);
  visit("constancy", r.constancy);
}
template <class Visit>
void each_field(TestRow& r, Visit visit) {
  visit("model", r.model), visit("step", r.step), visit("question", r.question);
  visit("test", r.test), visit("variant", r.variant), visit("statistic", r.statistic);
  visit("p_value", r.p_value), visit("p_floor", r.p_floor), visit("lags", r.lags);
  visit("rejects", r.rejects), visit("null_hypothesis", r.null), visit("reading", r.reading);
}
template <class Visit>
void each_field(BreakRow& r, Visit visit) {
  visit("kind", r.kind), visit("date", r.date), visit("low", r.low), visit("high", r.high);
  visit("row", r.row);
}
template <class Visit>
void each_field(ForecastRow& r, Visit visit) {
  visit("model", r.model), visit("method", r.method), visit("step", r.step);
  visit("date", r.date), visit("mean", r.mean), visit("sd", r.sd), visit("variance", r.variance);
  visit("typical_variance", r.typical_variance), visit("volatility", r.volatility);
  visit("level_median", r.level_median), visit("level_mean", r.level_mean);
}
template <class Visit>
void each_field(IntervalRow& r, Visit visit) {
  visit("model", r.model), visit("of", r.of), visit("step", r.step), visit("percent", r.percent);
  visit("low", r.low), visit("high", r.high);
}
template <class Visit>
void each_field(TailRow& r, Visit visit) {
  visit("model", r.model), visit("step", r.step), visit("percent", r.percent);
  visit("value_at_risk", r.value_at_risk), visit("shortfall", r.shortfall);
}
template <class Visit>
void each_field(ScoreRow& r, Visit visit) {
  visit("entrant", r.entrant), visit("kind", r.kind), visit("step", r.step), visit("n", r.n);
  visit("stale", r.stale), visit("qlike", r.qlike), visit("mse", r.mse), visit("rmse", r.rmse);
  visit("log_score", r.log_score), visit("crps", r.crps);
}
template <class Visit>
void each_field(CoverageRow& r, Visit visit) {
  visit("entrant", r.entrant), visit("of", r.of), visit("step", r.step);
  visit("percent", r.percent), visit("covered", r.covered), visit("p_value", r.p_value);
}
template <class Visit>
void each_field(WarningRow& r, Visit visit) {
  visit("model", r.model), visit("code", r.code), visit("text", r.text);
}
template <class Visit>
void each_field(FailureRow& r, Visit visit) {
  visit("step", r.step), visit("model", r.model), visit("code", r.code);
  visit("message", r.message);
}

// The tables below `series`, in the order in which they are written.
template <class Result, class Visit>
void each_table(Result& r, Visit visit) {
  visit("fits", r.fits), visit("parameters", r.parameters), visit("checks", r.checks);
  visit("tests", r.tests), visit("breaks", r.breaks), visit("forecasts", r.forecasts);
  visit("intervals", r.intervals), visit("tails", r.tails), visit("scores", r.scores);
  visit("coverages", r.coverages), visit("warnings", r.warnings), visit("failures", r.failures);
}

}  // namespace brace::inline v0
