// SPDX-License-Identifier: Apache-2.0
// Losses, hits, contests, densities and directions: against known answers, by definition, and by
// their size in simulations.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "brace/base/error.hpp"
#include "brace/evaluate/contest.hpp"
#include "brace/evaluate/densities.hpp"
#include "brace/evaluate/directions.hpp"
#include "brace/evaluate/hits.hpp"
#include "brace/evaluate/volatility.hpp"
#include "brace/laws/standard.hpp"
#include "brace/maths/random.hpp"
#include "families/shock_law.hpp"
#include "support/known_answers.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Json;
using test::known_answer;

void near(double found, const Json& expected, double absolute = 1e-9, double relative = 1e-8) {
  const double want = expected.get<double>();
  EXPECT_NEAR(found, want, absolute + relative * std::abs(want));
}

TEST(VolatilityLosses, KnownAnswers) {
  const Json answer = known_answer("o30");
  const std::vector<double> proxy = answer["inputs"]["proxy"];
  for (const char* h : {"h1", "h2"}) {
    const std::vector<double> forecast = answer["inputs"][h];
    const Json& losses = answer["expected"][std::string("losses_") + h];
    const VolatilityLosses l = volatility_losses(proxy, forecast);
    near(l.qlike, losses["qlike_log"]);
    near(l.qlike_ratio, losses["qlike_ratio"]);
    near(l.mse, losses["mse"]);
    near(l.mae, losses["mae"]);
    const Json& fair = answer["expected"][std::string("mz_") + h];
    const MincerZarnowitz m = mincer_zarnowitz(proxy, forecast);
    near(m.a, fair["a"]);
    near(m.b, fair["b"]);
    near(m.a_error, fair["se"][0]);
    near(m.b_error, fair["se"][1]);
    near(m.r2, fair["r2"]);
    near(m.fair.statistic, fair["f"]);
    near(*m.fair.p_value, fair["f_p"]);
  }
}

TEST(DieboldMariano, KnownAnswers) {
  const Json answer = known_answer("o30");
  const std::vector<double> proxy = answer["inputs"]["proxy"], h1 = answer["inputs"]["h1"],
                            h2 = answer["inputs"]["h2"];
  std::vector<double> mse1, mse2;
  for (std::size_t t = 0; t < proxy.size(); ++t) {
    mse1.push_back(std::pow(proxy[t] - h1[t], 2));
    mse2.push_back(std::pow(proxy[t] - h2[t], 2));
  }
  std::vector<double> qlike1 = qlike_by_row(proxy, h1), qlike2 = qlike_by_row(proxy, h2);
  for (const auto& [cases, a, b] :
       {std::tuple{"dm_mse", &mse1, &mse2}, std::tuple{"dm_qlike", &qlike1, &qlike2}})
    for (const Json& c : answer["expected"][cases]) {
      const int horizon = c["h"];
      const TestResult plain = diebold_mariano(*a, *b, horizon, false),
                       corrected = diebold_mariano(*a, *b, horizon);
      near(plain.statistic, c["dm"]);
      near(*plain.p_value, c["dm_p_normal"]);
      near(corrected.statistic, c["hln"]);
      near(*corrected.p_value, c["hln_p_t"]);
    }
  EXPECT_EQ(*diebold_mariano(mse1, mse1).p_value, 1);
}

TEST(Hits, KnownAnswers) {
  const Json answer = known_answer("o31");
  for (const char* name : {"hits", "no_hits", "few"}) {
    std::vector<unsigned char> hits;
    for (const Json& h : answer["inputs"][name]) hits.push_back(h.get<int>() != 0);
    const Json& expected = answer["expected"][name];
    const double target = expected["target"];
    const TestResult often = hit_frequency_test(hits, target), alone = hit_independence_test(hits),
                     both = conditional_coverage(hits, target);
    near(often.statistic, expected["lr_uc"], 1e-10, 1e-10);
    near(*often.p_value, expected["lr_uc_p"], 1e-10, 1e-10);
    near(alone.statistic, expected["lr_ind"], 1e-10, 1e-10);
    near(*alone.p_value, expected["lr_ind_p"], 1e-10, 1e-10);
    near(both.statistic, expected["lr_cc"], 1e-10, 1e-10);
    near(*both.p_value, expected["lr_cc_p"], 1e-10, 1e-10);
  }
}

