// SPDX-License-Identifier: Apache-2.0
// Tables of a chapter from its JSON document. Covered by tests/report/report_test.cpp.
#include "report/evidence.hpp"

#include <fmt/format.h>

#include <cmath>
#include <map>
#include <optional>

#include "brace/base/text.hpp"

namespace brace::inline v0 {
namespace {

using Json = nlohmann::json;

std::optional<double> number_at(const Json& of, const char* key) {
  const auto at = of.find(key);
  if (at == of.end() || !at->is_number()) return std::nullopt;
  return at->get<double>();
}
std::string text_at(const Json& of, const char* key) {
  const auto at = of.find(key);
  return at != of.end() && at->is_string() ? at->get<std::string>() : "";
}
const Json& list_at(const Json& of, const char* key) {
  static const Json none = Json::array();
  const auto at = of.find(key);
  return at != of.end() && at->is_array() ? *at : none;
}
// Four digits, and none where there is no number.
std::string digits(std::optional<double> x, int count = 4) {
  return x ? text::significant(*x, count) : "";
}
std::string whole(std::optional<double> x) {
  return x ? text::count(static_cast<std::size_t>(*x)) : "";
}
std::string percent(std::optional<double> share) {
  return share ? fmt::format("{:.1f} %", 100 * *share) : "";
}
std::string p_of(const Json& of, const char* key = "p_value") {
  const auto p = number_at(of, key);
  return p ? text::p_value(p, number_at(of, "p_floor")) : "";
}

EvidenceTable tests_table(const Json& tests, const std::string& caption = "Tests") {
  EvidenceTable out{.caption = caption,
                    .heads = {"test", "null hypothesis", "statistic", "p", "reading"},
                    .rows = {},
                    .words = {true, true, false, false, true}};
  bool several = false;
  for (const Json& t : tests) several = several || t.contains("of");
  if (several) {
    out.heads.insert(out.heads.begin(), "series");
    out.words.insert(out.words.begin(), true);
  }
  for (const Json& t : tests) {
    const std::string variant = text_at(t, "variant");
    std::vector<std::string> row{
        variant.empty() ? text_at(t, "test") : text_at(t, "test") + ", " + variant,
        text_at(t, "null"), digits(number_at(t, "statistic")), p_of(t), text_at(t, "reading")};
    if (several) row.insert(row.begin(), text_at(t, "of"));
    out.rows.push_back(std::move(row));
  }
  return out;
}

EvidenceTable facts(const std::string& caption,
                    const std::vector<std::pair<std::string, std::string>>& rows) {
  EvidenceTable out{
      .caption = caption, .heads = {"figure", "value"}, .rows = {}, .words = {true, true}};
  for (const auto& [name, value] : rows)
    if (!value.empty()) out.rows.push_back({name, value});
  return out;
}

std::vector<EvidenceTable> of_inspect(const Json& r, const std::string& unit) {
  const Json& m = r.at("moments");
  return {facts("Moments, in " + unit,
                {{"observations", whole(number_at(m, "n"))},
                 {"mean", digits(number_at(m, "mean"))},
                 {"standard deviation", digits(number_at(m, "sd"))},
                 {"smallest", digits(number_at(m, "min"))},
                 {"largest", digits(number_at(m, "max"))},
                 {"skewness", text::fixed(number_at(m, "skewness"), 2)},
                 {"excess kurtosis", text::fixed(number_at(m, "excess_kurtosis"), 1)}}),
          tests_table(list_at(r, "tests"))};
}

std::vector<EvidenceTable> of_lags(const Json& r) {
  EvidenceTable out{.caption = "Memory by lag",
                    .heads = {"lag", "acf", "pacf", "robust 95 % band", "robust Q", "p"},
                    .rows = {},
                    .words = std::vector<bool>(6, false)};
  for (const Json& row : list_at(r, "lags")) {
    const auto band = number_at(row, "band_robust");
    out.rows.push_back({whole(number_at(row, "lag")), text::fixed(number_at(row, "acf"), 3),
                        text::fixed(number_at(row, "pacf"), 3),
                        band ? "±" + text::fixed(band, 3) : "", digits(number_at(row, "q_robust")),
                        p_of(row, "p_robust")});
  }
  if (out.rows.empty()) return {};
  return {out};
}

std::vector<EvidenceTable> of_breaks(const Json& r) {
  std::vector<EvidenceTable> out{tests_table(list_at(r, "tests"))};
  EvidenceTable breaks{.caption = "Breaks",
                       .heads = {"of", "near", "95 % interval"},
                       .rows = {},
                       .words = {true, true, true}};
  for (const Json& b : list_at(r, "breaks")) {
    const Json& dates = list_at(b, "interval_95_dates");
    breaks.rows.push_back({text_at(b, "kind"), text_at(b, "date"),
                           dates.size() == 2 && dates[0].is_string() && dates[1].is_string()
                               ? dates[0].get<std::string>() + " to " + dates[1].get<std::string>()
                               : ""});
  }
  if (!breaks.rows.empty()) out.push_back(breaks);
  EvidenceTable segments{
      .caption = "Segments",
      .heads = {"from", "to", "rows", "mean", "standard deviation", "persistence"},
      .rows = {},
      .words = {true, true, false, false, false, false}};
  for (const Json& s : list_at(r, "segments"))
    segments.rows.push_back({text_at(s, "first"), text_at(s, "last"), whole(number_at(s, "n")),
                             digits(number_at(s, "mean"), 3), digits(number_at(s, "sd"), 3),
                             text::fixed(number_at(s, "persistence"), 3)});
  if (segments.rows.size() > 1) out.push_back(segments);
  return out;
}

std::vector<EvidenceTable> of_season(const Json& r) {
  std::vector<EvidenceTable> out;
  if (r.contains("test")) out.push_back(tests_table(Json::array({r.at("test")})));
  if (!list_at(r, "tests").empty()) out.push_back(tests_table(list_at(r, "tests")));
  return out;
}

std::vector<EvidenceTable> of_search(const Json& r) {
  const std::string criterion = text_at(r, "criterion");
  EvidenceTable out{.caption = "Candidates by " + criterion,
                    .heads = {"rank", "model", criterion, "log-likelihood", "status", "white: p"},
                    .rows = {},
                    .words = {false, true, false, false, true, false}};
  constexpr std::size_t kShown = 12;
  for (const Json& c : list_at(r, "candidates")) {
    if (out.rows.size() == kShown) break;
    out.rows.push_back({whole(number_at(c, "rank")), text_at(c, "model"),
                        text::fixed(number_at(c, criterion.c_str()), 1),
                        text::fixed(number_at(c, "log_likelihood"), 1), text_at(c, "status"),
                        p_of(c, "white_p")});
  }
  return {out};
}

std::vector<EvidenceTable> of_fit(const Json& r) {
  EvidenceTable parameters{.caption = "Parameters, errors " + text_at(r, "errors"),
                           .heads = {"parameter", "estimate", "error", "p"},
                           .rows = {},
                           .words = {true, false, false, false}};
  for (const Json& p : list_at(r, "parameters")) {
    const auto error = number_at(p, "se");
    const bool held = p.value("held", false), bound = p.value("at_bound", false);
    parameters.rows.push_back({text_at(p, "name"),
                               text::estimate(number_at(p, "estimate").value_or(0), error),
                               held    ? "held"
                               : bound ? "at bound"
                                       : digits(error, 2),
                               p_of(p)});
  }
  const auto with_error = [&](const char* key, const char* error) {
    const auto x = number_at(r, key), se = number_at(r, error);
    return x ? digits(x, 4) + (se ? " (" + digits(se, 2) + ")" : "") : "";
  };
  const Json& c = r.at("convergence");
  return {parameters, facts("The model in figures, errors in brackets",
                            {{"persistence", with_error("persistence", "persistence_se")},
                             {"half-life, rows", with_error("half_life", "half_life_se")},
                             {"long-run variance",
                              with_error("unconditional_variance", "unconditional_variance_se")},
                             {"log-likelihood", text::fixed(number_at(r, "log_likelihood"), 2)},
                             {"aic", text::fixed(number_at(r, "aic"), 1)},
                             {"bic", text::fixed(number_at(r, "bic"), 1)},
                             {"observations", whole(number_at(r, "n"))},
                             {"certificate", text_at(c, "status") + ": " + text_at(c, "why")}})};
}

std::vector<EvidenceTable> of_check(const Json& r) {
  EvidenceTable questions{.caption = "Four questions",
                          .heads = {"of", "answer", "reading"},
                          .rows = {},
                          .words = {true, true, true}};
  for (const Json& q : list_at(r, "questions"))
    questions.rows.push_back({text_at(q, "question"), text_at(q, "answer"), text_at(q, "reading")});
  return {questions, tests_table(list_at(r, "tests"))};
}

std::vector<EvidenceTable> of_compare(const Json& r) {
  EvidenceTable out{.caption = "Models side by side",
                    .heads = {"model", "status", "log-likelihood", "aic", "bic",
                              "residuals white: p", "squares white: p"},
                    .rows = {},
                    .words = {true, true, false, false, false, false, false}};
  for (const Json& m : list_at(r, "models")) {
    const Json& at = m.contains("fit") ? m.at("fit") : m;
    out.rows.push_back({text_at(at, "model"), text_at(at, "status"),
                        text::fixed(number_at(at, "log_likelihood"), 1),
                        text::fixed(number_at(at, "aic"), 1), text::fixed(number_at(at, "bic"), 1),
                        p_of(at, "whiteness_p"), p_of(at, "arch_p")});
  }
  return {out};
}

std::string interval(const Json& of, const char* percent_of) {
  const auto at = of.find(percent_of);
  return at != of.end() && at->is_array() && at->size() == 2 && (*at)[0].is_number() &&
                 (*at)[1].is_number()
             ? fmt::format("{} to {}", text::significant((*at)[0].get<double>(), 3),
                           text::significant((*at)[1].get<double>(), 3))
             : "";
}

// The widest interval that the forecast has, as it names it.
std::string widest(const Json& step) {
  std::string best;
  const auto at = step.find("return_interval");
  if (at == step.end() || !at->is_object()) return best;
  for (const auto& [name, ends] : at->items())
    if (best.empty() || std::stod(name) > std::stod(best)) best = name;
  return best;
}

std::vector<EvidenceTable> of_forecast(const Json& r) {
  const Json& steps = list_at(r, "steps");
  if (steps.empty()) return {};
  const std::string level = widest(steps[0]);
  EvidenceTable out{.caption = "Step by step",
                    .heads = {"step", "date", "mean", level + " % of returns", "volatility",
                              "its " + level + " %", "value at risk"},
                    .rows = {},
                    .words = {false, true, false, false, false, false, false}};
  const Json& tails = list_at(steps[0], "tails");
  const auto risk = tails.empty() ? std::nullopt : number_at(tails[0], "percent");
  if (risk)
    out.heads.back() = fmt::format("value at risk, {:g} %", *risk);
  else
    out.heads.pop_back(), out.words.pop_back();
  for (const Json& s : steps) {
    const auto volatility = number_at(s, "sd");
    std::vector<std::string> row{
        whole(number_at(s, "step")),
        text_at(s, "date"),
        digits(number_at(s, "mean"), 3),
        s.contains("return_interval") ? interval(s.at("return_interval"), level.c_str()) : "",
        digits(volatility, 3),
        s.contains("volatility_interval") && s.at("volatility_interval").is_object()
            ? interval(s.at("volatility_interval"), level.c_str())
            : ""};
    if (risk) {
      const Json& own = list_at(s, "tails");
      row.push_back(own.empty() ? "" : digits(number_at(own[0], "value_at_risk"), 3));
    }
    out.rows.push_back(std::move(row));
  }
  return {out};
}

std::vector<EvidenceTable> of_backtest(const Json& r) {
  EvidenceTable out{
      .caption = "Forecasts one step ahead against what happened",
      .heads = {"model", "forecasts", "QLIKE", "rmse of returns", "95 % covers", "as promised: p"},
      .rows = {},
      .words = {true, false, false, false, false, false}};
  for (const Json& m : list_at(r, "models")) {
    const Json& steps = list_at(m, "steps");
    if (steps.empty()) continue;
    const Json& s = steps[0];
    const Json none = Json::object();
    const Json& volatility =
        s.contains("volatility") && s.at("volatility").is_object() ? s.at("volatility") : none;
    const Json& coverage =
        s.contains("coverage") && s.at("coverage").is_object() ? s.at("coverage") : none;
    const Json& at95 = coverage.contains("95") ? coverage.at("95") : none;
    out.rows.push_back(
        {text_at(m, "model"), whole(number_at(s, "n")), digits(number_at(volatility, "qlike")),
         s.contains("accuracy") ? digits(number_at(s.at("accuracy"), "rmse")) : "",
         percent(number_at(at95, "covered")),
         at95.contains("frequency") && at95.at("frequency").is_object() ? p_of(at95.at("frequency"))
                                                                        : ""});
  }
  return {out};
}

}  // namespace

std::vector<EvidenceTable> evidence_of(const std::string& step, const Json& document) {
  const Json& r = document.at("result");
  const std::string unit =
      document.contains("series") ? text_at(document.at("series"), "unit") : "";
  if (step == "inspect" && r.contains("moments"))
    return of_inspect(r, unit.empty() ? "the unit of the file" : unit);
  if (step == "unitroot") return {tests_table(list_at(r, "tests"))};
  if (step == "lags") return of_lags(r);
  if (step == "season") return of_season(r);
  if (step == "breaks") return of_breaks(r);
  if (step == "search") return of_search(r);
  if (step == "fit") return of_fit(r);
  if (step == "check") return of_check(r);
  if (step == "compare") return of_compare(r);
  if (step == "forecast") return of_forecast(r);
  if (step == "backtest") return of_backtest(r);
  return {};
}

EvidenceTable volatility_ahead(const Json& document) {
  const Json& steps = list_at(document.at("result"), "steps");
  EvidenceTable out{.caption = "Volatility ahead",
                    .heads = {"step", "date", "volatility"},
                    .rows = {},
                    .words = {false, true, false}};
  if (steps.empty()) return out;
  const std::string level = widest(steps[0]);
  out.heads.push_back(level + " % interval");
  out.words.push_back(false);
  const std::size_t last = steps.size() - 1;
  for (const std::size_t i : {std::size_t{0}, last / 2, last}) {
    const Json& s = steps[i];
    if (!out.rows.empty() && out.rows.back()[0] == whole(number_at(s, "step"))) continue;
    out.rows.push_back({whole(number_at(s, "step")), text_at(s, "date"),
                        digits(number_at(s, "sd"), 3),
                        s.contains("volatility_interval") && s.at("volatility_interval").is_object()
                            ? interval(s.at("volatility_interval"), level.c_str())
                            : ""});
  }
  return out;
}

const StepWords& words_of_step(const std::string& step) {
  static const std::map<std::string, StepWords> words{
      {"inspect",
       {"The series", "What is in this file, and what kind of series is it?",
        "A p-value below .05 says that what the null hypothesis states is hard to believe of these "
        "data. Heavy tails mean that large moves come more often than a bell curve has them; "
        "clustering means that large moves follow large moves."}},
      {"unitroot",
       {"Unit roots", "Does the level return to a mean, or does it wander?",
        "A series with a unit root has no level to return to, so that its changes are modelled and "
        "not itself. The null hypotheses differ: some tests suppose a unit root, others suppose "
        "that there is none."}},
      {"lags",
       {"Memory", "Does today's value say anything about tomorrow's?",
        "A bar beyond the band means that values so many rows apart move together more than chance "
        "explains. One of twenty lies beyond it by chance."}},
      {"season",
       {"Season", "Does the series repeat itself within the week, the day or the year?",
        "The strength of a season runs from 0, none, to 1, nothing else. A weak one may be left "
        "alone."}},
      {"breaks",
       {"Breaks", "Did the process itself change within the sample?",
        "A break is a date from which the series behaves otherwise; the interval says how well "
        "the date is known. A model fitted across a break mistakes it for slow memory."}},
      {"search",
       {"Search", "Which model does the sample prefer?",
        "A criterion rewards fit and punishes every parameter; lower is better. Candidates within "
        "2 of the best are as good."}},
      {"fit",
       {"The model", "What are the parameters, and how well are they known?",
        "An estimate is known to about twice its error in either direction. Persistence near 1 "
        "means that volatility takes long to come back to its usual size."}},
      {"check",
       {"Residuals", "Is anything left that the model should have caught?",
        "What the model leaves over should be without pattern. A rejected test names the part of "
        "the model that does not hold."}},
      {"compare",
       {"Models side by side", "Which of these models is ahead on the same rows?",
        "Lower aic and bic are better, and a lead below 2 is none. A model whose residuals are not "
        "white leaves something to be had."}},
      {"forecast",
       {"Forecast", "How volatile will the coming days be, and how sure is that?",
        "Volatility is the usual size of a day's move. Of one hundred intervals at 95 % about "
        "ninety-five hold what happens; value at risk is the loss that one day in so many "
        "exceeds."}},
      {"backtest",
       {"Backtest", "Would these forecasts have been right in the past?",
        "Each forecast was made from the rows before it alone. The share of returns within the "
        "95 % interval should be near 95 %; QLIKE is a loss, lower is better."}}};
  static const StepWords other{"", "", ""};
  const auto at = words.find(step);
  return at == words.end() ? other : at->second;
}

}  // namespace brace::inline v0
