// SPDX-License-Identifier: Apache-2.0
// Residual check of a fit. Covered by tests/model/estimate_test.cpp.
#include "brace/model/check.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <ostream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "brace/maths/regression.hpp"
#include "brace/model/estimate.hpp"
#include "brace/model/model_line.hpp"
#include "brace/model/stability.hpp"
#include "brace/model/variance_check.hpp"
#include "model/lag_product.hpp"

namespace brace {
namespace {

// The lag whose autocorrelation stands out most.
std::string largest_lag(const Series& series, int lags) {
  const std::vector<double> r = autocorrelations(series.values, lags);
  const auto most = std::max_element(r.begin(), r.end(),
                                     [](double a, double b) { return std::abs(a) < std::abs(b); });
  return fmt::format("most at lag {} ({})", most - r.begin() + 1, text::fixed(*most, 2));
}

Series squared(Series z) {
  for (double& v : z.values) v *= v;
  return z;
}

}  // namespace

std::string_view to_string(CheckVerdict verdict) {
  switch (verdict) {
    case CheckVerdict::clean: return "clean";
    case CheckVerdict::memory_in_mean: return "memory-in-mean";
    case CheckVerdict::memory_in_variance: return "memory-in-variance";
    case CheckVerdict::memory_in_both: return "memory-in-both";
    case CheckVerdict::not_judged: return "not-judged";
  }
  return "not-judged";
}

namespace {

// The degrees of freedom that Ljung-Box is shown at.
constexpr int kSpread[] = {1, 3, 6, 10, 20, 30};

int period_of(const Fit& fit, int given) {
  if (given > 0) return given;
  const Mean& m = fit.model.mean;
  for (const Lags* lags : {&m.seasonal_ma, &m.seasonal_ar, &m.differences})
    for (const int lag : *lags)
      if (lag > 1) return lag;
  if (!m.harmonics.empty()) return m.harmonics.front().period;
  return fit.series->clock == Clock::month ? 12 : fit.series->clock == Clock::quarter ? 4 : 0;
}

// Whether a family tells falls from rises.
bool has_signs(const Variance& family) {
  return std::holds_alternative<Gjr>(family) || std::holds_alternative<Egarch>(family) ||
         std::holds_alternative<Aparch>(family);
}

// The tests that take the uncertainty of the variance equation into account, and those of its
// symmetry, constancy and law. Where one cannot be made on these rows the others still are.
std::vector<TestResult> variance_tests(const Fit& fit, int lags) {
  std::vector<TestResult> all;
  const auto add = [&](auto&& make) {
    try {
      make();
    } catch (const Error& error) {
      if (error.code() != ErrorCode::too_few_observations && error.code() != ErrorCode::bad_option)
        throw;
    }
  };
  add([&] { all.push_back(li_mak(fit, lags)); });
  add([&] { all.push_back(arch_left(fit, lags)); });
  add([&] {
    for (TestResult& test : sign_bias(fit)) all.push_back(std::move(test));
  });
  add([&] { all.push_back(law_fit(fit)); });
  add([&] {
    for (TestResult& test : nyblom(fit)) all.push_back(std::move(test));
  });
  return all;
}

// Which term would take up what is left in z^2: the lag that stands out, or a longer memory.
std::string variance_remedy(const Fit& fit, const Series& z2, int lags) {
  if (std::holds_alternative<Steady>(fit.model.variance)) return "it needs a variance equation";
  const std::vector<double> r = autocorrelations(z2.values, lags);
  const auto most = std::max_element(r.begin(), r.end()) - r.begin() + 1;
  return most == 1 ? std::string("the variance equation misses it; try another family")
                   : fmt::format("the variance equation misses it; try a shock lag e{}", most);
}

// Which law would do better, from the shape of z.
std::string law_remedy(const Fit& fit, const Series& z) {
  const double skewness = moments(z).skewness;
  const std::string misfit =
      fmt::format("the shocks do not follow the {} law", law_name(fit.model.shocks));
  if (std::holds_alternative<Normal>(fit.model.shocks)) return misfit + ": try 'student'";
  if (!std::holds_alternative<SkewStudent>(fit.model.shocks) && std::abs(skewness) > 0.2)
    return fmt::format("{} (their skewness is {}): try 'skew-student'", misfit,
                       text::fixed(skewness, 2));
  return misfit;
}

void find_spikes(const Series& z, int period, Check& out) {
  const auto n = static_cast<int>(z.present());
  out.lags_looked_at = std::min(n / 4, std::max(24, 2 * period + 2));
  if (out.lags_looked_at < 1) return;
  for (const LagRow& row : lag_table(z, out.lags_looked_at).rows)
    if (std::abs(row.acf) > row.band_robust)
      out.spikes.push_back(
          {row.lag, row.acf, row.band_robust, period > 0 && row.lag % period == 0});
}

std::string spikes_in_words(const std::vector<Spike>& spikes) {
  std::vector<std::string> words;
  for (const Spike& s : spikes)
    words.push_back(fmt::format("{}{} ({})", s.lag, s.seasonal ? ", of the season" : "",
                                text::fixed(s.acf, 2)));
  return fmt::format("{}", fmt::join(words, ", "));
}

}  // namespace

ResidualP residual_p(const Fit& fit) {
  const Series z = fit.standardised();
  const int fitted = arma_terms(fit.model);
  const int lags = std::max(default_whiteness_lags(z.present()), fitted + 3);
  if (z.present() <= static_cast<std::size_t>(lags) + 3) return {};
  ResidualP p;
  p.arch = mcleod_li(z).p_value;
  const WhitenessOptions options{.lags = lags, .fitted = fitted};
  p.whiteness =
      (p.arch.value_or(1) < 0.05 ? ljung_box_robust(z, options) : ljung_box(z, options)).p_value;
  return p;
}

std::vector<InverseRoot> inverse_roots(const Fit& fit) {
  std::vector<InverseRoot> out;
  const std::vector<double> theta = fit.estimates();
  for (const std::complex<double>& r : inverse_roots(ar_product(fit.model).dense(theta)))
    out.push_back({true, r});
  std::vector<double> b = ma_product(fit.model).dense(theta);
  for (double& v : b) v = -v;
  for (const std::complex<double>& r : inverse_roots(b)) out.push_back({false, r});
  return out;
}

TestResult breusch_pagan(const Fit& fit, bool squares) {
  std::vector<Eigen::Index> rows;
  for (std::size_t t = 0; t < fit.count; ++t)
    if (fit.counted[t]) rows.push_back(static_cast<Eigen::Index>(t));
  const auto n = static_cast<Eigen::Index>(rows.size());
  Eigen::MatrixXd X(n, squares ? 3 : 2);
  Eigen::VectorXd y(n);
  double mean = 0;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto t = static_cast<std::size_t>(rows[static_cast<std::size_t>(i)]);
    X(i, 0) = 1;
    X(i, 1) = fit.data()[t] - fit.shocks[t];
    y(i) = fit.shocks[t] * fit.shocks[t];
    mean += X(i, 1) / static_cast<double>(n);
  }
  X.col(1).array() -= mean;
  if (squares) X.col(2) = X.col(1).cwiseAbs2();
  TestResult test;
  test.test = "breusch-pagan";
  test.variant = squares ? "white" : "fitted";
  test.null =
      squares ? "variance free of fitted and its square" : "variance does not move with the fitted";
  test.observations = rows.size();
  const int dof = squares ? 2 : 1;
  test.dof = {static_cast<double>(dof)};
  const Regression r = regress(X, y);
  if (r.rank <= dof) {
    test.reading = "the fitted values do not move";
    return test;
  }
  const double total = (y.array() - y.mean()).square().sum();
  test.statistic = static_cast<double>(n) * (1 - r.ssr / total);
  test.p_value = laws::chi_squared_tail(test.statistic, dof);
  test.reading = *test.rejects() ? "the variance moves with the level: try a logarithm or a "
                                   "variance equation"
                                 : "no sign that the variance moves with the level";
  return test;
}

