// SPDX-License-Identifier: Apache-2.0
// Residual check of a fit: its tests and what they decide; check_words.cpp tells it. Covered by
// tests/estimation/estimate_test.cpp and tests/tool/verdicts_test.cpp.
#include "brace/diagnosis/check.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <iterator>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/diagnosis/stability.hpp"
#include "brace/diagnosis/variance_check.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/lag_polynomial.hpp"
#include "brace/model/model_line.hpp"
#include "diagnosis/check_words.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {
namespace {

Series squared(Series z) {
  for (double& v : z.values) v *= v;
  return z;
}

}  // namespace

namespace {

// The degrees of freedom that Ljung-Box is shown at.
constexpr int kSpread[] = {1, 3, 6, 10, 20, 30};

int period_of(const Fit& fit, std::optional<int> given) {
  if (given) return *given;
  const Mean& m = fit.model.mean;
  for (const Lags* lags : {&m.seasonal_ma, &m.seasonal_ar, &m.differences})
    for (const int lag : *lags)
      if (lag > 1) return lag;
  if (!m.harmonics.empty()) return m.harmonics.front().period;
  return fit.series->clock == Clock::month ? 12 : fit.series->clock == Clock::quarter ? 4 : 0;
}

// A seasonal lag decides from this many times its 95 % band on: p .003.
constexpr double kClearSeason = 1.5;

// Adds a test where these rows bear it; the others are made all the same.
template <class Make>
void add_if_possible(std::vector<TestResult>& tests, Make&& make) {
  try {
    for (TestResult& test : make()) tests.push_back(std::move(test));
  } catch (const Error& error) {
    if (error.code() != ErrorCode::too_few_observations && error.code() != ErrorCode::bad_option)
      throw;
  }
}

using Tests = std::vector<TestResult>;

void find_spikes(const Series& z, int period, Check& out) {
  const auto n = static_cast<int>(z.present());
  out.lags_looked_at = std::min(n / 4, std::max(24, 2 * period + 2));
  if (out.lags_looked_at < 1) return;
  for (const LagRow& row : lag_table(z, out.lags_looked_at).rows)
    if (std::abs(row.acf) > row.band_robust)
      out.spikes.push_back(
          {row.lag, row.acf, row.band_robust, period > 0 && row.lag % period == 0});
}

// Whether a lag fails the question of the mean by itself.
bool decides(const Spike& s) {
  return s.seasonal && std::abs(s.acf) > kClearSeason * s.band;
}

}  // namespace

ResidualP residual_p(const Fit& fit, std::optional<int> period) {
  const Series z = fit.standardised();
  const int fitted = arma_terms(fit.model);
  const int lags = std::max(default_whiteness_lags(z.present()), fitted + 3);
  if (z.present() <= static_cast<std::size_t>(lags) + 3) return {};
  ResidualP p;
  p.arch = hypothesis::mcleod_li(z).p_value;
  const hypothesis::WhitenessOptions options{.lags = lags, .fitted = fitted};
  p.whiteness = (p.arch.value_or(1) < 0.05 ? hypothesis::ljung_box_robust(z, options)
                                           : hypothesis::ljung_box(z, options))
                    .p_value;
  // What fails the question of the mean in check() is not white here.
  Check found;
  find_spikes(z, period_of(fit, period), found);
  for (const Spike& spike : found.spikes)
    if (decides(spike)) {
      const double own =
          laws::normal_two_sided(laws::normal_quantile(.975) * spike.acf / spike.band);
      p.whiteness = std::min(p.whiteness.value_or(1), own);
    }
  return p;
}

