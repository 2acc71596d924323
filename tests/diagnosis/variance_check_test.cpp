// SPDX-License-Identifier: Apache-2.0
// What is left after a variance equation: known answers, sizes where nothing is left, and power
// where something is.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "brace/brace.hpp"
#include "support/known_answers.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::expect_close;
using test::Json;

TEST(VarianceCheck, KnownAnswersOfLiMakAndOfWhatArchIsLeft) {
  const Json answer = test::known_answer("o50");
  const test::Tolerance tolerance(answer);
  const Json& want = answer["expected"];
  const Fit fit = estimate("const / garch", test::series_of(answer));
  for (const Json& c : want["li_mak"]) {
    const TestResult got = li_mak(fit, c["m"]);
    expect_close(got.statistic, c["statistic"], tolerance.abs, tolerance.rel, "li-mak");
    expect_close(*got.p_value, c["p"], tolerance.abs, tolerance.rel, "li-mak p");
  }
  for (const Json& c : want["remaining_arch"]) {
    const TestResult plain = remaining_arch_test(fit, c["m"], false),
                     robust = remaining_arch_test(fit, c["m"]);
    EXPECT_EQ(plain.observations, c["N"].get<std::size_t>());
    expect_close(plain.statistic, c["statistic"], tolerance.abs, tolerance.rel, "arch-left");
    expect_close(*plain.p_value, c["p"], tolerance.abs, tolerance.rel, "arch-left p");
    expect_close(robust.statistic, c["robust_statistic"], tolerance.abs, tolerance.rel, "robust");
    expect_close(*robust.p_value, c["robust_p"], tolerance.abs, tolerance.rel, "robust p");
  }
}

TEST(VarianceCheck, KnownAnswersOfSignBias) {
  const Json answer = test::known_answer("o33");
  const test::Tolerance tolerance(answer);
  const Json& want = answer["expected"];
  const std::vector<TestResult> got = sign_bias_of(test::series_of(answer).values);
  ASSERT_EQ(got.size(), 4u);
  const std::array<const char*, 3> names{"sign", "negative_size", "positive_size"};
  for (std::size_t i = 0; i < 3; ++i) {
    const Json& one = want["individual"][names[i]];
    expect_close(got[i].statistic, one["t"], tolerance.abs, tolerance.rel, names[i]);
    expect_close(*got[i].p_value, one["p"], tolerance.abs, tolerance.rel, names[i]);
  }
  expect_close(got[3].statistic, want["joint_lm"], tolerance.abs, tolerance.rel, "joint");
  expect_close(*got[3].p_value, want["joint_p"], tolerance.abs, tolerance.rel, "joint p");
}

// Share of 400 series on which each test rejects at 5 %.
struct Shares {
  double li_mak = 0, arch_left = 0, signs = 0, plain = 0;
};
Shares shares(const char* made_by, const std::vector<double>& theta, const char* fitted_by) {
  constexpr std::size_t kSeries = 400, kRows = 1200;
  const Model made = parse_model(made_by), fitted = parse_model(fitted_by);
  std::vector<FitJob> jobs;
  for (std::size_t s = 0; s < kSeries; ++s)
    jobs.push_back({.model = fitted,
                    .series = std::make_shared<Series>(
                        simulate(made, theta, kRows, {.seed = 63, .stream = s}))});
  std::vector<std::array<double, 4>> p(kSeries);
  const Executor executor = Executor::all_cores();
  const std::vector<Fit> fits = values_of(fit_many(jobs, {}, executor));
  executor.for_each(kSeries, [&](std::size_t s) {
    if (!fits[s].usable()) return;
    p[s] = {*li_mak(fits[s]).p_value, *remaining_arch_test(fits[s]).p_value,
            *sign_bias(fits[s]).back().p_value,
            *hypothesis::mcleod_li(fits[s].standardised()).p_value};
  });
  std::array<double, 4> rejected{};
  for (const auto& one : p)
    for (std::size_t i = 0; i < 4; ++i) rejected[i] += one[i] < .05 ? 1. / kSeries : 0;
  fmt::print("  {} on {}: li-mak {:.3f}, arch-left {:.3f}, sign-bias {:.3f}, mcleod-li {:.3f}\n",
             fitted_by, made_by, rejected[0], rejected[1], rejected[2], rejected[3]);
  return {rejected[0], rejected[1], rejected[2], rejected[3]};
}

// Four Monte Carlo errors around 5 %: .05 +- .044.
TEST(VarianceCheck, RejectsAsOftenAsItSaysWhereTheModelIsRight) {
  for (const auto& [line, theta] :
       {std::pair{"const / garch", std::vector<double>{0, .05, .1, .85}},
        std::pair{"const ar1 / garch / student", std::vector<double>{0, .2, .05, .1, .85, 6}},
        std::pair{"zero / gjr / skew-student", std::vector<double>{.05, .04, .1, .86, 7, -.2}}}) {
    const Shares s = shares(line, theta, line);
    EXPECT_NEAR(s.li_mak, .05, .044) << line;
    EXPECT_NEAR(s.arch_left, .05, .044) << line;
    EXPECT_NEAR(s.signs, .05, .044) << line;
  }
}

