// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include <cmath>

#include "brace/laws/dickey_fuller.hpp"
#include "brace/laws/kpss.hpp"
#include "brace/laws/standard.hpp"
#include "support/known_answers.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

TEST(Standard, QuantilesInvertProbabilities) {
  EXPECT_NEAR(laws::normal_quantile(.975), 1.959963984540054, 1e-14);
  EXPECT_NEAR(laws::chi_squared_tail(18.307038053275146, 10), .05, 1e-14);
  for (const double nu : {2.5, 6.0, 200.0})
    for (const double p : {.01, .3, .99})
      EXPECT_NEAR(laws::unit_student_cdf(laws::unit_student_quantile(p, nu), nu), p, 1e-13);
  EXPECT_NEAR(laws::unit_student_quantile(.975, 1e7), 1.95996, 1e-4) << "tends to the normal";
}

// The law itself, against an independent inversion with 200 eigenvalues.
TEST(Kpss, AgreesWithTheReferenceOverTheWholeRange) {
  const test::Json answer = test::known_answer("o07");
  const double tolerance = answer["tolerance"]["p_abs"];
  for (const test::Json& c : answer["expected"]["law_sf"]) {
    const bool trend = c["kind"] == "trend";
    EXPECT_NEAR(laws::kpss_p(c["x"], trend), c["p"].get<double>(), tolerance) << c;
  }
}

// Exact critical values of both laws; level: Anderson and Darling (1952), table 1, has .46136 and
// .74346.
TEST(Kpss, CriticalValues) {
  EXPECT_NEAR(laws::kpss_critical(.05, false), .46136, 5e-6);
  EXPECT_NEAR(laws::kpss_critical(.01, false), .74346, 5e-6);
  EXPECT_NEAR(laws::kpss_critical(.05, true), .14789, 5e-6);
  EXPECT_NEAR(laws::kpss_critical(.01, true), .21775, 5e-6);
}

TEST(Kpss, FallsWithoutAStepWhereTheFormulasMeet) {
  for (const bool trend : {false, true}) {
    double before = 1;
    for (double x = .01; x < 6; x *= 1.01) {
      const double p = laws::kpss_p(x, trend);
      // Where p is within the inversion's absolute error of 1 it may not fall.
      EXPECT_LE(p, before + 1e-12) << x;
      if (p < 1e-7 && before > 1e-12) {  // around the switch p falls by a quarter a step of 1 %
        EXPECT_GT(p / before, .65) << "a step at " << x;
      }
      before = p;
    }
    EXPECT_LT(before, trend ? 1e-50 : 1e-13);
    EXPECT_GT(before, 0) << "never rounded to 0";
  }
}

// MacKinnon (2010), table 2: b0 + b1/T + b2/T^2 at T = 100; the surfaces agree to .005.
TEST(DickeyFuller, AgreesWithPublishedCriticalValues) {
  struct Case {
    Deterministic terms;
    double p, value;
  };
  for (const Case& c :
       {Case{Deterministic::none, .05, -1.94393}, Case{Deterministic::constant, .01, -3.49681},
        Case{Deterministic::constant, .05, -2.89037}, Case{Deterministic::constant, .10, -2.58224},
        Case{Deterministic::trend, .01, -4.05245}, Case{Deterministic::trend, .05, -3.45523}})
    EXPECT_NEAR(laws::dickey_fuller_quantile(c.p, 100, c.terms), c.value, .005)
        << to_string(c.terms) << " " << c.p;
}

TEST(DickeyFuller, ProbabilityAndQuantileAreInverseAndMonotone) {
  for (const Deterministic terms :
       {Deterministic::none, Deterministic::constant, Deterministic::trend})
    for (const int T : {20, 75, 2589, 100000}) {
      for (const double p : {.0005, .01, .05, .5, .9, .999})
        EXPECT_NEAR(laws::dickey_fuller_p(laws::dickey_fuller_quantile(p, T, terms), T, terms), p,
                    2e-3 * p)
            << T;
      double before = 0;
      for (double tau = -12; tau < 6; tau += .01) {
        const double p = laws::dickey_fuller_p(tau, T, terms);
        EXPECT_GE(p, before);
        EXPECT_LE(p, 1);
        before = p;
      }
    }
}

TEST(DickeyFuller, RefusesSamplesItsTableDoesNotKnow) {
  EXPECT_STREQ(
      test::error_of([] { (void)laws::dickey_fuller_p(-3, 19, Deterministic::none); }).what(),
      "a Dickey-Fuller test has 19 usable rows; its law is known from 20 up: give a longer series "
      "or fewer "
      "lags");
}

TEST(DickeyFuller, TableIsWhatItsGeneratorWrites) {
  const test::Outcome made = test::run("'" BRACE_TABLES "' tools/laws/dickey_fuller.json");
  EXPECT_EQ(made.status, 0) << made.err;
  EXPECT_EQ(made.out, test::content_of(BRACE_SOURCE_DIR "/src/laws/dickey_fuller_table.cpp"));
}

}  // namespace
}  // namespace brace
