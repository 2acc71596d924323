// SPDX-License-Identifier: Apache-2.0
// The saved-model schema, version 1 (docs/saved-model.md). Covered by
// tests/io/json_test.cpp.
#include "brace/io/saved_model.hpp"
#include "brace/base/version.hpp"

#include <fmt/format.h>

#include <cmath>
#include <filesystem>
#include <fstream>

#include "brace/base/error.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/io/files.hpp"
#include "brace/io/json.hpp"
#include "brace/model/model_line.hpp"
#include "io/json_reader.hpp"
#include "io/json_values.hpp"

namespace brace::inline v0 {
namespace {

constexpr std::string_view kFormat = "brace-model";
constexpr int kVersion = 1;

// How far the stored last variance and likelihood may lie from those found again, relative: other
// processors round logarithms and products otherwise.
constexpr double kStateTolerance = 1e-9;

constexpr std::pair<SeriesKind, std::string_view> kKinds[] = {
    {SeriesKind::values, "values"},
    {SeriesKind::log_level, "log-level"},
    {SeriesKind::log_return, "log-return"},
    {SeriesKind::simple_return, "simple-return"}};

template <class T, std::size_t N>
std::string_view word_of(const std::pair<T, std::string_view> (&table)[N], T value) {
  for (const auto& [known, word] : table)
    if (known == value) return word;
  return table[0].second;
}

template <class T, std::size_t N>
T value_of(const std::pair<T, std::string_view> (&table)[N], const JsonReader& field) {
  const std::string word = field.text();
  for (const auto& [value, known] : table)
    if (known == word) return value;
  field.refuse(fmt::format("holds '{}', which is not a known word", word));
}

constexpr std::pair<FitStatus, std::string_view> kStatuses[] = {{FitStatus::failed, "failed"},
                                                                {FitStatus::converged, "converged"},
                                                                {FitStatus::boundary, "boundary"}};
constexpr std::pair<StandardErrors, std::string_view> kErrors[] = {
    {StandardErrors::robust, "robust"},
    {StandardErrors::hessian, "hessian"},
    {StandardErrors::opg, "opg"}};

Json of_series(const Series& s) {
  Json values = Json::array(), dates = Json::array();
  for (const double v : s.values) values.push_back(std::isnan(v) ? Json(nullptr) : Json(v));
  for (const Timestamp when : s.times) dates.push_back(format_date(when));
  Json dropped = Json::array();
  for (const DataAccount::Dropped& d : s.account.dropped)
    dropped.push_back({{"because", d.because}, {"rows", d.rows}});
  Json companions = Json::array();
  for (const Companion& c : s.companions) {
    Json column = Json::array();
    for (const double v : c.values) column.push_back(std::isnan(v) ? Json(nullptr) : Json(v));
    companions.push_back({{"name", c.name}, {"values", std::move(column)}});
  }
  Json provenance = nullptr;
  if (s.provenance) {
    Json last = Json::array();
    for (std::size_t i = 0; i < s.provenance->values.size(); ++i)
      last.push_back(
          {{"date",
            s.provenance->times.empty() ? Json() : Json(format_date(s.provenance->times[i]))},
           {"value", number(s.provenance->values[i])}});
    provenance = {{"column", s.provenance->column},
                  {"chain", s.provenance->chain},
                  {"overnight", s.provenance->overnight},
                  {"drop_zero", s.provenance->drop_zero.value_or("")},
                  {"last", std::move(last)}};
  }
  return {{"name", s.name},
          {"unit", s.unit ? to_string(*s.unit) : std::string_view()},
          {"kind", word_of(kKinds, s.kind)},
          {"every", to_string(s.clock)},
          {"file", s.file},
          {"rows_read", s.account.rows_read},
          {"dropped", std::move(dropped)},
          {"notes", s.account.notes},
          {"dates", std::move(dates)},
          {"values", std::move(values)},
          {"companions", std::move(companions)},
          {"provenance", std::move(provenance)}};
}

Timestamp date_from(const JsonReader& field) {
  const std::optional<Timestamp> when = parse_date(field.text());
  if (!when) field.refuse(fmt::format("holds '{}', which is not a date", field.text()));
  return *when;
}

std::vector<double> numbers_from(const JsonReader& field, std::optional<std::size_t> count = {}) {
  std::vector<double> out;
  for (const JsonReader& v : field.list(count)) {
    out.push_back(v.number_or_nan());
    if (std::abs(out.back()) > kLargest) v.refuse(fmt::format("is beyond {}", kLargest));
  }
  return out;
}

// Dates that increase, one for each of `count` rows, or none at all.
std::vector<Timestamp> dates_from(const JsonReader& field, std::size_t count) {
  std::vector<Timestamp> out;
  for (const JsonReader& d : field.list()) {
    const Timestamp when = date_from(d);
    if (!out.empty() && when <= out.back()) d.refuse("does not come after the date before it");
    out.push_back(when);
  }
  if (!out.empty() && out.size() != count)
    field.refuse(fmt::format("has {} dates for {} values", out.size(), count));
  return out;
}

Provenance provenance_from(const JsonReader& j) {
  Provenance out{.column = j["column"].text(),
                 .chain = j["chain"].text(),
                 .overnight = j["overnight"].text(),
                 .drop_zero = {},
                 .times = {},
                 .values = {}};
  if (std::string column = j["drop_zero"].text(); !column.empty())
    out.drop_zero = std::move(column);
  for (const JsonReader& row : j["last"].list()) {
    out.values.push_back(row["value"].number_or_nan());
    if (!row["date"].is_null()) out.times.push_back(date_from(row["date"]));
  }
  if (!out.times.empty() && out.times.size() != out.values.size())
    j["last"].refuse("has dates for some of its rows only");
  return out;
}

Series series_from(const JsonReader& j) {
  Series s;
  s.name = j["name"].text();
  if (const std::string unit = j["unit"].text(); unit == "percent" || unit == "decimal")
    s.unit = unit == "percent" ? Unit::percent : Unit::decimal;
  else if (!unit.empty())
    j["unit"].refuse("is neither percent nor decimal");
  s.kind = value_of(kKinds, j["kind"]);
  const std::optional<Clock> clock = clock_from(j["every"].text());
  if (!clock) j["every"].refuse("is not a clock");
  s.clock = *clock;
  s.file = j["file"].text();
  s.account.rows_read = j["rows_read"].count();
  for (const JsonReader& d : j["dropped"].list())
    s.account.dropped.push_back({d["because"].text(), d["rows"].count()});
  for (const JsonReader& note : j["notes"].list()) s.account.notes.push_back(note.text());
  s.values = numbers_from(j["values"]);
  if (s.present() == 0) j["values"].refuse("holds no number");
  // Files written before there were regressors have none.
  if (j.has("companions"))
    for (const JsonReader& c : j["companions"].list())
      s.companions.push_back({c["name"].text(), numbers_from(c["values"], s.size())});
  s.times = dates_from(j["dates"], s.size());
  if (j.has("provenance") && !j["provenance"].is_null())
    s.provenance = provenance_from(j["provenance"]);
  return s;
}

Parameter parameter_from(const JsonReader& j, const std::string& name) {
  Parameter p;
  p.name = j["name"].text();
  if (p.name != name)
    j["name"].refuse(fmt::format("is '{}', where the model line has '{}'", p.name, name));
  p.estimate = j["estimate"].number();
  const auto error = [&](const char* field) {
    const std::optional<double> x = j[field].number_or_null();
    if (x && *x < 0) j[field].refuse("is negative");
    return x;
  };
  p.se_hessian = error("se_hessian");
  p.se_opg = error("se_opg");
  p.se_robust = error("se_robust");
  p.se = error("se");
  p.t = j["t"].number_or_null();
  p.p_value = error("p_value");
  if (p.p_value && *p.p_value > 1) j["p_value"].refuse("is above 1");
  p.held = j["held"].flag();
  p.at_bound = j["at_bound"].flag();
  return p;
}

WarningCode warning_from(const JsonReader& field) {
  const std::string word = field.text();
  if (const auto code = warning_code_from(word)) return *code;
  field.refuse(fmt::format("holds '{}', which is not a known warning", word));
}

// Symmetric, with nothing negative on its diagonal.
Matrix covariance_from(const JsonReader& field, std::size_t k) {
  Matrix out(k, k);
  double size = 0;
  const std::vector<JsonReader> rows = field.list(k);
  for (std::size_t r = 0; r < k; ++r) {
    const std::vector<JsonReader> cells = rows[r].list(k);
    for (std::size_t c = 0; c < k; ++c) {
      // Null: not known, written by versions that had no covariance there.
      out(r, c) = cells[c].number_or_null().value_or(0);
      size = std::max(size, std::abs(out(r, c)));
    }
    if (out(r, r) < 0) cells[r].refuse("is negative, and stands on the diagonal of a covariance");
  }
  for (std::size_t r = 0; r < k; ++r)
    for (std::size_t c = 0; c < r; ++c)
      if (std::abs(out(r, c) - out(c, r)) > 1e-9 * size) field.refuse("is not symmetric");
  return out;
}

Fit fit_from(const JsonReader& j) {
  KnownFit known;
  known.model = parse_model(j["model"].text());
  const std::vector<std::string> names = parameter_names(known.model).all();
  const std::vector<JsonReader> parameters = j["parameters"].list(names.size());
  for (std::size_t i = 0; i < names.size(); ++i)
    known.parameters.push_back(parameter_from(parameters[i], names[i]));
  known.covariance = covariance_from(j["covariance"], names.size());
  known.errors = value_of(kErrors, j["errors"]);
  const JsonReader c = j["convergence"];
  known.convergence = {.status = value_of(kStatuses, c["status"]),
                       .why = c["why"].text(),
                       .gradient_norm = c["gradient_norm"].number_or_null(),
                       .iterations = static_cast<int>(c["iterations"].count(1u << 30)),
                       .evaluations = static_cast<int>(c["evaluations"].count(1u << 30)),
                       .starts = static_cast<int>(c["starts"].count(1u << 30))};
  known.presample = j["presample"].number();
  // Files written before the exact likelihood hold conditional fits.
  known.likelihood = j.has("likelihood") && j["likelihood"].text() == "exact"
                         ? LikelihoodKind::exact
                         : LikelihoodKind::conditional;
  for (const JsonReader& w : j["warnings"].list())
    known.warnings.push_back({warning_from(w["code"]), w["text"].text()});
  Fit fit = restore(std::move(known), std::make_shared<Series>(series_from(j["series"])));
  const JsonReader state = j["state"];
  const auto agrees = [](double got, double stored) {
    return std::abs(got - stored) <= kStateTolerance * (1 + std::abs(stored));
  };
  if (fit.variances.empty() || !fit.log_likelihood ||
      !agrees(fit.variances.back() / state["variance"].number(), 1) ||
      !agrees(*fit.log_likelihood, state["log_likelihood"].number()))
    state.refuse("is not what its data and parameters give: the file was changed by hand");
  return fit;
}

}  // namespace

void save_model(const Fit& fit, const std::string& path) {
  if (!fit.usable() && fit.variances.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' is {}: there is no state to save", to_string(fit.model),
                            to_string(fit.convergence.status)));
  require_path(fit, "save_model");
  Json parameters = Json::array(), covariance = Json::array();
  for (const Parameter& p : fit.parameters) parameters.push_back(to_value(p));
  const std::size_t k = fit.parameters.size();
  for (std::size_t r = 0; r < k; ++r) {
    Json row = Json::array();
    for (std::size_t c = 0; c < k; ++c)
      row.push_back(fit.covariance.empty() ? Json(0) : number(fit.covariance(r, c)));
    covariance.push_back(std::move(row));
  }
  const Json out = {{"format", kFormat},
                    {"version", kVersion},
                    {"brace", version()},
                    {"model", to_string(fit.model)},
                    {"likelihood", fit.exact ? "exact" : "conditional"},
                    {"errors", to_string(fit.errors)},
                    {"parameters", std::move(parameters)},
                    {"covariance", std::move(covariance)},
                    {"convergence", to_value(fit.convergence)},
                    {"presample", fit.presample},
                    {"state",
                     {{"shock", fit.shocks.back()},
                      {"variance", fit.variances.back()},
                      {"log_likelihood", number(fit.log_likelihood)}}},
                    {"warnings", to_value(fit.warnings)},
                    {"series", of_series(fit.window())}};
  write_whole(path, out.dump(1) + '\n');
}

