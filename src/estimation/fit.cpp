// SPDX-License-Identifier: Apache-2.0
// Fit: small derived values and its printed table. Covered by tests/estimation/estimate_test.cpp.
#include "brace/estimation/fit.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/model/model_line.hpp"

namespace brace::inline v0 {

std::string_view to_string(FitStatus status) {
  switch (status) {
    case FitStatus::not_run: return "not-run";
    case FitStatus::converged: return "converged";
    case FitStatus::boundary: return "boundary";
    case FitStatus::failed: return "failed";
  }
  return "failed";
}

std::string_view to_string(StandardErrors kind) {
  switch (kind) {
    case StandardErrors::automatic: return "automatic";
    case StandardErrors::hessian: return "hessian";
    case StandardErrors::opg: return "opg";
    case StandardErrors::robust: return "robust";
  }
  return "robust";
}

bool Fit::usable() const {
  return convergence.status == FitStatus::converged || convergence.status == FitStatus::boundary;
}

bool Fit::has(std::string_view name) const {
  return std::any_of(parameters.begin(), parameters.end(),
                     [&](const Parameter& p) { return p.name == name; });
}

const Parameter& Fit::operator[](std::string_view name) const {
  for (const Parameter& p : parameters)
    if (p.name == name) return p;
  std::vector<std::string> names;
  for (const Parameter& p : parameters) names.push_back(p.name);
  throw Error(ErrorCode::bad_option,
              names.empty() ? fmt::format("there is no parameter '{}': nothing was fitted", name)
                            : fmt::format("there is no parameter '{}' in '{}'; it has {}", name,
                                          to_string(model), fmt::join(names, ", ")));
}

void require_path(const Fit& fit, std::string_view task) {
  if (fit.variances.empty() || fit.variances.size() != fit.count)
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: the fit of '{}' does not hold its path; keep it "
                            "(EstimateOptions::keep_path) or restore() the fit",
                            task, to_string(fit.model)));
}

std::vector<double> Fit::estimates() const {
  std::vector<double> theta;
  theta.reserve(parameters.size());
  for (const Parameter& p : parameters) theta.push_back(p.estimate);
  return theta;
}

Series Fit::window() const {
  if (!series) return {};
  Series part = *series;
  part.keep_rows(first, first + count);
  return part;
}

bool Fit::adds_up() const {
  return lost > 0 || counts_from_zero(window());
}

std::vector<FittedRow> fitted_rows(const Fit& fit) {
  std::vector<FittedRow> rows(fit.count);
  for (std::size_t t = 0; t < fit.count; ++t) {
    FittedRow& row = rows[t];
    if (!fit.series->times.empty()) row.date = fit.series->times[fit.first + t];
    const double actual = fit.data()[t];
    if (!std::isnan(actual)) row.actual = actual;
    if (t >= fit.lost && t < fit.variances.size()) row.volatility = std::sqrt(fit.variances[t]);
    if (!row.actual || t >= fit.counted.size() || !fit.counted[t]) continue;
    row.residual = fit.shocks[t];
    row.fitted = actual - fit.shocks[t];
    row.standardised = fit.shocks[t] / *row.volatility;
  }
  return rows;
}

Series Fit::standardised() const {
  require_path(*this, "standardised residuals");
  Series z = window();
  z.name = "standardised residual";
  z.unit.reset();
  z.kind = SeriesKind::values;
  for (std::size_t t = 0; t < z.values.size(); ++t)
    z.values[t] =
        counted[t] ? shocks[t] / std::sqrt(variances[t]) : std::numeric_limits<double>::quiet_NaN();
  return z;
}