TestResult two_halves(const Fit& fit) {
  const std::size_t half = fit.count / 2;
  EstimateOptions options;
  options.errors = fit.errors;
  options.start = fit.estimates();
  options.likelihood = fit.exact ? LikelihoodKind::exact : LikelihoodKind::conditional;
  const auto window = std::make_shared<const Series>(fit.window());
  const std::vector<Fit> parts =
      fit_many({{.model = fit.model, .series = window, .count = half, .options = options},
                {.model = fit.model,
                 .series = window,
                 .first = half,
                 .count = fit.count - half,
                 .options = options}},
               Executor(1));
  std::vector<Eigen::Index> both;
  for (std::size_t j = 0; j < fit.parameters.size(); ++j)
    if (parts[0].usable() && parts[1].usable() && parts[0].parameters[j].se &&
        parts[1].parameters[j].se)
      both.push_back(static_cast<Eigen::Index>(j));
  if (both.empty())
    throw Error(ErrorCode::too_few_observations,
                fmt::format("two halves: '{}' cannot be fitted to both", to_string(fit.model)));
  Eigen::VectorXd apart(static_cast<Eigen::Index>(both.size()));
  for (std::size_t i = 0; i < both.size(); ++i) {
    const auto j = static_cast<std::size_t>(both[i]);
    apart(static_cast<Eigen::Index>(i)) =
        parts[0].parameters[j].estimate - parts[1].parameters[j].estimate;
  }
  const Eigen::MatrixXd V = (parts[0].covariance + parts[1].covariance)(both, both);
  // On the scale of the errors, so that units do not matter.
  const Eigen::VectorXd scale = V.diagonal().cwiseSqrt().cwiseInverse();
  const Eigen::VectorXd u = scale.cwiseProduct(apart);
  TestResult test;
  test.test = "chow";
  test.variant = "two halves";
  test.null = fmt::format("parameters until {} hold later", fit.series->when(fit.first + half - 1));
  const Eigen::MatrixXd correlation = scale.asDiagonal() * V * scale.asDiagonal();
  test.statistic = u.dot(correlation.ldlt().solve(u));
  test.dof = {static_cast<double>(both.size())};
  test.observations = fit.n;
  test.p_value = laws::chi_squared_tail(test.statistic, test.dof[0]);
  Eigen::Index most = 0;
  u.cwiseAbs().maxCoeff(&most);
  test.reading =
      *test.rejects()
          ? fmt::format(
                "the halves differ, most in {}",
                fit.parameters[static_cast<std::size_t>(both[static_cast<std::size_t>(most)])].name)
          : "the halves agree";
  return test;
}

