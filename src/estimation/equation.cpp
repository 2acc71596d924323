// SPDX-License-Identifier: Apache-2.0
// A fit written out: equations, then a sentence a coefficient. Covered by
// tests/estimation/equation_test.cpp.
#include <fmt/format.h>

#include <cmath>
#include <optional>
#include <type_traits>
#include <variant>

#include "brace/base/text.hpp"
#include "brace/estimation/fit.hpp"
#include "families/shock_moments.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {
namespace {

// Digits of a coefficient: enough for the path to come out of the equation.
constexpr int kDigits = 6;

// " + 0.43 B^2" or " - 0.43 B^2".
std::string term(double c, const std::string& what) {
  return fmt::format(" {} {} {}", c < 0 ? '-' : '+', text::significant(std::abs(c), kDigits), what);
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
  return name.substr(std::string_view("with:").size()) + "[t]";
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
      right = text::significant(theta[j], kDigits);
      continue;
    }
    // Differences fall on regressors as they do on y.
    const std::string what = differences.empty() ? regressor(name) : differences + regressor(name);
    right += right.empty() ? fmt::format("{} {}", text::significant(theta[j], kDigits), what)
                           : term(theta[j], what).substr(1).insert(0, " ");
  }
  const std::string ar =
      factor(m.seasonal_ar, c + at.seasonal_ar, -1) + factor(m.ar, c + at.ar, -1);
  const std::string ma = factor(m.ma, c + at.ma, 1) + factor(m.seasonal_ma, c + at.seasonal_ma, 1);
  const bool lags = !ar.empty() || !ma.empty();
  if (m.risk) {
    const std::string what = *m.risk == RiskTerm::sd ? "sqrt(h[t])" : "h[t]";
    const double risk = theta[at.count - 1];
    right += right.empty() ? fmt::format("{} {}", text::significant(risk, kDigits), what)
                           : term(risk, what);
  }
  std::string out = fmt::format("  {}y[t] = {}{}\n", differences,
                                right.empty() ? "" : right + " + ", lags ? "u[t]" : "e[t]");
  if (lags)
    out += fmt::format("  {}{}u[t] = {}{}e[t]\n", ar, ar.empty() ? "" : " ", ma,
                       ma.empty() ? "" : " ");
  return out;
}

// ---- The variance, a form a family ----

// A sum written out term by term.
class Sum {
 public:
  Sum& constant(double c) {
    text_ += text::significant(c, kDigits);
    return *this;
  }
  Sum& add(double c, const std::string& what) {
    text_ +=
        text_.empty() ? fmt::format("{} {}", text::significant(c, kDigits), what) : term(c, what);
    return *this;
  }
  [[nodiscard]] const std::string& str() const { return text_; }

 private:
  std::string text_;
};

std::string ago(const char* what, int lag) {
  return fmt::format("{}[t-{}]", what, lag);
}

struct VarianceText {
  const Fit& fit;
  std::vector<double> theta;
  ParameterNames names;
  std::size_t first;

  explicit VarianceText(const Fit& of)
      : fit(of),
        theta(of.estimates()),
        names(parameter_names(of.model)),
        first(names.mean.size()) {}