TEST(VarianceCheck, FindsWhatIsLeft) {
  // A second shock lag that is left out, an asymmetry.
  EXPECT_GT(shares("zero / arch e1,3", {.4, .2, .4}, "zero / arch").li_mak, .9);
  EXPECT_GT(shares("zero / gjr", {.05, .01, .18, .85}, "zero / garch").signs, .5);
}

TEST(VarianceCheck, SaysWhichTermWouldTakeItUp) {
  const Series skewed = simulate(parse_model("zero / gjr"), {.05, 0, .25, .82}, 4000, {.seed = 3});
  const std::string found = check(estimate("zero / garch", skewed)).reading;
  EXPECT_NE(found.find("'zero / gjr e1 h1 / normal' lowers bic"), std::string::npos) << found;
  const Series heavy =
      simulate(parse_model("zero / garch / student"), {.05, .1, .85, 5}, 4000, {.seed = 3});
  const std::string tails = check(estimate("zero / garch", heavy)).reading;
  EXPECT_NE(tails.find("'zero / garch e1 h1 / student' lowers bic"), std::string::npos) << tails;
  const Check right = check(estimate("zero / garch / student", heavy));
  EXPECT_EQ(right.verdict, CheckVerdict::clean);
  EXPECT_NE(right.reading.find("its law holds"), std::string::npos) << right.reading;
  const Series lagged = simulate(parse_model("zero / arch e1,4"), {.3, .1, .5}, 3000, {.seed = 4});
  const std::string lag = check(estimate("zero / arch", lagged)).reading;
  EXPECT_NE(lag.find("'zero / arch e1,4 / normal' lowers bic"), std::string::npos) << lag;
}

TEST(VarianceCheck, RefusesWhatHasNoVarianceEquationOrTooFewRows) {
  const Series y = simulate(parse_model("zero / garch"), {.05, .1, .85}, 300, {.seed = 5});
  const Fit exact = estimate("const ar1", y);
  EXPECT_EQ(test::error_of([&] { (void)li_mak(exact); }).code(), ErrorCode::bad_option);
  EXPECT_EQ(test::error_of([&] { (void)remaining_arch_test(exact); }).code(),
            ErrorCode::bad_option);
  const Fit fit = estimate("zero / garch", y);
  EXPECT_EQ(test::error_of([&] { (void)li_mak(fit, 200); }).code(),
            ErrorCode::too_few_observations);
}

// The curve of each family against its equation, the past at rest.
TEST(NewsImpact, IsTheEquationOfEachFamily) {
  const Series y =
      simulate(parse_model("zero / gjr / student"), {.05, .03, .12, .86, 6}, 3000, {.seed = 7});
  const auto at = [](const Fit& fit, const char* name) {
    for (const Parameter& p : fit.parameters)
      if (p.name == name) return p.estimate;
    throw std::logic_error(name);
  };
  {
    const Fit fit = estimate("zero / gjr / student", y);
    const NewsImpact curve = news_impact(fit);
    const double level = *fit.unconditional_variance;
    EXPECT_NEAR(curve.level, std::sqrt(level), 1e-12);
    for (std::size_t i = 0; i < curve.shock.size(); ++i) {
      const double e = curve.shock[i], q = e * e;
      const double h = at(fit, "omega") +
                       (at(fit, "alpha1") + (e < 0 ? at(fit, "gamma1") : 0)) * q +
                       at(fit, "beta1") * level;
      EXPECT_NEAR(curve.volatility[i], std::sqrt(h), 1e-10) << e;
    }
    const double after_two = at(fit, "omega") + (4 * at(fit, "alpha1") + at(fit, "beta1")) * level;
    EXPECT_NEAR(curve.rise, std::sqrt(after_two), 1e-10);
    EXPECT_NEAR(curve.fall, std::sqrt(after_two + 4 * at(fit, "gamma1") * level), 1e-10);
    EXPECT_GT(curve.fall, curve.rise) << "falls weigh more";
  }
  {
    const Fit fit = estimate("zero / egarch / normal", y);
    const NewsImpact curve = news_impact(fit);
    for (std::size_t i = 0; i < curve.shock.size(); i += 20) {
      const double level = *fit.unconditional_variance, z = curve.shock[i] / std::sqrt(level);
      const double x = at(fit, "omega") + at(fit, "alpha1") * (std::abs(z) - std::sqrt(2 / M_PI)) +
                       at(fit, "gamma1") * z + at(fit, "beta1") * std::log(level);
      EXPECT_NEAR(curve.volatility[i], std::exp(x / 2), 1e-10);
    }
  }
  {
    const Fit fit = estimate("zero / aparch / normal", y);
    const NewsImpact curve = news_impact(fit);
    const double delta = at(fit, "delta"), power = std::pow(*fit.typical_variance, delta / 2);
    for (std::size_t i = 0; i < curve.shock.size(); i += 20) {
      const double e = curve.shock[i];
      const double x = at(fit, "omega") +
                       at(fit, "alpha1") * std::pow(std::abs(e) - at(fit, "gamma1") * e, delta) +
                       at(fit, "beta1") * power;
      EXPECT_NEAR(curve.volatility[i], std::pow(x, 1 / delta), 1e-9);
    }
  }
  EXPECT_EQ(test::error_of([&] { (void)news_impact(estimate("const", y)); }).code(),
            ErrorCode::bad_option);
}

}  // namespace
}  // namespace brace