bool is_saved_model(const std::string& path) {
  std::error_code none;
  // What is read once only, such as a pipe, must not be looked into first.
  if (path == "-" || !std::filesystem::is_regular_file(path, none)) return false;
  // No table of numbers begins with a brace.
  std::ifstream in(path, std::ios::binary);
  char first = 0;
  return in >> first && first == '{';
}

Fit load_model(const std::string& path) {
  const std::string content = read_whole(path);
  const auto refuse = [&](const std::string& why) {
    return Error(
        ErrorCode::bad_saved_model,
        fmt::format("{}: is not a saved model ({}); make one with `save_model`", path, why));
  };
  try {
    const Json parsed = Json::parse(content, nullptr, /*allow_exceptions=*/false);
    if (parsed.is_discarded()) throw std::invalid_argument("it is not JSON, or was cut off");
    const JsonReader j(parsed);
    if (!j.has("format") || j["format"].text() != kFormat)
      throw std::invalid_argument(R"(no "format": "brace-model")");
    if (j["version"].count() != kVersion)
      throw std::invalid_argument(
          fmt::format("version {}, this program reads {}", j["version"].count(), kVersion));
    return fit_from(j);
  } catch (const std::invalid_argument& e) {
    throw refuse(e.what());
  }
}

}  // namespace brace::inline v0
