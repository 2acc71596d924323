// SPDX-License-Identifier: Apache-2.0
// Residual check of a fit. Covered by tests/model/estimate_test.cpp.
#include "brace/model/check.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <iterator>
#include <ostream>
#include <span>

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
#include "brace/model/law_fit.hpp"
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

std::string_view to_string(CheckQuestion question) {
  switch (question) {
    case CheckQuestion::mean: return "mean";
    case CheckQuestion::variance: return "variance";
    case CheckQuestion::law: return "law";
    case CheckQuestion::constancy: return "constancy";
  }
  return "mean";
}

std::string_view to_string(CheckAnswer answer) {
  switch (answer) {
    case CheckAnswer::holds: return "holds";
    case CheckAnswer::doubtful: return "doubtful";
    case CheckAnswer::fails: return "fails";
  }
  return "holds";
}

std::string_view to_string(CheckVerdict verdict) {
  switch (verdict) {
    case CheckVerdict::clean: return "clean";
    case CheckVerdict::memory_in_mean: return "memory-in-mean";
    case CheckVerdict::memory_in_variance: return "memory-in-variance";
    case CheckVerdict::memory_in_both: return "memory-in-both";
    case CheckVerdict::asymmetry_left: return "asymmetry-left";
    case CheckVerdict::law_departs: return "law-departs";
    case CheckVerdict::not_constant: return "not-constant";
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

// A seasonal lag decides from this many times its 95 % band on: p .003.
constexpr double kClearSeason = 1.5;

// Whether a family tells falls from rises.
bool has_signs(const Variance& family) {
  return std::holds_alternative<Gjr>(family) || std::holds_alternative<Egarch>(family) ||
         std::holds_alternative<Aparch>(family);
}

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

// Advice that was tried: of the models, the one with the lowest bic where that is lower than the
// fit's own, "'..' lowers bic by 3.1"; else that none of them does.
std::string tried(const Fit& fit, const std::vector<Model>& models) {
  EstimateOptions options;
  options.likelihood = LikelihoodKind::conditional;  // on the same footing as a variance equation
  options.hessian_errors_only = true;
  const auto series = std::make_shared<const Series>(fit.window());
  std::vector<FitJob> jobs{{.model = fit.model, .series = series, .options = options}};
  std::vector<std::string> labels;
  for (const Model& model : models) {
    jobs.push_back({.model = canonical(model), .series = series, .options = options});
    labels.push_back(fmt::format("'{}'", to_string(jobs.back().model)));
  }
  std::vector<Fit> fits;
  try {
    fits = fit_many(jobs, Executor(1));
  } catch (const Error&) {
    return "";  // too few rows for the larger models
  }
  const Fit* best = nullptr;
  for (std::size_t i = 1; i < fits.size(); ++i)
    if (fits[i].usable() && fits[i].bic && (!best || *fits[i].bic < *best->bic)) best = &fits[i];
  const std::optional<double> own = fits.front().bic;
  if (best && own && *best->bic < *own)
    return fmt::format("'{}' lowers bic by {}", to_string(best->model),
                       text::fixed(*own - *best->bic, 1));
  return fmt::format("{} {} not lower bic", fmt::join(labels, ", "),
                     labels.size() == 1 ? "does" : "do");
}

// What might take up what is left in z^2: the lag that stands out, signs, a second component.
std::string variance_remedy(const Fit& fit, const Series& z2, int lags) {
  std::vector<Model> models;
  const auto with = [&](const Variance& family) {
    Model model = fit.model;
    std::erase_if(model.held, [&](const Held& held) {
      const std::vector<std::string> names = parameter_names(fit.model).variance;
      return std::find(names.begin(), names.end(), held.name) != names.end();
    });
    model.variance = family;
    models.push_back(std::move(model));
  };
  if (std::holds_alternative<Steady>(fit.model.variance)) {
    with(Garch{});
    return fmt::format("it needs a variance equation: {}", tried(fit, models));
  }
  const std::vector<double> r = autocorrelations(z2.values, lags);
  const int most = static_cast<int>(std::max_element(r.begin(), r.end()) - r.begin()) + 1;
  Variance longer = fit.model.variance;
  std::visit(
      [&](auto& family) {
        if constexpr (requires { family.shocks; })
          if (std::find(family.shocks.begin(), family.shocks.end(), most) == family.shocks.end()) {
            family.shocks.push_back(most);
            with(family);
          }
      },
      longer);
  if (!has_signs(fit.model.variance)) with(Gjr{});
  if (!std::holds_alternative<TwoComponents>(fit.model.variance)) with(TwoComponents{});
  return fmt::format("the variance equation misses it; {}", tried(fit, models));
}

std::string sign_remedy(const Fit& fit) {
  std::vector<Model> models(2, fit.model);
  models[0].variance = Gjr{};
  models[1].variance = Egarch{};
  for (Model& model : models)
    std::erase_if(model.held, [&](const Held& held) {
      const std::vector<std::string> names = parameter_names(model).all();
      return std::find(names.begin(), names.end(), held.name) == names.end();
    });
  return tried(fit, models);
}

// Which law would do better; empty where none is at hand.
std::string law_remedy(const Fit& fit) {
  std::vector<Model> models;
  const auto with = [&](const Shocks& law) {
    Model model = fit.model;
    model.shocks = law;
    std::erase_if(model.held,
                  [](const Held& held) { return held.name == "nu" || held.name == "skew"; });
    models.push_back(std::move(model));
  };
  if (std::holds_alternative<Normal>(fit.model.shocks)) with(Student{});
  if (!std::holds_alternative<SkewStudent>(fit.model.shocks)) with(SkewStudent{});
  return models.empty() ? "" : tried(fit, models);
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

// Whether a lag fails the question of the mean by itself.
bool decides(const Spike& s) {
  return s.seasonal && std::abs(s.acf) > kClearSeason * s.band;
}

std::string spikes_in_words(const std::vector<Spike>& spikes) {
  std::vector<std::string> words;
  for (const Spike& s : spikes)
    words.push_back(fmt::format("{}{} ({})", s.lag, s.seasonal ? ", of the season" : "",
                                text::fixed(s.acf, 2)));
  return fmt::format("{}", fmt::join(words, ", "));
}

}  // namespace

ResidualP residual_p(const Fit& fit, int period) {
  const Series z = fit.standardised();
  const int fitted = arma_terms(fit.model);
  const int lags = std::max(default_whiteness_lags(z.present()), fitted + 3);
  if (z.present() <= static_cast<std::size_t>(lags) + 3) return {};
  ResidualP p;
  p.arch = mcleod_li(z).p_value;
  const WhitenessOptions options{.lags = lags, .fitted = fitted};
  p.whiteness =
      (p.arch.value_or(1) < 0.05 ? ljung_box_robust(z, options) : ljung_box(z, options)).p_value;
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

std::vector<TestResult> Check::tests() const {
  std::vector<TestResult> all;
  for (const CheckGroup& group : groups)
    all.insert(all.end(), group.tests.begin(), group.tests.end());
  return all;
}

namespace {

// What a test is called in a sentence.
std::string spoken(const TestResult& test) {
  if (test.test == "sign-bias" || test.test == "nyblom" || test.test == "breusch-pagan")
    return fmt::format("{} {}", test.test, test.variant);
  return test.test;
}

// Whether the deciding test rejects, and where it does not, whether another does: an answer and a
// sentence that agree with every row.
void answer(CheckGroup& group, bool fails, const std::string& if_fails,
            const std::string& if_holds) {
  if (fails) {
    group.answer = CheckAnswer::fails;
    group.reading = group.finding = if_fails;
    return;
  }
  std::vector<std::string> dissent;
  for (const TestResult& test : group.tests)
    if (test.rejects().value_or(false))
      dissent.push_back(
          fmt::format("{} (p {})", spoken(test), text::p_value(test.p_value, test.p_floor)));
  group.answer = dissent.empty() ? CheckAnswer::holds : CheckAnswer::doubtful;
  group.reading = if_holds;
  if (!dissent.empty())
    group.reading +=
        fmt::format(", but {} of {} rows {} at 5 %: {}", dissent.size(), group.tests.size(),
                    dissent.size() == 1 ? "rejects" : "reject", fmt::join(dissent, ", "));
}

// What the tests of a check are made of.
struct CheckInput {
  const Fit& fit;
  Series z, z2;
  int lags = 0;        // of the portmanteau tests
  int given_lags = 0;  // 0 where each test takes its own default
  bool has_equation = false;
};

struct VarianceFindings {
  bool memory = false, asymmetry = false;
};

CheckGroup variance_group(const CheckInput& in, VarianceFindings& found) {
  CheckGroup group{.question = CheckQuestion::variance, .reading = {}, .finding = {}, .tests = {}};
  TestResult of_squares = ljung_box(in.z2, {.lags = in.lags});
  of_squares.test = "mcleod-li";
  of_squares.variant = "z^2, plain";
  of_squares.null = fmt::format("no autocorrelation in z^2 up to lag {}", in.lags);
  TestResult of_arch = arch_lm(in.z, {.lags = in.given_lags, .demean = false});
  of_arch.variant = "z, plain";
  of_arch.null = fmt::format("no ARCH effects in z up to lag {}", *of_arch.lags);
  Tests& tests = group.tests;
  if (in.has_equation) {
    add_if_possible(tests, [&] { return Tests{li_mak(in.fit, in.lags)}; });
    add_if_possible(tests, [&] { return Tests{arch_left(in.fit, in.lags)}; });
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
  std::vector<std::string> left;
  if (found.memory)
    left.push_back(fmt::format("the squares of the residuals still have memory, {}: {}",
                               largest_lag(in.z2, in.lags),
                               variance_remedy(in.fit, in.z2, in.lags)));
  if (found.asymmetry)
    left.push_back(has_signs(in.fit.model.variance)
                       ? std::string("falls and rises still differ in what they do to volatility")
                       : fmt::format("falls and rises of one size differ in what they do to "
                                     "volatility: {}",
                                     sign_remedy(in.fit)));
  answer(group, !left.empty(), fmt::format("{}", fmt::join(left, "; ")),
         in.has_equation ? "the variance equation leaves no memory and no asymmetry"
                         : "the squares of the residuals have no memory");
  return group;
}

// The lag that stands out, as an AR and as an MA term.
std::string mean_remedy(const CheckInput& in) {
  const std::vector<double> r = autocorrelations(in.z.values, in.lags);
  const int lag = static_cast<int>(std::max_element(r.begin(), r.end(),
                                                    [](double a, double b) {
                                                      return std::abs(a) < std::abs(b);
                                                    }) -
                                   r.begin()) +
                  1;
  std::vector<Model> models;
  for (Lags Mean::*set : {&Mean::ar, &Mean::ma}) {
    Lags lags = in.fit.model.mean.*set;
    if (std::find(lags.begin(), lags.end(), lag) != lags.end()) continue;
    Model model = in.fit.model;
    (model.mean.*set).push_back(lag);
    models.push_back(std::move(model));
  }
  if (models.empty()) return "";
  const std::string said = tried(in.fit, models);
  return said.empty() ? "" : "; " + said;
}

// The plain form takes clustering that is left for memory, so the robust one decides there.
CheckGroup mean_group(const CheckInput& in, bool clustering, const std::vector<Spike>& spikes) {
  CheckGroup group{.question = CheckQuestion::mean, .reading = {}, .finding = {}, .tests = {}};
  const int fitted = arma_terms(in.fit.model);
  for (TestResult test : {ljung_box(in.z, {.lags = in.lags, .fitted = fitted}),
                          ljung_box_robust(in.z, {.lags = in.lags, .fitted = fitted})}) {
    test.variant = "z";
    test.null = fmt::format("no autocorrelation in z up to lag {}", in.lags);
    group.tests.push_back(std::move(test));
  }
  std::vector<Spike> seasonal;
  std::copy_if(spikes.begin(), spikes.end(), std::back_inserter(seasonal),
               [](const Spike& s) { return s.seasonal; });
  const bool season_left = std::any_of(seasonal.begin(), seasonal.end(), decides);
  const std::string season =
      seasonal.empty() ? "" : fmt::format("a season is left at lag {}", spikes_in_words(seasonal));
  std::vector<std::string> left;
  if (group.tests[clustering ? 1 : 0].rejects().value_or(false))
    left.push_back(
        fmt::format("the residuals still have memory, {}: a lag is missing in the mean{}",
                    largest_lag(in.z, in.lags), mean_remedy(in)));
  if (season_left) left.push_back(season);
  answer(group, !left.empty(), fmt::format("{}", fmt::join(left, "; ")),
         clustering ? "the residuals have no memory by the robust form, which decides where "
                      "clustering is left"
                    : "the residuals have no memory");
  if (!season_left && !seasonal.empty()) {
    if (group.answer == CheckAnswer::holds) group.answer = CheckAnswer::doubtful;
    group.reading += fmt::format(
        "{} {}", group.answer == CheckAnswer::fails ? "; perhaps" : ", but perhaps", season);
  }
  return group;
}

CheckGroup law_group(const CheckInput& in) {
  CheckGroup group{.question = CheckQuestion::law, .reading = {}, .finding = {}, .tests = {}};
  std::vector<LawDeparture> departures;
  add_if_possible(group.tests, [&] {
    LawFit judged = law_fit(in.fit);
    departures = std::move(judged.departures);
    return Tests{std::move(judged.anderson_darling), std::move(judged.cramer_von_mises)};
  });
  const bool fails = !group.tests.empty() && group.tests.front().rejects().value_or(false);
  if (std::holds_alternative<Normal>(in.fit.model.shocks)) {
    group.tests.push_back(jarque_bera(in.z));
    group.tests.back().variant = "z";
    group.tests.back().null = "z is normal";
  }
  const std::string law(law_name(in.fit.model.shocks)), remedy = fails ? law_remedy(in.fit) : "";
  const auto told = [&](const std::vector<LawDeparture>& where) {
    return fmt::format("the shocks do not follow the {} law{}{}", law,
                       where.empty() ? "" : fmt::format(": {}", words(where)),
                       remedy.empty() ? "" : fmt::format("; {}", remedy));
  };
  answer(group, fails, told(departures), fmt::format("the shocks follow the {} law", law));
  if (departures.size() > 1) departures.resize(1);
  if (fails) group.finding = told(departures);
  return group;
}

CheckGroup constancy_group(const CheckInput& in) {
  CheckGroup group{.question = CheckQuestion::constancy, .reading = {}, .finding = {}, .tests = {}};
  if (in.has_equation) add_if_possible(group.tests, [&] { return nyblom(in.fit); });
  if (in.fit.exact) add_if_possible(group.tests, [&] { return Tests{two_halves(in.fit)}; });
  const bool fails = !group.tests.empty() && group.tests.front().rejects().value_or(false);
  answer(group, fails,
         in.fit.exact ? fmt::format("the two halves do not agree: {}",
                                    group.tests.empty() ? "" : group.tests[0].reading)
                      : "the parameters do not seem constant: see brace breaks",
         in.fit.exact ? "the two halves agree" : "the parameters are constant together");
  return group;
}

CheckVerdict verdict_of(const Check& check, const VarianceFindings& found) {
  const auto fails = [&](CheckQuestion question) {
    return std::any_of(check.groups.begin(), check.groups.end(), [&](const CheckGroup& g) {
      return g.question == question && g.answer == CheckAnswer::fails;
    });
  };
  const bool mean = fails(CheckQuestion::mean);
  if (mean || found.memory)
    return mean && found.memory ? CheckVerdict::memory_in_both
           : mean               ? CheckVerdict::memory_in_mean
                                : CheckVerdict::memory_in_variance;
  return found.asymmetry                   ? CheckVerdict::asymmetry_left
         : fails(CheckQuestion::law)       ? CheckVerdict::law_departs
         : fails(CheckQuestion::constancy) ? CheckVerdict::not_constant
                                           : CheckVerdict::clean;
}

std::string in_doubt(const CheckGroup& group) {
  const auto rejecting = std::count_if(group.tests.begin(), group.tests.end(),
                                       [](const auto& t) { return t.rejects().value_or(false); });
  const std::string name = fmt::format("the {}", to_string(group.question));
  return rejecting == 0 ? name
                        : fmt::format("{} ({} of {} rows {})", name, rejecting, group.tests.size(),
                                      rejecting == 1 ? "rejects" : "reject");
}

// What fails, then what is in doubt; where nothing fails, what holds.
std::string reading_of(const Check& check) {
  std::vector<std::string> failed, doubtful;
  for (const CheckGroup& group : check.groups) {
    if (group.answer == CheckAnswer::fails) failed.push_back(group.finding);
    if (group.answer == CheckAnswer::doubtful) doubtful.push_back(in_doubt(group));
  }
  const std::string doubt =
      doubtful.empty() ? "" : fmt::format("; in doubt: {}", fmt::join(doubtful, ", "));
  if (!failed.empty()) return fmt::format("{}: {}{}", check.model, fmt::join(failed, "; "), doubt);
  const auto holds = [&](CheckQuestion question) {
    return std::any_of(check.groups.begin(), check.groups.end(), [&](const CheckGroup& g) {
      return g.question == question && g.answer == CheckAnswer::holds;
    });
  };
  std::vector<std::string> held;
  if (holds(CheckQuestion::law)) held.push_back("its law holds");
  if (holds(CheckQuestion::constancy)) held.push_back("its parameters are constant");
  return fmt::format("{} leaves no memory in its residuals or their squares{}{}{}{}", check.model,
                     doubt.empty() ? "" : " by the tests that decide", held.empty() ? "" : "; ",
                     fmt::join(held, " and "), doubt);
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
  CheckInput in{.fit = fit, .z = fit.standardised(), .z2 = {}, .given_lags = options.lags};
  in.z2 = squared(in.z);
  const int fitted = arma_terms(fit.model);
  in.lags = options.lags > 0 ? options.lags
                             : std::max(default_whiteness_lags(in.z.present()), fitted + 1);
  in.has_equation = !fit.exact && !std::holds_alternative<Steady>(fit.model.variance);
  VarianceFindings found;
  find_spikes(in.z, period_of(fit, options.period), out);
  CheckGroup variance = variance_group(in, found);
  out.groups.push_back(mean_group(in, found.memory, out.spikes));
  out.groups.push_back(std::move(variance));
  for (CheckGroup group : {law_group(in), constancy_group(in)})
    if (!group.tests.empty()) out.groups.push_back(std::move(group));
  const auto present = static_cast<int>(in.z.present());
  out.level = options.level;
  std::vector<int> shown = options.whiteness;
  if (shown.empty()) {
    for (const int dof : kSpread) shown.push_back(fitted + dof);
    const int two_seasons = 2 * period_of(fit, options.period);
    if (two_seasons > shown.back()) shown.push_back(two_seasons);
    std::erase_if(shown, [&](int up_to) { return up_to > present / 4; });
  }
  for (const int up_to : shown) {
    if (up_to <= fitted || up_to >= present)
      throw Error(ErrorCode::bad_option, fmt::format("{} lags: the residuals of '{}' bear {} to {}",
                                                     up_to, out.model, fitted + 1, present - 1));
    out.whiteness.push_back(ljung_box(in.z, {.lags = up_to, .fitted = fitted}));
    if (options.level > 0)
      out.whiteness_limits.push_back(
          laws::chi_squared_quantile(1 - options.level, out.whiteness.back().dof[0]));
  }
  out.roots = inverse_roots(fit);
  out.verdict = verdict_of(out, found);
  out.reading = reading_of(out);
  return out;
}

std::ostream& operator<<(std::ostream& out, const Check& check) {
  out << text::wrap(check.reading + ".");
  for (const CheckGroup& group : check.groups) {
    out << '\n'
        << text::wrap(fmt::format("{} {}: {}.", to_string(group.question),
                                  group.answer == CheckAnswer::doubtful ? "is in doubt"
                                                                        : to_string(group.answer),
                                  group.reading),
                      100, "  ");
    for (const TestResult& test : group.tests)
      out << fmt::format("    {:<17}{:<14}{:>8}  p {:<8} null: {}\n", test.test, test.variant,
                         text::significant(test.statistic, 4),
                         text::p_value(test.p_value, test.p_floor), test.null);
  }
  constexpr std::size_t kAcross = 8;  // columns of nine
  for (std::size_t first = 0; first < check.whiteness.size(); first += kAcross) {
    const std::span<const TestResult> part =
        std::span(check.whiteness)
            .subspan(first, std::min(kAcross, check.whiteness.size() - first));
    out << "\n  Ljung-Box on z up to lag";
    for (const TestResult& t : part) out << fmt::format("{:>9}", *t.lags);
    out << "\n  degrees of freedom      ";
    for (const TestResult& t : part) out << fmt::format("{:>9}", static_cast<int>(t.dof[0]));
    out << "\n  Q                       ";
    for (const TestResult& t : part) out << fmt::format("{:>9}", text::significant(t.statistic, 4));
    if (!check.whiteness_limits.empty()) {
      out << fmt::format("\n  {:<24}", q_at(check.level));
      for (std::size_t i = first; i < first + part.size(); ++i)
        out << fmt::format("{:>9}", text::significant(check.whiteness_limits[i], 4));
    }
    out << "\n  p                       ";
    for (const TestResult& t : part) out << fmt::format("{:>9}", text::p_value(t.p_value));
    out << "\n  white at 90 / 95 / 99 % ";
    for (const TestResult& t : part) {
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
  if (!check.groups.empty())
    out << "\n"
        << text::wrap(
               "A small p speaks against the null of its row; at the head of each group "
               "stands what its rows say together, by the rules in docs/variance.md.",
               100, "  ");
  for (const Warning& warning : check.warnings)
    out << text::wrap(fmt::format("{}: {}", to_string(warning.code), warning.text), 100, "  ");
  return out;
}

}  // namespace brace