std::vector<InverseRoot> inverse_roots(const Fit& fit) {
  std::vector<InverseRoot> out;
  const std::vector<double> theta = fit.estimates();
  for (const std::complex<double>& r : maths::inverse_roots(ar_product(fit.model).dense(theta)))
    out.push_back({true, r});
  std::vector<double> b = ma_product(fit.model).dense(theta);
  for (double& v : b) v = -v;
  for (const std::complex<double>& r : maths::inverse_roots(b)) out.push_back({false, r});
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
  const maths::Regression r = maths::regress(X, y);
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

TestResult two_halves_test(const Fit& fit) {
  const std::size_t half = fit.count / 2;
  EstimateOptions options;
  options.errors = fit.errors;
  options.start = fit.estimates();
  options.likelihood = fit.exact ? LikelihoodKind::exact : LikelihoodKind::conditional;
  const auto window = std::make_shared<const Series>(fit.window());
  const std::vector<Fit> parts =
      values_of(fit_many({{.model = fit.model, .series = window, .count = half, .options = options},
                          {.model = fit.model,
                           .series = window,
                           .first = half,
                           .count = fit.count - half,
                           .options = options}},
                         {}, Executor(1)));
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
  const Eigen::MatrixXd V =
      (maths::to_eigen(parts[0].covariance) + maths::to_eigen(parts[1].covariance))(both, both);
  // On the scale of the errors, so that units do not matter.
  const Eigen::VectorXd scale = V.diagonal().cwiseSqrt().cwiseInverse();
  const Eigen::VectorXd u = scale.cwiseProduct(apart);
  TestResult test;
  test.test = "chow";
  test.variant = "two halves";
  test.null = fmt::format("parameters until {} hold later", fit.series->when(fit.first + half - 1));
  const Eigen::MatrixXd correlation = scale.asDiagonal() * V * scale.asDiagonal();
  test.statistic = u.dot(maths::solve_symmetric(correlation, u));
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

std::vector<TestResult> Check::tests() const {
  std::vector<TestResult> all;
  for (const CheckGroup& group : groups)
    all.insert(all.end(), group.tests.begin(), group.tests.end());
  return all;
}

namespace {

// What the tests of a check are made of.
struct CheckInput {
  CheckInput(const Fit& of, const CheckOptions& options)
      : fit(of),
        z(of.standardised()),
        z2(squared(z)),
        lags(given_or(options.lags,
                      std::max(default_whiteness_lags(z.present()), arma_terms(of.model) + 1),
                      "lags")),
        given_lags(options.lags),
        advises(options.advice),
        adviser(of),
        has_equation(!of.exact && !std::holds_alternative<Steady>(of.model.variance)) {}

  const Fit& fit;
  Series z, z2;
  int lags;                       // of the portmanteau tests
  std::optional<int> given_lags;  // none: each test takes its own default
  bool advises;
  Adviser adviser;
  bool has_equation;
};

CheckAnswer answer_of(const CheckGroup& group, bool fails) {
  if (fails) return CheckAnswer::fails;
  const bool dissent = std::any_of(group.tests.begin(), group.tests.end(),
                                   [](const auto& t) { return t.rejects().value_or(false); });
  return dissent ? CheckAnswer::doubtful : CheckAnswer::holds;
}

LargestLag largest_lag(const Series& series, int lags, bool by_size) {
  const std::vector<double> r = maths::autocorrelations(series.values, lags);
  const auto size = [&](double v) { return by_size ? std::abs(v) : v; };
  const auto most =
      std::max_element(r.begin(), r.end(), [&](double a, double b) { return size(a) < size(b); });
  return {static_cast<int>(most - r.begin()) + 1, *most};
}

CheckGroup judge_variance(CheckInput& in, Findings::OfVariance& found) {
  CheckGroup group{.question = CheckQuestion::variance, .reading = {}, .finding = {}, .tests = {}};
  TestResult of_squares = hypothesis::ljung_box(in.z2, {.lags = in.lags});
  of_squares.test = "mcleod-li";
  of_squares.variant = "z^2, plain";
  of_squares.null = fmt::format("no autocorrelation in z^2 up to lag {}", in.lags);
  TestResult of_arch = hypothesis::arch_lm(in.z, {.lags = in.given_lags, .demean = false});
  of_arch.variant = "z, plain";
  of_arch.null = fmt::format("no ARCH effects in z up to lag {}", *of_arch.lags);
  Tests& tests = group.tests;
  if (in.has_equation) {
    add_if_possible(tests, [&] { return Tests{li_mak(in.fit, in.lags)}; });
    add_if_possible(tests, [&] { return Tests{remaining_arch_test(in.fit, in.lags)}; });
  }
  // The plain forms take the variance equation as known: those with its uncertainty decide.
  const auto p_of = [&](const char* test, const TestResult& plain) {
    for (const TestResult& t : tests)
      if (t.test == test) return *t.p_value;
    return *plain.p_value;
  };
  found.memory = 2 * std::min(p_of("li-mak", of_squares), p_of("arch-left", of_arch)) < 0.05;
  tests.push_back(std::move(of_squares));
  tests.push_back(std::move(of_arch));
  if (in.has_equation) {
    add_if_possible(tests, [&] { return sign_bias(in.fit); });
    found.asymmetry = tests.back().test == "sign-bias" &&
                      tests.back().rejects().value_or(false);  // the joint one
  }
  if (in.fit.exact)
    for (const bool squares : {false, true})
      if (TestResult test = breusch_pagan(in.fit, squares); test.p_value)
        tests.push_back(std::move(test));
  found.has_equation = !std::holds_alternative<Steady>(in.fit.model.variance);
  found.has_signs = has_signs(in.fit.model.variance);
  if (found.memory) {
    found.largest = largest_lag(in.z2, in.lags, true);
    if (in.advises)
      found.advice = in.adviser.on_variance(largest_lag(in.z2, in.lags, false).lag);
  }
  if (found.asymmetry && !found.has_signs && in.advises) found.on_signs = in.adviser.on_signs();
  group.answer = answer_of(group, found.memory || found.asymmetry);
  return group;
}

// The plain form takes clustering that is left for memory, so the robust one decides there.
CheckGroup judge_mean(CheckInput& in, bool clustering, const std::vector<Spike>& spikes,
                      Findings::OfMean& found) {
  CheckGroup group{.question = CheckQuestion::mean, .reading = {}, .finding = {}, .tests = {}};
  const int fitted = arma_terms(in.fit.model);
  for (TestResult test :
       {hypothesis::ljung_box(in.z, {.lags = in.lags, .fitted = fitted}),
        hypothesis::ljung_box_robust(in.z, {.lags = in.lags, .fitted = fitted})}) {
    test.variant = "z";
    test.null = fmt::format("no autocorrelation in z up to lag {}", in.lags);
    group.tests.push_back(std::move(test));
  }
  found.clustering = clustering;
  std::copy_if(spikes.begin(), spikes.end(), std::back_inserter(found.seasonal),
               [](const Spike& s) { return s.seasonal; });
  found.season_left = std::any_of(found.seasonal.begin(), found.seasonal.end(), decides);
  found.memory = group.tests[clustering ? 1 : 0].rejects().value_or(false);
  if (found.memory) {
    found.largest = largest_lag(in.z, in.lags, true);
    if (in.advises) found.advice = in.adviser.on_mean(found.largest.lag);
  }
  group.answer = answer_of(group, found.memory || found.season_left);
  // A seasonal lag outside its band that does not decide.
  if (group.answer == CheckAnswer::holds && !found.seasonal.empty())
    group.answer = CheckAnswer::doubtful;
  return group;
}

CheckGroup judge_law(CheckInput& in, Findings::OfLaw& found) {
  CheckGroup group{.question = CheckQuestion::law, .reading = {}, .finding = {}, .tests = {}};
  add_if_possible(group.tests, [&] {
    LawFit judged = law_fit(in.fit);
    found.departures = std::move(judged.departures);
    return Tests{std::move(judged.anderson_darling), std::move(judged.cramer_von_mises)};
  });
  found.departs = !group.tests.empty() && group.tests.front().rejects().value_or(false);
  if (std::holds_alternative<Normal>(in.fit.model.shocks)) {
    group.tests.push_back(hypothesis::jarque_bera(in.z));
    group.tests.back().variant = "z";
    group.tests.back().null = "z is normal";
  }
  found.name = law_name(in.fit.model.shocks);
  if (found.departs && in.advises) found.advice = in.adviser.on_law();
  group.answer = answer_of(group, found.departs);
  return group;
}

CheckGroup judge_constancy(const CheckInput& in, Findings::OfConstancy& found) {
  CheckGroup group{.question = CheckQuestion::constancy, .reading = {}, .finding = {}, .tests = {}};
  if (in.has_equation) add_if_possible(group.tests, [&] { return nyblom(in.fit); });
  if (in.fit.exact) {
    add_if_possible(group.tests, [&] { return Tests{two_halves_test(in.fit)}; });
    found.halves = group.tests.empty() ? "" : group.tests[0].reading;
  }
  found.changed = !group.tests.empty() && group.tests.front().rejects().value_or(false);
  group.answer = answer_of(group, found.changed);
  return group;
}

CheckVerdict verdict_of(const Findings& found) {
  const bool mean = found.mean.memory || found.mean.season_left;
  if (mean || found.variance.memory)
    return mean && found.variance.memory ? CheckVerdict::memory_in_both
           : mean                        ? CheckVerdict::memory_in_mean
                                         : CheckVerdict::memory_in_variance;
  return found.variance.asymmetry  ? CheckVerdict::asymmetry_left
         : found.law.departs       ? CheckVerdict::law_departs
         : found.constancy.changed ? CheckVerdict::not_constant
                                   : CheckVerdict::clean;
}

// Ljung-Box at the lags asked for, or at those that leave the usual degrees of freedom.
void add_whiteness(const CheckInput& in, const CheckOptions& options, Check& out) {
  const int fitted = arma_terms(in.fit.model), present = static_cast<int>(in.z.present());
  out.significance = options.significance;
  std::vector<int> shown = options.whiteness;
  if (shown.empty()) {
    for (const int dof : kSpread) shown.push_back(fitted + dof);
    const int two_seasons = 2 * period_of(in.fit, options.period);
    if (two_seasons > shown.back()) shown.push_back(two_seasons);
    std::erase_if(shown, [&](int up_to) { return up_to > present / 4; });
  }
  for (const int up_to : shown) {
    if (up_to <= fitted || up_to >= present)
      throw Error(ErrorCode::bad_option,
                  fmt::format("{} lags: the residuals of '{}' allow {} to {}", up_to, out.model,
                              fitted + 1, present - 1));
    out.whiteness.push_back(hypothesis::ljung_box(in.z, {.lags = up_to, .fitted = fitted}));
    if (options.significance)
      out.whiteness_limits.push_back(
          laws::chi_squared_quantile(1 - *options.significance, out.whiteness.back().dof[0]));
  }
}

}  // namespace

Check check(const Fit& fit, const CheckOptions& options) {
  Check out;
  out.model = to_string(fit.model);
  out.warnings = fit.warnings;
  if (!fit.usable()) {
    out.reading = fmt::format("{} is {}: its residuals are not judged", out.model,
                              to_string(fit.convergence.status));
    return out;
  }
  require_path(fit, "check");
  CheckInput in(fit, options);
  find_spikes(in.z, period_of(fit, options.period), out);
  Findings found;
  CheckGroup variance = judge_variance(in, found.variance);
  out.groups.push_back(judge_mean(in, found.variance.memory, out.spikes, found.mean));
  out.groups.push_back(std::move(variance));
  for (CheckGroup group : {judge_law(in, found.law), judge_constancy(in, found.constancy)})
    if (!group.tests.empty()) out.groups.push_back(std::move(group));
  add_whiteness(in, options, out);
  out.roots = inverse_roots(fit);
  out.verdict = verdict_of(found);
  put_into_words(found, out);
  return out;
}

}  // namespace brace::inline v0