Check check(const Fit& fit, const CheckOptions& options) {
  Check out;
  out.model = to_string(fit.model);
  out.warnings = fit.warnings;
  if (!fit.usable()) {
    out.reading = fmt::format("{} is {}: its residuals are not judged", out.model,
                              to_string(fit.convergence.status));
    return out;
  }
  const Series z = fit.standardised();
  const Series z2 = squared(z);
  const int fitted = arma_terms(fit.model);
  const int lags =
      options.lags > 0 ? options.lags : std::max(default_whiteness_lags(z.present()), fitted + 1);

  TestResult of_mean = ljung_box(z, {.lags = lags, .fitted = fitted});
  of_mean.variant = "z";
  of_mean.null = fmt::format("no autocorrelation in z up to lag {}", lags);
  TestResult of_mean_robust = ljung_box_robust(z, {.lags = lags, .fitted = fitted});
  of_mean_robust.variant = "z";
  of_mean_robust.null = of_mean.null;
  TestResult of_squares = ljung_box(z2, {.lags = lags});
  of_squares.test = "mcleod-li";
  of_squares.variant = "z^2, plain";
  of_squares.null = fmt::format("no autocorrelation in z^2 up to lag {}", lags);
  TestResult of_arch = arch_lm(z, {.lags = options.lags, .demean = false});
  of_arch.variant = "z, plain";
  of_arch.null = fmt::format("no ARCH effects in z up to lag {}", *of_arch.lags);
  TestResult of_law = jarque_bera(z);
  of_law.variant = "z";
  of_law.null = "z is normal";

  std::vector<TestResult> of_variance;
  if (!fit.exact && !std::holds_alternative<Steady>(fit.model.variance))
    of_variance = variance_tests(fit, lags);
  // The plain forms take the variance equation as known: those with its uncertainty judge.
  const auto p_of = [&](const char* test, const TestResult& plain) {
    for (const TestResult& t : of_variance)
      if (t.test == test) return *t.p_value;
    return *plain.p_value;
  };
  const bool variance_left =
      2 * std::min(p_of("li-mak", of_squares), p_of("arch-left", of_arch)) < 0.05;
  // The plain form takes clustering that is left for memory, so the robust one judges there.
  const bool mean_left = (variance_left ? of_mean_robust : of_mean).rejects().value_or(false);
  out.tests = {std::move(of_mean), std::move(of_mean_robust), std::move(of_squares),
               std::move(of_arch)};
  // Under another law z is not meant to be normal, and law-fit judges it.
  if (std::holds_alternative<Normal>(fit.model.shocks) || of_variance.empty())
    out.tests.push_back(std::move(of_law));
  for (const TestResult& test : of_variance) out.tests.push_back(test);
  if (fit.exact) {
    for (const bool squares : {false, true})
      if (TestResult test = breusch_pagan(fit, squares); test.p_value)
        out.tests.push_back(std::move(test));
    try {
      out.tests.push_back(two_halves(fit));
    } catch (const Error&) {
      // Half the rows are too few for this model: nothing to compare.
    }
  }
  const auto present = static_cast<int>(z.present());
  for (const int dof : kSpread)
    if (const int up_to = fitted + dof; up_to <= present / 4)
      out.whiteness.push_back(ljung_box(z, {.lags = up_to, .fitted = fitted}));
  find_spikes(z, period_of(fit, options.period), out);
  out.roots = inverse_roots(fit);
  out.verdict = mean_left && variance_left ? CheckVerdict::memory_in_both
                : mean_left                ? CheckVerdict::memory_in_mean
                : variance_left            ? CheckVerdict::memory_in_variance
                                           : CheckVerdict::clean;
  std::vector<std::string> found;
  if (mean_left)
    found.push_back(fmt::format("the residuals still have memory, {}: a lag is missing in the mean",
                                largest_lag(z, lags)));
  if (variance_left)
    found.push_back(fmt::format("their squares still have memory, {}: {}", largest_lag(z2, lags),
                                variance_remedy(fit, z2, lags)));
  const auto rejects = [&](std::string_view test, std::string_view variant) {
    return std::any_of(of_variance.begin(), of_variance.end(), [&](const TestResult& t) {
      return t.test == test && t.variant == variant && t.rejects().value_or(false);
    });
  };
  if (rejects("sign-bias", "joint"))
    found.push_back(has_signs(fit.model.variance)
                        ? std::string("falls and rises still differ in what they do to volatility")
                        : fmt::format("falls and rises of one size differ in what they do to "
                                      "volatility: try '{} / gjr' or 'egarch'",
                                      mean_part(fit.model)));
  if (rejects("law-fit", "pearson")) found.push_back(law_remedy(fit, z));
  if (rejects("nyblom", "joint"))
    found.push_back("its parameters do not seem constant (Nyblom): see brace breaks");
  std::vector<Spike> seasonal;
  for (const Spike& spike : out.spikes)
    if (spike.seasonal) seasonal.push_back(spike);
  if (!seasonal.empty())
    found.push_back(fmt::format("a season is left at lag {}", spikes_in_words(seasonal)));
  out.reading = found.empty()
                    ? fmt::format(
                          "{} leaves no memory in its residuals or their squares"
                          "{}",
                          out.model, of_variance.empty() ? "" : "; its law and its symmetry hold")
                    : fmt::format("{}: {}", out.model, fmt::join(found, "; "));
  return out;
}