TEST(Densities, KnownAnswers) {
  const Json answer = known_answer("o52");
  const std::vector<double> actual = answer["inputs"]["actual"],
                            forecast = answer["inputs"]["forecast"], sd = answer["inputs"]["sd"],
                            pit = answer["inputs"]["pit"];
  double mean = 0;
  for (std::size_t t = 0; t < actual.size(); ++t)
    mean += crps_normal(actual[t], forecast[t], sd[t]) / static_cast<double>(actual.size());
  near(mean, answer["expected"]["scores"]["crps"]);
  const BerkowitzTest b = berkowitz(pit);
  const Json& expected = answer["expected"]["berkowitz"];
  near(b.mean, expected["mu"], 1e-6);
  near(b.variance, expected["sigma2"], 1e-6);
  near(b.ar1, expected["rho"], 1e-6);
  near(b.log_likelihood, expected["loglik"], 1e-7);
  near(b.all.statistic, expected["lr"], 1e-7);
  near(*b.all.p_value, expected["lr_p"], 1e-7);
  near(b.memory.statistic, expected["lr_ind"], 1e-7);
  near(*b.memory.p_value, expected["lr_ind_p"], 1e-7);
}

TEST(Densities, ScoreOfPathsNearsTheClosedForm) {
  maths::RandomStream u(3, 0);
  std::vector<double> values(200000);
  for (double& v : values) v = 1 + 2 * u.normal();
  for (const double actual : {-3., 1., 2.5})
    // Four Monte Carlo errors of 200,000 draws with sd 2.
    EXPECT_NEAR(crps(values, actual), crps_normal(actual, 1, 2), .02);
  std::vector<double> two{1, 3};  // by hand: (1 + 1) / 2 - 2 * 2 / (2 * 4)
  EXPECT_DOUBLE_EQ(crps(two, 2), .5);
}

// The score is the integral of the squared distance between F and the step at what came.
TEST(Densities, ScoreOfAStudentLaw) {
  for (const double nu : {2.3, 4., 7., 40.})
    for (const double y : {-5., .3, 1.2}) {
      const double mean = .4, sd = 1.7;
      const auto gap = [&](double x) {
        const double F = laws::unit_student_cdf((x - mean) / sd, nu);
        return std::pow(F - (x >= y ? 1 : 0), 2);
      };
      // x = y + sinh(u) on either side, by midpoints.
      double whole = 0;
      constexpr double kStep = .002;
      for (double u = .5 * kStep; u < 14; u += kStep)
        whole += kStep * std::cosh(u) * (gap(y + std::sinh(u)) + gap(y - std::sinh(u)));
      EXPECT_NEAR(crps_student(y, mean, sd, nu), whole, 2e-5 * whole) << nu << " " << y;
      EXPECT_NEAR(crps_student(3 * y, 3 * mean, 3 * sd, nu), 3 * crps_student(y, mean, sd, nu),
                  1e-12);
    }
  // Student at 1e6 degrees of freedom differs from the normal by 1e-6.
  EXPECT_NEAR(crps_student(.7, 0, 1, 1e6), crps_normal(.7, 0, 1), 1e-5);
  const NextRow next{.shocks = Student{}, .parts = {{.4, 4, {6}}}};
  EXPECT_DOUBLE_EQ(score_density(next, 1.5).crps, crps_student(1.5, .4, 2, 6));
}

