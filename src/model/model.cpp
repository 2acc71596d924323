// SPDX-License-Identifier: Apache-2.0
// Canonical models and their parameter names. Covered by tests/model/model_line_test.cpp.
#include "brace/model/model.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "model/spelling.hpp"

namespace brace::inline v0 {
namespace {

template <class T>
void sort_unique(std::vector<T>& items) {
  std::sort(items.begin(), items.end());
  items.erase(std::unique(items.begin(), items.end()), items.end());
}

void tidy(Lags& lags, std::string_view term) {
  sort_unique(lags);
  for (const int lag : lags)
    if (lag < 1)
      throw Error(ErrorCode::bad_model_line,
                  fmt::format("model line: '{}{}': a lag is a whole number from 1", term, lag));
}

template <class... Families>
constexpr bool has_lags(const Variance& v) {
  return (std::holds_alternative<Families>(v) || ...);
}

void append(std::vector<std::string>& names, std::string_view stem, const Lags& lags) {
  for (const int lag : lags) names.emplace_back(stem).append(std::to_string(lag));
}

void append(std::vector<std::string>& names, std::string_view stem,
            const std::vector<Regressor>& regressors) {
  for (const Regressor& r : regressors) names.push_back(fmt::format("{}:{}", stem, spell(r)));
}

}  // namespace

int arma_terms(const Model& model) {
  const Mean& m = model.mean;
  return static_cast<int>(m.ar.size() + m.ma.size() + m.seasonal_ar.size() + m.seasonal_ma.size());
}

std::string_view family_name(const Variance& variance) {
  return kFamilies[variance.index()];
}

std::string_view law_name(const Shocks& shocks) {
  return kLaws[shocks.index()];
}

const Lags* shock_lags(const Variance& variance) {
  return std::visit(
      [](const auto& family) -> const Lags* {
        if constexpr (requires { family.e; }) return &family.e;
        return nullptr;
      },
      variance);
}

const Lags* variance_lags(const Variance& variance) {
  return std::visit(
      [](const auto& family) -> const Lags* {
        if constexpr (requires { family.h; }) return &family.h;
        return nullptr;
      },
      variance);
}

Model canonical(Model model) {
  Mean& mean = model.mean;
  if (mean.trend && mean.differences.empty()) mean.constant = true;  // a trend line has a height
  // A trend's difference is the mean of the differences; twice differenced it is gone.
  if (mean.trend && !mean.differences.empty() && (mean.constant || mean.differences.size() > 1))
    throw Error(ErrorCode::bad_model_line,
                fmt::format("model line: 'trend' beside {} is what 'const' is there; drop 'trend'",
                            mean.constant ? "'const' and a difference" : "two differences"));
  std::sort(mean.differences.begin(), mean.differences.end());  // repeats are meant
  for (const int d : mean.differences)
    if (d < 1)
      throw Error(ErrorCode::bad_model_line,
                  fmt::format("model line: 'diff{}': the span is a whole number from 1", d));
  tidy(mean.ar, "ar");
  tidy(mean.ma, "ma");
  tidy(mean.seasonal_ar, "sar");
  tidy(mean.seasonal_ma, "sma");
  for (const Harmonics& h : mean.harmonics)
    if (h.period < 2 || h.pairs < 1 || 2 * h.pairs > h.period)
      throw Error(
          ErrorCode::bad_model_line,
          fmt::format("model line: 'harmonics {}:{}': pairs lie between 1 and half the period",
                      h.period, h.pairs));
  sort_unique(mean.harmonics);
  sort_unique(mean.regressors);
  sort_unique(model.variance_regressors);
  std::visit(
      [](auto& family) {
        if constexpr (requires { family.e; }) tidy(family.e, "e");
        if constexpr (requires { family.h; }) tidy(family.h, "h");
      },
      model.variance);
  if (const Lags* lags = shock_lags(model.variance); lags && lags->empty())
    throw Error(ErrorCode::bad_model_line,
                fmt::format("model line: '{}' needs at least one shock lag, such as e1",
                            family_name(model.variance)));

  if (const Lags* lags = variance_lags(model.variance);
      std::holds_alternative<Igarch>(model.variance) && lags->empty())
    throw Error(ErrorCode::bad_model_line,
                "model line: 'igarch' needs at least one variance lag, such as h1");
  if (mean.risk && !mean.differences.empty())
    throw Error(ErrorCode::bad_model_line,
                "model line: 'risk' beside a difference has no meaning: the volatility would be "
                "differenced too; take returns instead of 'diff'");
  if (mean.risk && std::holds_alternative<Steady>(model.variance))
    throw Error(ErrorCode::bad_model_line,
                "model line: 'risk' needs a variance that moves, such as '/ garch'");

  const std::vector<std::string> names = parameter_names(model).all();
  std::vector<Held> in_order;
  for (const std::string& name : names)
    for (const Held& held : model.held)
      if (held.name == name) {
        if (!in_order.empty() && in_order.back().name == name &&
            in_order.back().value != held.value)
          throw Error(ErrorCode::bad_model_line,
                      fmt::format("model line: '{}' is held at two values; keep one", name));
        if (in_order.empty() || in_order.back().name != name) in_order.push_back(held);
      }
  for (const Held& held : model.held) {
    if (!std::isfinite(held.value))
      throw Error(ErrorCode::bad_model_line,
                  fmt::format("model line: '{}' must be held at a finite number", held.name));
    if (std::find(names.begin(), names.end(), held.name) == names.end()) {
      const auto near = text::nearest(held.name, names);
      throw Error(ErrorCode::bad_model_line,
                  fmt::format("model line: '{}' is not a parameter of this model{}; it has {}",
                              held.name, near ? fmt::format(" (did you mean '{}'?)", *near) : "",
                              fmt::join(names, ", ")));
    }
  }
  model.held = std::move(in_order);
  return model;
}

std::vector<std::string> ParameterNames::all() const {
  std::vector<std::string> names = mean;
  names.insert(names.end(), variance.begin(), variance.end());
  names.insert(names.end(), shocks.begin(), shocks.end());
  return names;
}

ParameterNames parameter_names(const Model& model) {
  ParameterNames names;
  const Mean& m = model.mean;
  if (m.constant) names.mean.emplace_back("mu");
  if (m.trend) names.mean.emplace_back("trend");
  append(names.mean, "ar", m.ar);
  append(names.mean, "ma", m.ma);
  append(names.mean, "sar", m.seasonal_ar);
  append(names.mean, "sma", m.seasonal_ma);
  for (const Harmonics& h : m.harmonics)
    for (int pair = 1; pair <= h.pairs; ++pair) {
      names.mean.push_back(fmt::format("cos{}.{}", h.period, pair));
      // The sine of half the period is 0 at every observation.
      if (2 * pair < h.period) names.mean.push_back(fmt::format("sin{}.{}", h.period, pair));
    }
  append(names.mean, "with", m.regressors);
  if (m.risk) names.mean.emplace_back("risk");

  std::vector<std::string>& v = names.variance;
  const Variance& family = model.variance;
  std::visit(
      [&]<class Family>(const Family& f) {
        if constexpr (requires { Family::parameters; }) {
          v.assign(Family::parameters.begin(), Family::parameters.end());
        } else {
          v.emplace_back("omega");
          append(v, "alpha", f.e);
          if (has_lags<Gjr, Egarch, Aparch>(family)) append(v, "gamma", f.e);
          if constexpr (requires { f.h; }) append(v, "beta", f.h);
          // The last beta of an integrated model is what makes the sum one: it is derived.
          if (has_lags<Igarch>(family) && !variance_lags(family)->empty()) v.pop_back();
          if (has_lags<Aparch>(family)) v.emplace_back("delta");
        }
      },
      family);
  append(v, "vwith", model.variance_regressors);

  std::visit(
      [&](const auto& law) { names.shocks.assign(law.parameters.begin(), law.parameters.end()); },
      model.shocks);
  return names;
}

namespace {

// Weekday or month of each date.
int category_of(Regressor::Source source, Timestamp when) {
  const auto day = std::chrono::floor<std::chrono::days>(when);
  return source == Regressor::Source::weekday
             ? static_cast<int>(std::chrono::weekday(day).c_encoding())
             : static_cast<int>(static_cast<unsigned>(std::chrono::year_month_day(day).month()));
}

std::vector<Regressor> write_out(const std::vector<Regressor>& terms, const Series& series) {
  std::vector<Regressor> out;
  for (const Regressor& r : terms) {
    if (r.source == Regressor::Source::column) {
      const bool known = std::any_of(series.companions.begin(), series.companions.end(),
                                     [&](const Companion& c) { return c.name == r.column; });
      if (!known)
        throw Error(ErrorCode::bad_model_line,
                    fmt::format("model line: 'with {}': there is no column '{}' beside {}",
                                spell(r), r.column, series.name));
    } else if (series.times.empty()) {
      throw Error(
          ErrorCode::bad_model_line,
          fmt::format("model line: 'with {}' needs dates, and {} has none", spell(r), series.name));
    }
    const bool dummies =
        r.source == Regressor::Source::weekday || r.source == Regressor::Source::month;
    if (!dummies || r.category) {
      out.push_back(r);
      continue;
    }
    std::vector<int> found;
    for (const Timestamp when : series.times) found.push_back(category_of(r.source, when));
    sort_unique(found);
    // The week begins on Monday: the first that there is stands for the constant.
    if (r.source == Regressor::Source::weekday && found.size() > 1 && found.front() == 0)
      std::rotate(found.begin(), found.begin() + 1, found.end());
    if (found.size() < 2)
      throw Error(ErrorCode::bad_model_line,
                  fmt::format("model line: 'with {}': all rows of {} fall on the same one",
                              spell(r), series.name));
    for (std::size_t i = 1; i < found.size(); ++i) {
      Regressor one = r;
      one.category = found[i];
      out.push_back(one);
    }
  }
  return out;
}

}  // namespace

Model resolved(Model model, const Series& series) {
  model.mean.regressors = write_out(model.mean.regressors, series);
  model.variance_regressors = write_out(model.variance_regressors, series);
  return canonical(std::move(model));
}

}  // namespace brace::inline v0
