// SPDX-License-Identifier: Apache-2.0
// The saved-model schema, version 1 (docs/saved-model.md). Covered by
// tests/io/json_test.cpp.
#include "brace/io/saved_model.hpp"

#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/io/files.hpp"
#include "brace/io/json.hpp"
#include "brace/model/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "io/json_values.hpp"

namespace brace {
namespace {

constexpr std::string_view kFormat = "brace-model";
constexpr int kVersion = 1;

// How far the stored last variance and likelihood may lie from those found again, relative: other
// processors round logarithms and products otherwise.
constexpr double kStateTolerance = 1e-9;

constexpr std::pair<Kind, std::string_view> kKinds[] = {{Kind::values, "values"},
                                                        {Kind::log_level, "log-level"},
                                                        {Kind::log_return, "log-return"},
                                                        {Kind::simple_return, "simple-return"}};

template <class T, std::size_t N>
std::string_view word_of(const std::pair<T, std::string_view> (&table)[N], T value) {
  for (const auto& [known, word] : table)
    if (known == value) return word;
  return table[0].second;
}

template <class T, std::size_t N>
T value_of(const std::pair<T, std::string_view> (&table)[N], const std::string& word) {
  for (const auto& [value, known] : table)
    if (known == word) return value;
  throw std::invalid_argument(fmt::format("'{}' is not a known word", word));
}

constexpr std::pair<FitStatus, std::string_view> kStatuses[] = {{FitStatus::failed, "failed"},
                                                                {FitStatus::converged, "converged"},
                                                                {FitStatus::boundary, "boundary"}};
constexpr std::pair<ErrorKind, std::string_view> kErrors[] = {
    {ErrorKind::robust, "robust"}, {ErrorKind::hessian, "hessian"}, {ErrorKind::opg, "opg"}};

std::optional<double> maybe(const Json& value) {
  return value.is_null() ? std::nullopt : std::optional(value.get<double>());
}

Json of_series(const Series& s) {
  Json values = Json::array(), dates = Json::array();
  for (const double v : s.values) values.push_back(std::isnan(v) ? Json(nullptr) : Json(v));
  for (const Timestamp when : s.times) dates.push_back(format_date(when));
  Json dropped = Json::array();
  for (const Account::Dropped& d : s.account.dropped)
    dropped.push_back({{"because", d.because}, {"rows", d.rows}});
  Json companions = Json::array();
  for (const Companion& c : s.companions) {
    Json column = Json::array();
    for (const double v : c.values) column.push_back(std::isnan(v) ? Json(nullptr) : Json(v));
    companions.push_back({{"name", c.name}, {"values", std::move(column)}});
  }
  return {{"name", s.name},
          {"unit", s.unit},
          {"kind", word_of(kKinds, s.kind)},
          {"every", to_string(s.clock)},
          {"file", s.file},
          {"rows_read", s.account.rows_read},
          {"dropped", std::move(dropped)},
          {"notes", s.account.notes},
          {"dates", std::move(dates)},
          {"values", std::move(values)},
          {"companions", std::move(companions)}};
}

Series series_from(const Json& j) {
  Series s;
  s.name = j.at("name");
  s.unit = j.at("unit");
  s.kind = value_of(kKinds, j.at("kind"));
  s.clock = clock_from(j.at("every").get<std::string>()).value();
  s.file = j.at("file");
  s.account.rows_read = j.at("rows_read");
  for (const Json& d : j.at("dropped"))
    s.account.dropped.push_back({d.at("because"), d.at("rows")});
  s.account.notes = j.at("notes");
  const auto numbers = [](const Json& column) {
    std::vector<double> out;
    for (const Json& v : column)
      out.push_back(maybe(v).value_or(std::numeric_limits<double>::quiet_NaN()));
    return out;
  };
  s.values = numbers(j.at("values"));
  // Files written before there were regressors have none.
  if (j.contains("companions"))
    for (const Json& c : j.at("companions"))
      s.companions.push_back({c.at("name"), numbers(c.at("values"))});
  for (const Json& d : j.at("dates")) s.times.push_back(parse_date(d.get<std::string>()).value());
  return s;
}

Parameter parameter_from(const Json& j) {
  Parameter p;
  p.name = j.at("name");
  p.estimate = j.at("estimate");
  p.se_hessian = maybe(j.at("se_hessian"));
  p.se_opg = maybe(j.at("se_opg"));
  p.se_robust = maybe(j.at("se_robust"));
  p.se = maybe(j.at("se"));
  p.t = maybe(j.at("t"));
  p.p_value = maybe(j.at("p_value"));
  p.held = j.at("held");
  p.at_bound = j.at("at_bound");
  return p;
}

WarningCode warning_from(const std::string& word) {
  for (int code = 0; code <= static_cast<int>(WarningCode::draws_rejected); ++code)
    if (to_string(static_cast<WarningCode>(code)) == word) return static_cast<WarningCode>(code);
  throw std::invalid_argument(fmt::format("'{}' is not a known warning", word));
}

Fit fit_from(const Json& j) {
  KnownFit known;
  known.model = parse_model(j.at("model").get<std::string>());
  const std::vector<std::string> names = parameter_names(known.model).all();
  for (const Json& p : j.at("parameters")) known.parameters.push_back(parameter_from(p));
  if (known.parameters.size() != names.size())
    throw std::invalid_argument("parameters do not fit the model line");
  for (std::size_t i = 0; i < names.size(); ++i)
    if (known.parameters[i].name != names[i])
      throw std::invalid_argument("parameters do not fit the model line");
  const auto k = static_cast<Eigen::Index>(names.size());
  known.covariance = Eigen::MatrixXd::Zero(k, k);
  const Json& covariance = j.at("covariance");
  for (Eigen::Index r = 0; r < k; ++r)
    for (Eigen::Index c = 0; c < k; ++c)
      known.covariance(r, c) =
          covariance.at(static_cast<std::size_t>(r)).at(static_cast<std::size_t>(c));
  known.errors = value_of(kErrors, j.at("errors"));
  const Json& c = j.at("convergence");
  known.convergence = {.status = value_of(kStatuses, c.at("status")),
                       .why = c.at("why"),
                       .gradient_norm = maybe(c.at("gradient_norm")),
                       .iterations = c.at("iterations"),
                       .evaluations = c.at("evaluations"),
                       .starts = c.at("starts")};
  known.presample = j.at("presample").get<double>();
  // Files written before the exact likelihood hold conditional fits.
  known.likelihood = j.value("likelihood", "conditional") == "exact" ? LikelihoodKind::exact
                                                                     : LikelihoodKind::conditional;
  for (const Json& w : j.at("warnings"))
    known.warnings.push_back(
        {warning_from(w.at("code").get<std::string>()), w.at("text").get<std::string>()});
  Fit fit = restore(std::move(known), std::make_shared<Series>(series_from(j.at("series"))));
  const Json& state = j.at("state");
  const auto agrees = [](double got, double stored) {
    return std::abs(got - stored) <= kStateTolerance * (1 + std::abs(stored));
  };
  if (fit.variances.empty() || !fit.log_likelihood ||
      !agrees(fit.variances.back() / state.at("variance").get<double>(), 1) ||
      !agrees(*fit.log_likelihood, state.at("log_likelihood")))
    throw std::invalid_argument(
        "its data and parameters do not reproduce its last state: it was changed by hand");
  return fit;
}

}  // namespace

void save_model(const Fit& fit, const std::string& path) {
  if (fit.variances.empty())
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}' is {}: there is no state to save", to_string(fit.model),
                            to_string(fit.convergence.status)));
  Json parameters = Json::array(), covariance = Json::array();
  for (const Parameter& p : fit.parameters) parameters.push_back(to_value(p));
  const auto k = static_cast<Eigen::Index>(fit.parameters.size());
  for (Eigen::Index r = 0; r < k; ++r) {
    Json row = Json::array();
    for (Eigen::Index c = 0; c < k; ++c)
      row.push_back(fit.covariance.size() > 0 ? number(fit.covariance(r, c)) : Json(0));
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
  if (path == "-") return false;
  std::ifstream in(path, std::ios::binary);
  std::string head(200, '\0');
  in.read(head.data(), static_cast<std::streamsize>(head.size()));
  head.resize(static_cast<std::size_t>(std::max<std::streamsize>(0, in.gcount())));
  const std::size_t first = head.find_first_not_of(" \t\r\n");
  return first != std::string::npos && head[first] == '{' &&
         head.find("\"format\"") != std::string::npos && head.find(kFormat) != std::string::npos;
}

Fit load_model(const std::string& path) {
  const std::string content = read_whole(path);
  const auto refuse = [&](const std::string& why) {
    return Error(ErrorCode::bad_saved_model,
                 fmt::format("{}: is not a saved model ({}); make one with brace fit ... --save",
                             path, why));
  };
  try {
    const Json j = Json::parse(content);
    if (!j.is_object() || j.value("format", "") != kFormat)
      throw std::invalid_argument(R"(no "format": "brace-model")");
    if (j.at("version") != kVersion)
      throw std::invalid_argument(
          fmt::format("version {}, this program reads {}", j.at("version").dump(), kVersion));
    return fit_from(j);
  } catch (const Json::exception& e) {
    throw refuse(e.what());
  } catch (const std::invalid_argument& e) {
    throw refuse(e.what());
  } catch (const std::bad_optional_access&) {
    throw refuse("a date or a clock cannot be read");
  }
}

}  // namespace brace