// Equally likely parts: the density is the slope of F and holds all of the chance, and the score is
// that of draws.
TEST(Densities, OfAMixture) {
  const NextRow next{.shocks = Student{}, .parts = {{0, 1, {6}}, {.5, 4, {4.5}}, {-.2, .3, {30}}}};
  const auto score = [&](double y) { return score_density(next, y); };
  double whole = 0;
  constexpr double kStep = .01;
  for (double y = -60; y < 60; y += kStep) whole += kStep * std::exp(score(y).log_score);
  EXPECT_NEAR(whole, 1, 1e-4);
  maths::RandomStream u(5, 0);
  std::vector<double> draws(90000);
  for (std::size_t i = 0; i < draws.size(); ++i) {
    const NextRow::Part& part = next.parts[i % 3];
    draws[i] = part.mean +
               std::sqrt(part.variance) * shock_law(next.shocks).quantile(u.uniform(), part.shape);
  }
  for (const double y : {-4., .1, 2.5}) {
    EXPECT_NEAR((score(y + 1e-5).transform - score(y - 1e-5).transform) / 2e-5,
                std::exp(score(y).log_score), 1e-8);
    // Four Monte Carlo errors.
    EXPECT_NEAR(score(y).crps, crps(draws, y), .02);
    const DensityScore normal = score_density({.shocks = Normal{}, .parts = {{1, 4, {}}}}, y);
    EXPECT_DOUBLE_EQ(normal.crps, crps_normal(y, 1, 2));
    // Parts that are the same are one.
    const DensityScore twice =
        score_density({.shocks = Normal{}, .parts = {{1, 4, {}}, {1, 4, {}}}}, y);
    EXPECT_NEAR(twice.log_score, normal.log_score, 1e-12);
    EXPECT_NEAR(twice.crps, normal.crps, .015);
  }
  EXPECT_THROW((void)score_density({}, 0), Error);
}

TEST(Directions, TableAndChance) {
  const std::vector<double> called{1, 1, -1, -1, 0, 2, -2, 1, -1, 3, 1, -1},
      came{2, 1, -1, 1, 0, 1, -1, -1, -2, 1, 1, -1};
  const Directions d = directions(came, called, .5);
  EXPECT_EQ(d.n, 12U);
  EXPECT_EQ(d.table[2][2], 5U);  // called up, came up
  EXPECT_EQ(d.table[2][0], 1U);
  EXPECT_EQ(d.table[0][0], 4U);
  EXPECT_EQ(d.table[0][2], 1U);
  EXPECT_EQ(d.table[1][1], 1U);
  EXPECT_DOUBLE_EQ(d.right, 10. / 12);
  EXPECT_NEAR(d.by_chance, (6. / 12) * (6. / 12) + (5. / 12) * (5. / 12) + 1. / 144, 1e-12);
  EXPECT_TRUE(*d.test.rejects());
  const std::vector<double> always(12, 1.0);
  EXPECT_FALSE(directions(came, always, .5).test.p_value);
}

// Each test at 5 % on series that meet its null: a share of rejections within four errors of it.
TEST(Scores, SizesAreFivePercent) {
  constexpr int kRuns = 2000;
  constexpr std::size_t n = 400;
  std::map<std::string, int> rejected;
  for (int run = 0; run < kRuns; ++run) {
    maths::RandomStream u(17, static_cast<std::uint64_t>(run));
    std::vector<unsigned char> hits;
    std::vector<double> quantile, transforms, a, b, y, f;
    for (std::size_t t = 0; t < n; ++t) {
      const double x = u.uniform();
      transforms.push_back(x);
      hits.push_back(x < .1);
      quantile.push_back(-1 - u.uniform());
      const double common = u.normal();
      a.push_back(std::pow(common + .5 * u.normal(), 2));
      b.push_back(std::pow(common + .5 * u.normal(), 2));
      y.push_back(u.normal());
      f.push_back(u.normal());
    }
    rejected["frequency"] += *hit_frequency_test(hits, .1).rejects();
    rejected["independence"] += *hit_independence_test(hits).rejects();
    rejected["quantile"] += *dynamic_quantile(hits, quantile, .1).rejects();
    rejected["shortfall"] += *shortfall_frequency_test(transforms, .1).rejects();
    rejected["shortfall memory"] += *shortfall_independence_test(transforms, .1).rejects();
    rejected["contest"] += *diebold_mariano(a, b).rejects();
    rejected["directions"] += *directions(y, f, .3).test.rejects();
    if (run % 4 == 0) rejected["berkowitz"] += *berkowitz(transforms).all.rejects();
  }
  for (const auto& [name, count] : rejected) {
    const double runs = name == "berkowitz" ? kRuns / 4 : kRuns;
    // Four binomial errors.
    EXPECT_NEAR(count / runs, .05, 4 * std::sqrt(.05 * .95 / runs)) << name;
  }
}