  [[nodiscard]] double of(const std::string& name) const {
    for (std::size_t j = 0; j < names.variance.size(); ++j)
      if (names.variance[j] == name) return theta[first + j];
    return 0;
  }
  [[nodiscard]] double of(const char* stem, int lag) const {
    return of(fmt::format("{}{}", stem, lag));
  }
  // The regressors of the variance, which stand in the scale of the recursion.
  [[nodiscard]] std::string with_columns(Sum sum) const {
    for (std::size_t j = 0; j < names.variance.size(); ++j)
      if (names.variance[j].starts_with("vwith:"))
        sum.add(theta[first + j], names.variance[j].substr(6) + "[t]");
    return sum.str();
  }
  template <class Family>
  [[nodiscard]] std::string linear(const Family& f, double omega, bool signs) const {
    Sum sum;
    sum.constant(omega);
    for (const int i : f.e) sum.add(of("alpha", i), ago("e", i) + "^2");
    if (signs)
      for (const int i : f.e)
        sum.add(of("gamma", i), fmt::format("{}^2 ({} < 0)", ago("e", i), ago("e", i)));
    double left = 1;
    if constexpr (requires { f.h; }) {
      for (const int i : f.e) left -= of("alpha", i);
      for (const int j : f.h) {
        const bool rest = std::is_same_v<Family, Igarch> && j == f.h.back();
        sum.add(rest ? left : of("beta", j), ago("h", j));
        left -= of("beta", j);
      }
    }
    return fmt::format("  h[t] = {}\n", with_columns(std::move(sum)));
  }

  std::string operator()(const Steady&) const { return ""; }
  std::string operator()(const Arch& f) const { return linear(f, of("omega"), false); }
  std::string operator()(const Garch& f) const { return linear(f, of("omega"), false); }
  std::string operator()(const Igarch& f) const { return linear(f, of("omega"), false); }
  std::string operator()(const Gjr& f) const { return linear(f, of("omega"), true); }
  std::string operator()(const Ewma&) const {
    const double weight = of("weight");
    return fmt::format("  h[t] = {}\n",
                       with_columns(Sum().add(weight, "h[t-1]").add(1 - weight, "e[t-1]^2")));
  }
  std::string operator()(const Egarch& f) const {
    Sum sum;
    sum.constant(of("omega"));
    for (const int i : f.e) sum.add(of("alpha", i), fmt::format("(|{}| - E|z|)", ago("z", i)));
    for (const int i : f.e) sum.add(of("gamma", i), ago("z", i));
    for (const int j : f.h) sum.add(of("beta", j), fmt::format("ln {}", ago("h", j)));
    const std::vector<double> shape(
        theta.begin() + static_cast<std::ptrdiff_t>(first + names.variance.size()), theta.end());
    return fmt::format("  ln h[t] = {}\n  E|z| = {}\n", with_columns(std::move(sum)),
                       text::significant(mean_absolute(fit.model.shocks, shape), kDigits));
  }
  std::string operator()(const Aparch& f) const {
    const std::string delta = text::significant(of("delta"), kDigits);
    Sum sum;
    sum.constant(of("omega"));
    for (const int i : f.e)
      sum.add(
          of("alpha", i),
          fmt::format("(|{}| {} {} {})^{}", ago("e", i), of("gamma", i) < 0 ? '+' : '-',
                      text::significant(std::abs(of("gamma", i)), kDigits), ago("e", i), delta));
    for (const int j : f.h) sum.add(of("beta", j), fmt::format("{}^{}", ago("s", j), delta));
    return fmt::format("  s[t]^{} = {}\n  h[t] = s[t]^2\n", delta, with_columns(std::move(sum)));
  }
  std::string operator()(const TwoComponents&) const {
    Sum around, level;
    around.add(of("alpha1"), "(e[t-1]^2 - q[t-1])").add(of("beta1"), "(h[t-1] - q[t-1])");
    level.constant(of("omega")).add(of("rho"), "q[t-1]").add(of("phi"), "(e[t-1]^2 - h[t-1])");
    return fmt::format("  h[t] = q[t] + {}\n  q[t] = {}\n", with_columns(std::move(around)),
                       level.str());
  }
  std::string operator()(const LongMemory&) const {
    const double beta = of("beta1"), d = of("d"), phi = of("phi1");
    return fmt::format(
        "  h[t] = {} + sum of w(k) e[t-k]^2 over k = 1 .. 1000\n"
        "  w(1) = {}; w(k) = {} w(k-1) + ((k - 1 - {}) / k - {}) v(k-1)\n"
        "  v(1) = {}; v(k) = v(k-1) (k - 1 - {}) / k\n",
        with_columns(Sum().constant(of("omega") / (1 - beta))),
        text::significant(phi - beta + d, kDigits), text::significant(beta, kDigits),
        text::significant(d, kDigits), text::significant(phi, kDigits),
        text::significant(d, kDigits), text::significant(d, kDigits));
  }
};