namespace {

// Whether falls and rises of one size move volatility alike, where the family tells them apart.
std::string leverage(const Fit& fit) {
  const bool by_log = std::holds_alternative<Egarch>(fit.model.variance);
  for (const Parameter& p : fit.parameters)
    if (p.name.starts_with("gamma") && p.p_value && *p.p_value < 0.05)
      return (p.estimate < 0) == by_log ? " Falls raise volatility more than rises."
                                        : " Rises raise volatility more than falls.";
  return "";
}

// "0.988", or "0.988 (0.005)" with its error.
std::string with_error(const std::string& value, const std::optional<double>& error) {
  return error ? fmt::format("{} ({})", value, text::significant(*error, 2)) : value;
}

// What must be known before the first number is read; empty where nothing must.
std::string caution(const Fit& fit) {
  std::string text;
  if (has_warning(fit.warnings, WarningCode::level_modelled))
    text += fmt::format(
        "{} has a unit root by its tests: this model of its level means little, "
        "take returns or a difference. ",
        fit.series->name);
  if (has_warning(fit.warnings, WarningCode::few_rows_decide))
    text +=
        fmt::format("A few rows of {} outweigh all others in these estimates. ", fit.series->name);
  constexpr std::size_t kFar = 100;
  if (has_warning(fit.warnings, WarningCode::few_observations) && fit.n < kFar)
    text += fmt::format("{} are too few for a variance equation: these estimates are guesses. ",
                        text::plural(fit.n, "observation", "observations"));
  return text;
}

// "ar2" alone is lag 2 without lag 1, which not everybody means.
std::string left_out(const Fit& fit) {
  constexpr int kNear = 4;
  std::string text;
  for (const auto& [stem, lags] : {std::pair{"ar", &fit.model.mean.ar}, {"ma", &fit.model.mean.ma}})
    if (!lags->empty() && lags->front() > 1 && lags->front() <= kNear)
      text += fmt::format(
          " {}{} is that lag alone: {} left out.", stem, lags->front(),
          lags->front() == 2 ? "lag 1 is" : fmt::format("lags 1 to {} are", lags->front() - 1));
  return text;
}

// What the estimates say in a sentence.
std::string headline(const Fit& fit) {
  const std::string label = caution(fit) + to_string(fit.model);
  switch (fit.convergence.status) {
    case FitStatus::not_run: return label + " was not estimated.";
    case FitStatus::failed: return label + " did not converge: these are not estimates.";
    case FitStatus::boundary:
      return fmt::format("{} ends on a bound: read the warning before the numbers.", label);
    case FitStatus::converged: break;
  }
  std::string text = label + " converged." + left_out(fit);
  if (fit.half_life && *fit.half_life > static_cast<double>(fit.n))
    text += " A shock to the variance hardly fades.";
  else if (fit.persistence && fit.half_life)
    text += fmt::format(" Half of a shock to the variance is gone after {} {}s.",
                        text::significant(*fit.half_life, 2), fit.series->period());
  text += leverage(fit);
  const bool peaked = std::holds_alternative<Ged>(fit.model.shocks);
  for (const Parameter& p : fit.parameters) {
    if (p.name == "nu" && p.estimate < (peaked ? 1.9 : 10)) text += " The shocks are heavy-tailed.";
    if (p.name == "skew" && p.p_value && *p.p_value < 0.05)
      text +=
          p.estimate < 0 ? " Their left tail is the longer." : " Their right tail is the longer.";
  }
  return text;
}

std::string parameter_row(const Parameter& p, std::string_view part, std::string_view note) {
  const std::string error = p.held       ? "held"
                            : p.at_bound ? "at bound"
                            : p.se       ? text::estimate(*p.se, *p.se)
                                         : "-";
  std::string row = fmt::format(
      "  {:<10}{:<8}{:>12}{:>12}{:>11}{}{}", part, p.name, text::estimate(p.estimate, p.se), error,
      p.p_value ? text::p_value(p.p_value) : "", note.empty() ? "" : "   ", note);
  row.erase(row.find_last_not_of(' ') + 1);  // no blanks at the end of a line
  return row + '\n';
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Fit& fit) {
  out << text::wrap(headline(fit)) << '\n';
  if (fit.convergence.status == FitStatus::not_run) return out;
  const ParameterNames names = parameter_names(fit.model);
  out << fmt::format("  {:<18}{:>12}{:>12}{:>11}\n", "", "estimate", "error", "p");
  for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
    const std::size_t variance = names.mean.size(), shocks = variance + names.variance.size();
    const char* part = j == 0 && j < variance ? "mean"
                       : j == variance        ? "variance"
                       : j == shocks          ? "shocks"
                                              : "";
    out << parameter_row(fit.parameters[j], part,
                         fit.parameters[j].name == "mu" ? fit.series->unit_a_period() : "");
  }
  out << '\n';
  if (fit.persistence) {
    std::string line = fmt::format(
        "  persistence {}", with_error(text::fixed(fit.persistence, 3), fit.persistence_error));
    if (fit.half_life)
      line += fmt::format(", half-life {} {}s",
                          with_error(text::significant(*fit.half_life, 2), fit.half_life_error),
                          fit.series->period());
    // Volatility's error from the variance's.
    const auto long_run = [&](const char* what, double variance, std::optional<double> error) {
      const double sd = std::sqrt(variance);
      if (error) *error /= 2 * sd;
      line += fmt::format("; {} {}{}{}", what, with_error(text::significant(sd, 3), error),
                          fit.series->unit ? " " : "", fit.series->unit_a_period());
      const std::optional<double> year = fit.series->rows_per_year();
      if (year && fit.adds_up())
        line += fmt::format(", {} a year", text::significant(sd * std::sqrt(*year), 3));
    };
    if (fit.unconditional_variance)
      long_run("long-run volatility", *fit.unconditional_variance,
               fit.unconditional_variance_error);
    else if (fit.typical_variance)
      long_run("typical volatility", *fit.typical_variance, fit.typical_variance_error);
    out << text::wrap(line.substr(2), 100, "  ");
    if (fit.persistence_error) out << "  errors by the delta method in brackets\n";
  }
  if (fit.log_likelihood)
    out << fmt::format("  log-likelihood {} ({}), {} observations, aic {}, bic {}; errors {}\n",
                       text::fixed(fit.log_likelihood, 2), fit.exact ? "exact" : "conditional",
                       text::count(fit.n), text::fixed(fit.aic, 1), text::fixed(fit.bic, 1),
                       to_string(fit.errors));
  out << text::wrap(
      fmt::format("certificate: {}; best of {} by {} steps", fit.convergence.why,
                  text::plural(static_cast<std::size_t>(fit.convergence.starts), "start", "starts"),
                  fit.convergence.iterations),
      100, "  ");
  print_warnings(out, fit.warnings);
  return out;
}

}  // namespace brace::inline v0
