// SPDX-License-Identifier: Apache-2.0
// Likelihoods and maxima against the known answers, each by its own tolerance.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>

#include "brace/diagnosis/check.hpp"
#include "brace/estimation/estimate.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "support/known_answers.hpp"

namespace brace {
namespace {

using test::Case;
using test::Json;

// Brace's `skew` is the files' lambda.
class Known : public test::KnownAnswer {
 protected:
  Series y = test::series_of(answer);

  // Where the file has the model's j-th parameter.
  [[nodiscard]] std::size_t there(std::size_t j) const {
    const std::string name = parameter_names(model).all()[j];
    const auto at =
        std::find(want["names"].begin(), want["names"].end(), name == "skew" ? "lambda" : name);
    EXPECT_NE(at, want["names"].end()) << name;
    return static_cast<std::size_t>(at - want["names"].begin());
  }
};

void expect_ratio(double got, double want, double rel, const std::string& what) {
  EXPECT_NEAR(got / want, 1, rel) << what << ": got " << got << ", want " << want;
}

TEST_P(Known, LikelihoodPathAndGradientAtGivenParameters) {
  const Json& fixed = want["at_fixed_parameters"];
  std::vector<double> theta;
  for (const std::string& name : parameter_names(model).all())
    theta.push_back(fixed["parameters"].at(name == "skew" ? "lambda" : name));
  const Evaluation got = evaluate(model, y, theta);
  EXPECT_NEAR(got.log_likelihood, fixed["loglik"].get<double>(), tolerance("loglik_at_fixed_abs"));
  if (fixed.contains("gradient"))
    for (std::size_t j = 0; j < theta.size(); ++j)
      test::expect_close(got.gradient[j], fixed["gradient"][there(j)], 1e-6,
                         tolerance("gradient_at_fixed_rel"), "gradient");
  const std::size_t n = got.variances.size();
  for (std::size_t i = 0; i < 5; ++i) {
    expect_ratio(got.variances[i], fixed["h_first5"][i], tolerance("h_at_fixed_rel"), "first h");
    expect_ratio(got.variances[n - 5 + i], fixed["h_last5"][i], tolerance("h_at_fixed_rel"),
                 "last h");
  }
}

TEST_P(Known, Maximum) {
  const Fit fit = estimate(model, y);
  ASSERT_EQ(fit.convergence.status, FitStatus::converged) << fit;
  EXPECT_LT(*fit.convergence.gradient_norm, kConverged);
  EXPECT_NEAR(*fit.log_likelihood, want["loglik"].get<double>(), tolerance("loglik_abs"));
  EXPECT_EQ(fit.n, want["n"].get<std::size_t>());
  EXPECT_EQ(fit.estimated, want["k"].get<int>());
  EXPECT_NEAR(*fit.aic, want["aic"].get<double>(), tolerance("information_criteria_abs"));
  EXPECT_NEAR(*fit.bic, want["bic"].get<double>(), tolerance("information_criteria_abs"));
  for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
    const Parameter& p = fit.parameters[j];
    const std::size_t i = there(j);
    EXPECT_NEAR(p.estimate, want["estimate"][i].get<double>(),
                tolerance("estimate_in_units_of_se") * want["se_hessian"][i].get<double>())
        << p.name;
    expect_ratio(*p.se_hessian, want["se_hessian"][i], tolerance("se_rel"),
                 p.name + " hessian error");
    expect_ratio(*p.se_opg, want["se_opg"][i], tolerance("se_rel"), p.name + " opg error");
    expect_ratio(*p.se_robust, want["se_sandwich"][i], tolerance("se_rel"),
                 p.name + " robust error");
  }
  expect_ratio(fit.variances.back(), want["last_h"], tolerance("h_rel"), "last h");
  EXPECT_EQ(fit.persistence.has_value(), want.contains("persistence"));
  if (fit.persistence) {
    EXPECT_NEAR(*fit.persistence, want["persistence"].get<double>(), tolerance("persistence_abs"));
  }
  EXPECT_EQ(fit.typical_variance.has_value(), GetParam().id == std::string("o20") ||
                                                  GetParam().id == std::string("o21") ||
                                                  GetParam().id == std::string("o25"));
  if (want.contains("exp_mean_log_variance"))
    expect_ratio(*fit.typical_variance, want["exp_mean_log_variance"],
                 tolerance("unconditional_variance_rel"), "exp of the mean of ln h");
  if (want.contains("unconditional_variance") && fit.unconditional_variance)
    expect_ratio(*fit.unconditional_variance, want["unconditional_variance"],
                 tolerance("unconditional_variance_rel"), "long run");
  // The file's half-life is that of the sum of the coefficients, which for one lag each is the
  // root's.
  if (want.contains("half_life") && std::string(GetParam().id) != "o40")
    expect_ratio(*fit.half_life, want["half_life"], tolerance("half_life_rel"), "half-life");
  ForecastOptions ten{.horizon = 10, .method = ForecastMethod::plug_in, .draws = 100, .paths = 1};
  if (answer.contains("inputs") && answer["inputs"].contains("future_x"))
    ten.future = {{"x", answer["inputs"]["future_x"].get<std::vector<double>>()}};
  const Forecast ahead = forecast(fit, ten);
  const auto compare = [&](const char* key, auto value) {
    if (!want.contains(key)) return;
    for (std::size_t i = 0; i < 10; ++i)
      expect_ratio(value(ahead.steps[i]), want[key][i], tolerance("forecast_rel"), key);
  };
  const auto typical = [](const ForecastStep& s) { return s.typical_variance; };
  compare("variance_forecast_exp_of_log", typical);
  if (std::holds_alternative<Aparch>(model.variance))
    compare("variance_forecast", typical);
  else
    compare("variance_forecast", [](const ForecastStep& s) { return *s.variance; });
  if (want.contains("variance_forecast_exact_mean"))
    compare("variance_forecast_exact_mean", [](const ForecastStep& s) { return *s.variance; });
  else
    EXPECT_EQ(ahead.steps[5].variance.has_value(), !std::holds_alternative<Egarch>(model.variance))
        << "under Student the mean of egarch's h is infinite";
  if (want.contains("mean_forecast"))
    for (std::size_t i = 0; i < want["mean_forecast"].size(); ++i)
      expect_ratio(ahead.steps[i].mean, want["mean_forecast"][i], tolerance("forecast_rel"),
                   "mean forecast");
  if (want.contains("mean_forecast_first"))
    expect_ratio(ahead.steps[0].mean, want["mean_forecast_first"], tolerance("forecast_rel"),
                 "mean forecast");
}

INSTANTIATE_TEST_SUITE_P(
    Cases, Known,
    testing::Values(
        Case{"o17", "const / garch / normal"}, Case{"o18", "const / garch / student"},
        Case{"o19", "const ar1 / gjr / student"}, Case{"o20", "zero / egarch / normal"},
        Case{"o21", "const / aparch / normal"}, Case{"o22", "const / garch / ged"},
        Case{"o23", "const / garch / skew-student"}, Case{"o24", "const ar1 ma1 / garch / normal"},
        Case{"o25", "zero / egarch / student"}, Case{"o40", "const / arch e1..3 / normal"},
        Case{"o41", "const / igarch / normal"}, Case{"o42", "zero / ewma / normal"},
        Case{"o43", "const / twocomp / normal"}, Case{"o44", "const / longmem / normal"},
        Case{"o45", "const risk sd / garch / normal"},
        Case{"o46", "const / garch vwith x / normal"}, Case{"o47", "const / gjr / skew-student"},
        Case{"o48", "const / garch / student"}),
    [](const auto& i) { return i.param.id; });

// egarch with a free mean: the likelihood has a kink in mu at every value of the series. In the
// known case its maximum lies between two.
TEST(Kink, KnownAnswerOfEgarchWithAMean) {
  const Json answer = test::known_answer("o25b");
  const Json &want = answer["expected"], &tol = answer["tolerance"];
  const Series y = test::series_of(answer);
  const Model model = parse_model("const / egarch / normal");
  const Json& fixed = want["at_fixed_parameters"];
  std::vector<double> theta;
  for (const std::string& name : parameter_names(model).all())
    theta.push_back(fixed["parameters"].at(name));
  // What the answer file allows.
  EXPECT_NEAR(evaluate(model, y, theta).log_likelihood, fixed["loglik"].get<double>(),
              tol["loglik_at_fixed_abs"].get<double>());
  const Fit fit = estimate(model, y);
  ASSERT_EQ(fit.convergence.status, FitStatus::converged) << fit;
  EXPECT_NEAR(*fit.log_likelihood, want["loglik"].get<double>(), 1e-6) << "its own bound is .002";
  for (std::size_t j = 0; j < fit.parameters.size(); ++j)
    EXPECT_NEAR(fit.parameters[j].estimate, want["estimate"][j].get<double>(),
                tol["estimate_in_units_of_se"].get<double>() *
                    want["se_opg_right_of_kink"][j].get<double>())
        << fit.parameters[j].name;
  // omega / (1 - persistence) magnifies what the estimates differ by.
  EXPECT_NEAR(*fit.unconditional_variance / want["unconditional_variance"].get<double>(), 1, 1e-3);
}

// Where the maximum lies on a kink the fit says so, mu is a value of the series, and the likelihood
// falls to both sides of it.
TEST(Kink, IsNamedWhereTheMaximumLiesOnIt) {
  std::size_t on_kink = 0;
  for (std::uint64_t s = 0; s < 40; ++s) {
    const Series y = simulate(parse_model("const / egarch"), {.1, 0, .3, -.1, .9}, 300,
                              {.seed = 14, .stream = s});
    const Fit fit = estimate("const / egarch", y);
    ASSERT_TRUE(fit.usable()) << s << fit;
    if (fit.convergence.why.find("mu on a kink") == std::string::npos) continue;
    ++on_kink;
    const double mu = fit.parameters[0].estimate;
    double nearest = 1e9;
    for (const double v : y.values) nearest = std::min(nearest, std::abs(v - mu));
    EXPECT_LT(nearest, 1e-12);
    EXPECT_EQ(fit.convergence.status, FitStatus::boundary);
    EXPECT_TRUE(fit.parameters[0].at_bound && !fit.parameters[0].se);
    EXPECT_EQ(fit.estimated, 5);
    for (const double move : {-1e-4, 1e-4}) {
      std::vector<double> beside = fit.estimates();
      beside[0] += move;
      EXPECT_LT(evaluate(fit.model, y, beside).log_likelihood, *fit.log_likelihood);
    }
  }
  EXPECT_GT(on_kink, 0u);
  fmt::print("  {} of 40 maxima lie on a kink\n", on_kink);
}

// A value that many rows share has a top of the likelihood on each side: a fit that ends at one has
// looked at the other.
TEST(Kink, BothSidesOfASharedValueAreLookedAt) {
  std::size_t beside = 0;
  constexpr double shared = .25;
  // Of 150 series the two whose first climbs end on the lower side, and three others.
  for (const std::uint64_t s : {109u, 110u, 111u, 140u, 141u}) {
    Series y = simulate(parse_model("const / egarch / ged"), {.2, 0, .5, -.1, .95, 1.1}, 600,
                        {.seed = 15, .stream = s});
    std::fill_n(y.values.begin() + 300, 60, shared);
    const Fit fit = estimate("const / egarch / ged", y);
    ASSERT_TRUE(fit.usable()) << s << fit;
    const double away = fit.parameters[0].estimate - shared;
    if (away == 0 || std::abs(away) > .02) continue;
    ++beside;
    EstimateOptions mirrored;
    mirrored.start = fit.estimates();
    mirrored.start[0] = shared - away;
    mirrored.from = ClimbFrom::start;
    const Fit other = estimate("const / egarch / ged", y, mirrored);
    const double there = other.usable() ? *other.log_likelihood : *fit.log_likelihood;
    EXPECT_LE(there, *fit.log_likelihood + 1e-3) << s;
  }
  EXPECT_GE(beside, 2u);
  fmt::print("  {} of 5 maxima lie beside the shared value\n", beside);
}

// The diagnostics of o17's fit that the slice has: Ljung-Box on z and z^2, degrees of freedom
// unreduced.
TEST(Diagnostics, PortmanteauOfStandardisedResiduals) {
  const Json answer = test::known_answer("o50");
  const double rel = answer["tolerance"]["rel"], abs = answer["tolerance"]["abs"];
  const Fit fit = estimate("const / garch", test::series_of(answer));
  for (const Json& c : answer["expected"]["ljung_box_z"])
    test::expect_close(hypothesis::ljung_box(fit.standardised(), {.lags = c["lag"]}).statistic,
                       c["ljung_box"], abs, rel, "z");
  for (const Json& c : answer["expected"]["ljung_box_z2"]) {
    const std::vector<TestResult> tests = check(fit, {.lags = c["lag"]}).tests();
    const auto plain = std::find_if(tests.begin(), tests.end(),
                                    [](const TestResult& t) { return t.test == "mcleod-li"; });
    ASSERT_NE(plain, tests.end());
    test::expect_close(plain->statistic, c["ljung_box"], abs, rel, "z^2");
    test::expect_close(*plain->p_value, c["ljung_box_p"], abs, rel, "z^2 p");
  }
}

}  // namespace
}  // namespace brace