std::string variance_equation(const Fit& fit) {
  const VarianceText write(fit);
  std::string law(law_name(fit.model.shocks));
  for (std::size_t j = write.first + write.names.variance.size(); j < write.theta.size(); ++j)
    law += fmt::format(", {} {}", fit.parameters[j].name, text::significant(write.theta[j], 3));
  if (std::holds_alternative<Steady>(fit.model.variance))
    return fmt::format("  e[t] {}, variance {}\n", law,
                       text::significant(write.theta[write.first], kDigits));
  return std::visit(write, fit.model.variance) +
         fmt::format("  e[t] = sqrt(h[t]) z[t], z {}\n", law);
}

std::string rows(int lag, const Fit& fit) {
  return fmt::format("{} {}{}", lag, fit.series->period(), lag == 1 ? "" : "s");
}

int lag_after(const Parameter& p, std::string_view stem) {
  return std::stoi(p.name.substr(stem.size()));
}

// What a parameter of each part says; empty where it is none of that part.
std::optional<std::string> sentence_of_mean(const Parameter& p, const Fit& fit,
                                            const std::string& value, const std::string& period) {
  const bool differenced = !fit.model.mean.differences.empty();
  if (p.name == "mu")
    return differenced ? fmt::format("the difference is {} on average", value)
                       : fmt::format("without shocks the series varies around {}", value);
  if (p.name == "trend")
    return fmt::format("each {} adds {} to the level of the series", period, value);
  if (p.name.starts_with("sar"))
    return fmt::format("{} of where the series stood against its mean {} ago comes back", value,
                       rows(lag_after(p, "sar"), fit));
  if (p.name.starts_with("sma"))
    return fmt::format("{} of the surprise of {} ago comes back", value,
                       rows(lag_after(p, "sma"), fit));
  if (p.name.starts_with("ar"))
    return fmt::format("{} of the deviation from the mean {} ago is carried on", value,
                       rows(lag_after(p, "ar"), fit));
  if (p.name.starts_with("ma"))
    return fmt::format("{} of the surprise of {} ago still shows", value,
                       rows(lag_after(p, "ma"), fit));
  if (p.name.starts_with("cos") || p.name.starts_with("sin"))
    return fmt::format("the wave {} has a part of height {}", regressor(p.name), value);
  if (p.name.starts_with("with:"))
    return fmt::format("one more of {} goes with {} in the series", p.name.substr(5), value);
  if (p.name == "sigma2")
    return fmt::format("surprises have a standard deviation of {}",
                       text::significant(std::sqrt(p.estimate), 3));
  if (p.name == "risk")
    return fmt::format("one more of the {} of a {} goes with {} in the series",
                       fit.model.mean.risk == RiskTerm::sd ? "volatility" : "variance", period,
                       value);
  return std::nullopt;
}

