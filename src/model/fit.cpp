// SPDX-License-Identifier: Apache-2.0
// Fit: small derived values and its printed table. Covered by tests/model/estimate_test.cpp.
#include "brace/model/fit.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <ostream>

#include "brace/base/text.hpp"
#include "brace/model/model_line.hpp"

namespace brace {

std::string_view to_string(FitStatus status) {
  switch (status) {
    case FitStatus::not_run: return "not-run";
    case FitStatus::converged: return "converged";
    case FitStatus::boundary: return "boundary";
    case FitStatus::failed: return "failed";
  }
  return "failed";
}

std::string_view to_string(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::automatic: return "automatic";
    case ErrorKind::hessian: return "hessian";
    case ErrorKind::opg: return "opg";
    case ErrorKind::robust: return "robust";
  }
  return "robust";
}

bool Fit::usable() const {
  return convergence.status == FitStatus::converged || convergence.status == FitStatus::boundary;
}

std::vector<double> Fit::estimates() const {
  std::vector<double> theta;
  theta.reserve(parameters.size());
  for (const Parameter& p : parameters) theta.push_back(p.estimate);
  return theta;
}

Series Fit::window() const {
  Series part = *series;
  part.keep_rows(first, first + count);
  return part;
}

Series Fit::standardised() const {
  Series z = window();
  z.name = "standardised residual";
  z.unit = "";
  z.kind = Kind::values;
  for (std::size_t t = 0; t < z.values.size(); ++t)
    z.values[t] =
        counted[t] ? shocks[t] / std::sqrt(variances[t]) : std::numeric_limits<double>::quiet_NaN();
  return z;
}

namespace {

// "percent a day", "decimal a month", or nothing where no unit is known.
std::string unit_of(const Fit& fit) {
  return fit.series->unit.empty() ? ""
                                  : fmt::format("{} a {}", fit.series->unit, fit.series->period());
}

// What the estimates say in a sentence.
std::string headline(const Fit& fit) {
  const std::string label = to_string(fit.model);
  switch (fit.convergence.status) {
    case FitStatus::not_run: return label + " was not estimated.";
    case FitStatus::failed: return label + " did not converge: these are not estimates.";
    case FitStatus::boundary:
      return fmt::format("{} ends on a bound: read the warning before the numbers.", label);
    case FitStatus::converged: break;
  }
  std::string text = label + " converged.";
  if (fit.persistence && fit.half_life)
    text += fmt::format(" Half of a shock to the variance is gone after {} {}s.",
                        text::significant(*fit.half_life, 2), fit.series->period());
  for (const Parameter& p : fit.parameters)
    if (p.name == "nu" && p.estimate < 10) text += " The shocks are heavy-tailed.";
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
                         fit.parameters[j].name == "mu" ? unit_of(fit) : "");
  }
  out << '\n';
  if (fit.persistence) {
    std::string line = fmt::format("  persistence {}", text::fixed(fit.persistence, 3));
    if (fit.half_life)
      line += fmt::format(", half-life {} {}s", text::significant(*fit.half_life, 2),
                          fit.series->period());
    if (fit.unconditional_variance) {
      const double sd = std::sqrt(*fit.unconditional_variance);
      line += fmt::format("; long-run volatility {}{}{}", text::significant(sd, 3),
                          fit.series->unit.empty() ? "" : " ", unit_of(fit));
      if (const auto year = periods_per_year(fit.series->clock))
        line += fmt::format(", {} a year", text::significant(sd * std::sqrt(*year), 3));
    }
    out << line << '\n';
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
  for (const Warning& warning : fit.warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
