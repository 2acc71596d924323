// SPDX-License-Identifier: Apache-2.0
// A fit written out: equations, then a sentence a coefficient. Covered by
// tests/model/equation_test.cpp.
#include <fmt/format.h>

#include <cmath>
#include <map>

#include "brace/base/text.hpp"
#include "brace/model/fit.hpp"
#include "model/lag_product.hpp"

namespace brace {
namespace {

// " + 0.43 B^2" or " - 0.43 B^2".
std::string term(double c, const std::string& what) {
  return fmt::format(" {} {} {}", c < 0 ? '-' : '+', text::significant(std::abs(c), 3), what);
}

std::string power(int lag) {
  return lag == 1 ? "B" : fmt::format("B^{}", lag);
}

// "(1 - 0.43 B + 0.1 B^2)"; nothing for an empty set.
std::string factor(const Lags& lags, const double* c, double sign) {
  if (lags.empty()) return "";
  std::string text = "(1";
  for (std::size_t i = 0; i < lags.size(); ++i) text += term(sign * c[i], power(lags[i]));
  return text + ")";
}

// "2.3 t", "0.4 cos(2 pi t / 12)", "0.8 x_t".
std::string regressor(const std::string& name) {
  if (name == "trend") return "t";
  for (const std::string_view wave : {"cos", "sin"})
    if (name.starts_with(wave)) {
      const std::string rest = name.substr(3);
      const std::size_t dot = rest.find('.');
      const std::string pair = rest.substr(dot + 1), period = rest.substr(0, dot);
      return fmt::format("{}(2 pi {}t / {})", wave, pair == "1" ? "" : pair + " ", period);
    }
  return name.substr(std::string_view("with:").size()) + "_t";
}

std::string mean_equations(const Fit& fit) {
  const Mean& m = fit.model.mean;
  const MeanPositions at = mean_positions(fit.model);
  const std::vector<double> theta = fit.estimates();
  const auto* c = theta.data();
  std::string differences;
  for (const int d : m.differences) differences += fmt::format("(1 - {}) ", power(d));
  std::string right;
  for (const std::size_t j : at.regression) {
    const std::string& name = fit.parameters[j].name;
    if (name == "mu") {
      right = text::significant(theta[j], 4);
      continue;
    }
    // Differences fall on regressors as they do on y.
    const std::string what = differences.empty() ? regressor(name) : differences + regressor(name);
    right += right.empty() ? fmt::format("{} {}", text::significant(theta[j], 3), what)
                           : term(theta[j], what).substr(1).insert(0, " ");
  }
  const std::string ar =
      factor(m.seasonal_ar, c + at.seasonal_ar, -1) + factor(m.ar, c + at.ar, -1);
  const std::string ma = factor(m.ma, c + at.ma, 1) + factor(m.seasonal_ma, c + at.seasonal_ma, 1);
  const bool lags = !ar.empty() || !ma.empty();
  std::string out = fmt::format("  {}y_t = {}{}\n", differences, right.empty() ? "" : right + " + ",
                                lags ? "u_t" : "e_t");
  if (lags)
    out +=
        fmt::format("  {}{}u_t = {}{}e_t\n", ar, ar.empty() ? "" : " ", ma, ma.empty() ? "" : " ");
  return out;
}

std::string variance_equation(const Fit& fit) {
  const ParameterNames names = parameter_names(fit.model);
  const std::vector<double> theta = fit.estimates();
  const std::size_t first = names.mean.size();
  std::string law(law_name(fit.model.shocks));
  for (std::size_t j = first + names.variance.size(); j < theta.size(); ++j)
    law += fmt::format(", {} {}", fit.parameters[j].name, text::significant(theta[j], 3));
  if (std::holds_alternative<Steady>(fit.model.variance))
    return fmt::format("  e_t {}, variance {}\n", law, text::significant(theta[first], 4));
  std::string out = fmt::format("  h_t = {}", text::significant(theta[first], 3));
  for (std::size_t j = first + 1; j < first + names.variance.size(); ++j) {
    const std::string& name = fit.parameters[j].name;
    const std::string lag = name.substr(name.find_first_of("0123456789"));
    out += term(theta[j], name.starts_with("alpha") ? fmt::format("e_t-{}^2", lag)
                                                    : fmt::format("h_t-{}", lag));
  }
  return out + fmt::format("\n  e_t = sqrt(h_t) z_t, z {}\n", law);
}

std::string rows(int lag, const Fit& fit) {
  return fmt::format("{} {}{}", lag, fit.series->period(), lag == 1 ? "" : "s");
}

std::string sentence_of(const Parameter& p, const Fit& fit) {
  const std::string value = text::estimate(p.estimate, p.se);
  const std::string period(fit.series->period());
  const auto lag_after = [&](std::string_view stem) {
    return std::stoi(p.name.substr(stem.size()));
  };
  const bool differenced = !fit.model.mean.differences.empty();
  if (p.name == "mu")
    return differenced ? fmt::format("the difference is {} on average", value)
                       : fmt::format("the series lies around {} when no shock is at work", value);
  if (p.name == "trend")
    return fmt::format("each {} adds {} to where the series lies", period, value);
  if (p.name.starts_with("sar"))
    return fmt::format("{} of where the series stood against its mean {} ago comes back", value,
                       rows(lag_after("sar"), fit));
  if (p.name.starts_with("sma"))
    return fmt::format("{} of the surprise of {} ago comes back", value,
                       rows(lag_after("sma"), fit));
  if (p.name.starts_with("ar"))
    return fmt::format("{} of the deviation from the mean {} ago is carried on", value,
                       rows(lag_after("ar"), fit));
  if (p.name.starts_with("ma"))
    return fmt::format("{} of the surprise of {} ago still shows", value,
                       rows(lag_after("ma"), fit));
  if (p.name.starts_with("cos") || p.name.starts_with("sin"))
    return fmt::format("the wave {} has a part of height {}", regressor(p.name), value);
  if (p.name.starts_with("with:"))
    return fmt::format("one more of {} goes with {} in the series", p.name.substr(5), value);
  if (p.name == "sigma2")
    return fmt::format("surprises have a standard deviation of {}",
                       text::significant(std::sqrt(p.estimate), 3));
  if (p.name == "omega") return fmt::format("each {} adds {} to the variance", period, value);
  if (p.name.starts_with("alpha"))
    return fmt::format("{} of the squared surprise of {} ago enters the variance", value,
                       rows(lag_after("alpha"), fit));
  if (p.name.starts_with("beta"))
    return fmt::format("{} of the variance of {} ago is carried on", value,
                       rows(lag_after("beta"), fit));
  return fmt::format("the law of the shocks has {} {}", p.name, value);
}

}  // namespace

std::string equation(const Fit& fit) {
  std::string out = mean_equations(fit) + variance_equation(fit);
  out += fmt::format("  y: {}; B y_t = y_t-1{}\n\n", fit.series->name,
                     fit.model.mean.trend || !fit.model.mean.harmonics.empty()
                         ? fmt::format("; t = 1 at {}", fit.series->when(fit.first))
                         : "");
  for (const Parameter& p : fit.parameters) {
    std::string note;
    if (p.held)
      note = " (held)";
    else if (p.at_bound)
      note = " (pinned at its bound)";
    else if (p.p_value.value_or(0) > 0.05)
      note = fmt::format(" (not told apart from zero, p {})", text::p_value(p.p_value));
    out += text::wrap(fmt::format("{}: {}{}.", p.name, sentence_of(p, fit), note), 100, "  ");
  }
  return out;
}

}  // namespace brace