std::optional<std::string> sentence_of_variance(const Parameter& p, const Fit& fit,
                                                const std::string& value,
                                                const std::string& period) {
  const Variance& family = fit.model.variance;
  const bool logs = std::holds_alternative<Egarch>(family),
             power = std::holds_alternative<Aparch>(family),
             parts = std::holds_alternative<TwoComponents>(family),
             slow = std::holds_alternative<LongMemory>(family);
  const std::string what = logs    ? "the log of the variance"
                           : power ? "volatility to the power of delta"
                                   : "the variance";
  if (p.name == "omega")
    return fmt::format("each {} adds {} to {}", period, value,
                       parts ? "the long-run component" : what);
  if (p.name == "weight")
    return fmt::format(
        "{} of the variance of 1 {} ago is carried on, the rest is the last squared "
        "surprise",
        value, period);
  if (p.name.starts_with("alpha")) {
    const std::string when = rows(lag_after(p, "alpha"), fit);
    if (logs)
      return fmt::format(
          "a surprise of {} ago that was one standard deviation larger than expected "
          "raises the log of the variance by {}",
          when, value);
    if (power)
      return fmt::format("{} of the size of the surprise of {} ago, to the power of delta, enters",
                         value, when);
    if (parts)
      return fmt::format("{} of the last squared surprise less the long-run component enters",
                         value);
    return fmt::format("{} of the squared surprise of {} ago enters the variance", value, when);
  }
  if (p.name.starts_with("gamma")) {
    const std::string when = rows(lag_after(p, "gamma"), fit);
    if (logs)
      return fmt::format(
          "a rise of one standard deviation {} ago moves the log of the variance by "
          "{}, a fall by as much the other way",
          when, value);
    if (power)
      return fmt::format("a fall of {} ago weighs {} more than its size, a rise as much less", when,
                         value);
    return fmt::format("a fall of {} ago adds {} of its square more than a rise does", when, value);
  }
  if (p.name.starts_with("beta")) {
    if (slow)
      return fmt::format("{} of the weight of a squared surprise is carried on to the next lag",
                         value);
    if (parts)
      return fmt::format("{} of the variance's distance from the long-run component is carried on",
                         value);
    return fmt::format("{} of {} of {} ago is carried on", value, what,
                       rows(lag_after(p, "beta"), fit));
  }
  if (p.name == "delta")
    return fmt::format(
        "volatility moves in its power of {}; 2 is the variance, 1 the standard "
        "deviation",
        value);
  if (p.name == "rho") return fmt::format("{} of the long-run component is carried on", value);
  if (p.name == "phi")
    return fmt::format(
        "{} of the last squared surprise less its variance enters the long-run "
        "component",
        value);
  if (p.name == "d")
    return fmt::format(
        "weights of old squared surprises fall like a power of their lag, by d = {}; "
        "0 is none, 1 forgets nothing",
        value);
  if (p.name == "phi1")
    return fmt::format("the weight of the last squared surprise is raised by {}", value);
  if (p.name.starts_with("vwith:"))
    return fmt::format("one more of {} goes with {} in {}", p.name.substr(6), value, what);
  return std::nullopt;
}

std::string sentence_of_law(const Parameter& p, const Fit& fit, const std::string& value) {
  if (p.name == "nu")
    return std::holds_alternative<Ged>(fit.model.shocks)
               ? fmt::format("the shocks have shape {}; 2 is normal, less has heavier tails", value)
               : fmt::format("the shocks have {} degrees of freedom; fewer mean heavier tails",
                             value);
  if (p.name == "skew")
    return fmt::format("the shocks lean by {}; below 0 falls are the larger ones", value);
  return fmt::format("the law of the shocks has {} {}", p.name, value);
}

std::string sentence_of(const Parameter& p, const Fit& fit) {
  const std::string value = text::estimate(p.estimate, p.se);
  const std::string period(fit.series->period());
  if (auto said = sentence_of_mean(p, fit, value, period)) return *said;
  if (auto said = sentence_of_variance(p, fit, value, period)) return *said;
  return sentence_of_law(p, fit, value);
}

}  // namespace

std::string equation(const Fit& fit) {
  std::string out = mean_equations(fit) + variance_equation(fit);
  out += fmt::format("  y: {}; B y[t] = y[t-1]{}\n\n", fit.series->name,
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
      note = fmt::format(" (not significant, p {})", text::p_value(p.p_value));
    out += text::wrap(fmt::format("{}: {}{}.", p.name, sentence_of(p, fit), note), 100, "  ");
  }
  return out;
}

}  // namespace brace::inline v0