TEST(Scores, FindWhatIsWrong) {
  maths::RandomStream u(18, 0);
  std::vector<unsigned char> often, clustered;
  std::vector<double> narrow, quantile;
  bool hit = false;
  for (int t = 0; t < 800; ++t) {
    often.push_back(u.uniform() < .09);
    hit = u.uniform() < (hit ? .3 : .04);
    clustered.push_back(hit);
    narrow.push_back(laws::normal_cdf(1.3 * u.normal()));
    quantile.push_back(-2 - .1 * u.normal());
  }
  EXPECT_TRUE(*hit_frequency_test(often, .05).rejects());
  EXPECT_TRUE(*hit_independence_test(clustered).rejects());
  EXPECT_TRUE(*dynamic_quantile(clustered, quantile, .05).rejects());
  EXPECT_TRUE(*shortfall_frequency_test(narrow, .05).rejects());
  EXPECT_TRUE(*berkowitz(narrow).all.rejects());
  EXPECT_FALSE(*berkowitz(narrow).memory.rejects());
}

// The best model stays in the set with probability 90 % or more; a far worse one goes.
TEST(ConfidenceSet, KeepsTheBestAndDropsTheWorst) {
  int kept = 0, dropped = 0;
  constexpr int kRuns = 200;
  for (int run = 0; run < kRuns; ++run) {
    maths::RandomStream u(19, static_cast<std::uint64_t>(run));
    std::vector<std::vector<double>> losses(4);
    for (int t = 0; t < 300; ++t) {
      const double common = u.normal();
      for (std::size_t m = 0; m < 4; ++m)
        losses[m].push_back(common + u.normal() + (m == 3 ? .5 : m == 2 ? .02 : 0));
    }
    const ConfidenceSet set = model_confidence_set(losses, {.resamples = 500});
    kept += set.within[0];
    dropped += !set.within[3];
    EXPECT_EQ(*std::max_element(set.p_values.begin(), set.p_values.end()), 1);
  }
  EXPECT_GE(kept, .9 * kRuns - 3 * std::sqrt(.09 * kRuns));
  EXPECT_GE(dropped, .95 * kRuns);
}

TEST(Scores, BadInputIsNamed) {
  const std::vector<double> good(20, 1.0), bad{1, -1, 1, 1, 1, 1, 1, 1, 1, 1};
  const std::vector<double> ten(10, 1.0);
  EXPECT_EQ(std::string(test::error_of([&] { (void)volatility_losses(ten, bad); }).what()),
            "volatility losses: row 2: a forecast of -1 and a proxy of 1; variances are positive");
  EXPECT_EQ(test::error_of([&] { (void)diebold_mariano(good, ten); }).code(),
            ErrorCode::bad_option);
  const std::vector<unsigned char> few(9, 0);
  EXPECT_EQ(test::error_of([&] { (void)hit_frequency_test(few, .05); }).code(),
            ErrorCode::too_few_observations);
  EXPECT_EQ(
      test::error_of([&] { (void)hit_frequency_test(std::vector<unsigned char>(20), 1.5); }).code(),
      ErrorCode::bad_option);
}

}  // namespace
}  // namespace brace