namespace {

std::string verdict_rule(const Check& check) {
  const bool variance =
      std::any_of(check.tests.begin(), check.tests.end(),
                  [](const TestResult& t) { return t.test == "li-mak" || t.test == "arch-left"; });
  return variance
             ? "A small p speaks against the null of its row. Ljung-Box judges the mean, Li-Mak "
               "and arch-left the variance; the plain forms beside them take the variance "
               "equation as known."
             : "A small p speaks against the null of its row. Ljung-Box, McLeod-Li and ARCH-LM "
               "make the verdict.";
}

}  // namespace

std::ostream& operator<<(std::ostream& out, const Check& check) {
  out << text::wrap(check.reading + ".") << '\n';
  for (const TestResult& test : check.tests)
    out << fmt::format("  {:<18}{:<14}{:>9}  p {:<9}null: {}\n", test.test, test.variant,
                       text::significant(test.statistic, 4),
                       text::p_value(test.p_value, test.p_floor), test.null);
  if (!check.whiteness.empty()) {
    out << "\n  Ljung-Box on z up to lag";
    for (const TestResult& t : check.whiteness) out << fmt::format("{:>9}", *t.lags);
    out << "\n  degrees of freedom      ";
    for (const TestResult& t : check.whiteness)
      out << fmt::format("{:>9}", static_cast<int>(t.dof[0]));
    out << "\n  p                       ";
    for (const TestResult& t : check.whiteness)
      out << fmt::format("{:>9}", text::p_value(t.p_value));
    out << "\n  white at 90 / 95 / 99 % ";
    for (const TestResult& t : check.whiteness) {
      std::string verdicts;
      for (const double level : {.10, .05, .01}) verdicts += *t.p_value < level ? "n" : "y";
      out << fmt::format("{:>9}", verdicts);
    }
    out << '\n';
  }
  if (check.lags_looked_at > 0)
    out << text::wrap(
        fmt::format("Of {} lags of z {} outside the 95 % band{}; chance alone gives {}.",
                    check.lags_looked_at,
                    check.spikes.empty()       ? "none lies"
                    : check.spikes.size() == 1 ? "one lies"
                                               : fmt::format("{} lie", check.spikes.size()),
                    check.spikes.empty() ? "" : ": " + spikes_in_words(check.spikes),
                    text::fixed(0.05 * check.lags_looked_at, 1)),
        100, "  ");
  if (!check.roots.empty()) {
    std::vector<std::string> words;
    for (const InverseRoot& r : check.roots)
      if (r.value.imag() >= 0)
        words.push_back(
            fmt::format("{} {}", r.ar ? "ar" : "ma", text::fixed(std::abs(r.value), 3)));
    constexpr std::size_t kMostTold = 12;
    if (words.size() > kMostTold) {
      words.resize(kMostTold);
      words.emplace_back("...");
    }
    out << text::wrap(fmt::format("Inverse roots by modulus (1 is the unit circle; one of each "
                                  "complex pair): {}.",
                                  fmt::join(words, ", ")),
                      100, "  ");
  }
  if (!check.tests.empty()) out << "\n" << text::wrap(verdict_rule(check), 100, "  ");
  for (const Warning& warning : check.warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
