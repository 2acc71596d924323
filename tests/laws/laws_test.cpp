// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "brace/laws/change.hpp"
#include "brace/laws/kpss.hpp"
#include "brace/laws/simulated.hpp"
#include "brace/laws/standard.hpp"
#include "laws/transforms.hpp"
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

using laws::SimulatedLaw;

// MacKinnon (2010), table 2: b0 + b1/T + b2/T^2 at T = 100; the surfaces agree to .005.
TEST(Simulated, AgreesWithPublishedDickeyFullerValues) {
  struct Case {
    SimulatedLaw law;
    double p, value;
  };
  for (const Case& c :
       {Case{SimulatedLaw::tau_none, .05, -1.94393},
        Case{SimulatedLaw::tau_constant, .01, -3.49681},
        Case{SimulatedLaw::tau_constant, .05, -2.89037},
        Case{SimulatedLaw::tau_constant, .10, -2.58224},
        Case{SimulatedLaw::tau_trend, .01, -4.05245}, Case{SimulatedLaw::tau_trend, .05, -3.45523}})
    EXPECT_NEAR(laws::quantile(c.law, c.p, 100), c.value, .005) << to_string(c.law) << " " << c.p;
}

// Limits: Fuller (1976), table 8.5.1, of the rho statistic; Elliott, Rothenberg and Stock (1996),
// table 1, of P_T; Zivot and Andrews (1992), tables 3 and 4; all at 5 %.
TEST(Simulated, TendsToThePublishedLimits) {
  struct Case {
    SimulatedLaw law;
    double value, tolerance;
  };
  for (const Case& c :
       {Case{SimulatedLaw::rho_none, -8.1, .1}, Case{SimulatedLaw::rho_constant, -14.1, .15},
        Case{SimulatedLaw::rho_trend, -21.8, .2},
        Case{SimulatedLaw::point_optimal_constant, 3.26, .06},
        Case{SimulatedLaw::point_optimal_trend, 5.62, .1},
        Case{SimulatedLaw::zivot_andrews_trend, -4.42, .06},
        Case{SimulatedLaw::zivot_andrews_both, -5.08, .06}})
    EXPECT_NEAR(laws::quantile(c.law, .05, 100000), c.value, c.tolerance) << to_string(c.law);
}

// What theory says are the same laws in the limit: MZt and the t of DF-GLS, MPT and P_T, and with a
// constant MZa and rho without terms (Ng and Perron 2001, section 3). Their simulations are
// independent. The published row of MZt with trend, -2.91, is not met (-2.85 here), no more than
// that of DF-GLS for infinity, -2.89.
TEST(Simulated, LawsThatAreOneInTheLimitAgree) {
  for (const auto& [one, other] :
       {std::pair{SimulatedLaw::mzt_constant, SimulatedLaw::df_gls_constant},
        std::pair{SimulatedLaw::mzt_trend, SimulatedLaw::df_gls_trend},
        std::pair{SimulatedLaw::mpt_constant, SimulatedLaw::point_optimal_constant},
        std::pair{SimulatedLaw::mpt_trend, SimulatedLaw::point_optimal_trend},
        std::pair{SimulatedLaw::mza_constant, SimulatedLaw::rho_none}})
    for (const double p : {.01, .05, .5})
      EXPECT_NEAR(laws::lower_tail(other, laws::quantile(one, p, 100000), 100000), p,
                  .002 + .05 * p)
          << to_string(one);
}

// At zero frequency the seasonal tests are the Dickey-Fuller test with its terms in the limit; two
// frequencies share one law, and F of a pair is Hylleberg et al.'s 6.5 or so at 5 % (1990, table
// 1).
TEST(Simulated, SeasonalLawsAreTheKnownOnesInTheLimit) {
  for (const auto& [seasonal, plain] :
       {std::pair{SimulatedLaw::quarter_zero_constant, SimulatedLaw::tau_constant},
        std::pair{SimulatedLaw::month_zero_constant, SimulatedLaw::tau_constant},
        std::pair{SimulatedLaw::quarter_zero_trend, SimulatedLaw::tau_trend},
        std::pair{SimulatedLaw::quarter_alternating_constant, SimulatedLaw::tau_constant}})
    for (const double p : {.05, .5, .9})
      EXPECT_NEAR(laws::lower_tail(plain, laws::quantile(seasonal, p, 100000), 100000), p, .01)
          << to_string(seasonal);
  // The paper prints one decimal.
  EXPECT_NEAR(laws::quantile(SimulatedLaw::quarter_pair_constant, .95, 200), 6.6, .1);
}

constexpr auto kLastLaw = SimulatedLaw::month_all_trend;

TEST(Simulated, ProbabilityAndQuantileAreInverseAndMonotone) {
  for (int i = 0; i <= static_cast<int>(kLastLaw); ++i) {
    const auto law = static_cast<SimulatedLaw>(i);
    EXPECT_EQ(to_string(law).find('?'), std::string_view::npos);
    for (const int T : {std::max(75, laws::least_T(law)), 500, 2589}) {
      const double low = laws::quantile(law, .001, T), high = laws::quantile(law, .999, T);
      for (const double p : {.001, .01, .05, .5, .9, .999}) {
        const double x = laws::quantile(law, p, T);
        EXPECT_NEAR(laws::lower_tail(law, x, T), p, 2e-3 * p) << to_string(law) << " " << T;
        // The quantile is found to 1e-3 of the tail that is interpolated.
        EXPECT_NEAR(laws::upper_tail(law, x, T), 1 - p, 2e-3 * (1 - p)) << to_string(law);
      }
      double before = 0;
      const double step = (high - low) / 200;
      for (double x = low - 100 * step; x < high + 100 * step; x += step) {
        const double p = laws::lower_tail(law, x, T);
        EXPECT_GE(p, before) << to_string(law) << " " << T << " " << x;
        before = p;
      }
    }
  }
}

// The names of the tables stand in the order of the enumeration.
TEST(Simulated, NamesAreThoseOfTheTables) {
  EXPECT_EQ(to_string(SimulatedLaw::tau_none), "tau_none");
  EXPECT_EQ(to_string(SimulatedLaw::zivot_andrews_both), "zivot_andrews_both");
  EXPECT_EQ(to_string(SimulatedLaw::exp_f_5), "exp_f_5");
  EXPECT_EQ(to_string(SimulatedLaw::bai_perron_wdmax), "bai_perron_wdmax");
  EXPECT_EQ(to_string(SimulatedLaw::rho_trend), "rho_trend");
  EXPECT_EQ(to_string(SimulatedLaw::point_optimal_trend), "point_optimal_trend");
  EXPECT_EQ(to_string(SimulatedLaw::maic_point_optimal_trend), "maic_point_optimal_trend");
  EXPECT_EQ(to_string(SimulatedLaw::two_breaks_both), "two_breaks_both");
  EXPECT_EQ(to_string(SimulatedLaw::quarter_all_trend), "quarter_all_trend");
  EXPECT_EQ(to_string(kLastLaw), "month_all_trend");
}

TEST(Simulated, RefusesSamplesItsTableDoesNotKnow) {
  EXPECT_STREQ(
      test::error_of([] { (void)laws::lower_tail(SimulatedLaw::tau_none, -3, 19); }).what(),
      "a unit-root test has 19 usable rows; its law (tau_none) is known from 20 up: give a longer "
      "series or fewer lags");
}

constexpr const char* kTables =
    "tools/laws/dickey_fuller.json tools/laws/exp_f.json tools/laws/bai_perron.json "
    "tools/laws/rho.json tools/laws/gls.json tools/laws/gls_maic.json tools/laws/two_breaks.json "
    "tools/laws/quarter.json "
    "tools/laws/month.json";

TEST(Simulated, TableIsWhatItsGeneratorWrites) {
  const test::Outcome made = test::run(std::string("'" BRACE_TABLES "' ") + kTables);
  EXPECT_EQ(made.status, 0) << made.err;
  EXPECT_EQ(made.out, test::content_of(BRACE_SOURCE_DIR "/src/laws/response_surfaces_table.inc"));
}

// A small share of the replications (200 at the least) gives the same quantiles within the error of
// an order statistic: sqrt(p (1 - p) / 200) is .035 at the median; 5 of those in probability.
TEST(Simulated, SimulatorGivesThemAgain) {
  for (const char* group : {"rho", "gls", "quarter"}) {
    const test::Outcome made = test::run("'" BRACE_SIMULATOR "' " + std::string(group) + " .001");
    ASSERT_EQ(made.status, 0) << made.err;
    const test::Json table = test::Json::parse(made.out);
    const std::vector<double> levels = table["levels"];
    const auto median =
        static_cast<std::size_t>(std::find(levels.begin(), levels.end(), .5) - levels.begin());
    ASSERT_LT(median, levels.size());
    for (int i = 0; i <= static_cast<int>(kLastLaw); ++i) {
      const auto law = static_cast<SimulatedLaw>(i);
      const std::string name(to_string(law));
      if (!table["surfaces"].contains(name)) continue;
      const test::Json& surface = table["surfaces"][name];
      double q = 0;
      for (std::size_t j = 0; j < surface["exponents"].size(); ++j)
        q += surface["coef"][median][j].get<double>() *
             std::pow(150, -surface["exponents"][j].get<double>());
      // Coarse on purpose: only that the table is of this law and not of another.
      EXPECT_NEAR(laws::lower_tail(law, q, 150), .5, .175) << name;
    }
  }
}

// ---- Laws of breaks ----

// Critical values of the exact laws (p = 1, 2, 5 at a trim of .15 and p = 1 at .05), each confirmed
// by an independent simulation of the process within its error.
TEST(Breaks, SupWald) {
  struct Case {
    int p;
    double trim, level, value;
  };
  for (const Case& c :
       {Case{1, .15, .10, 7.2973}, Case{1, .15, .05, 8.8620}, Case{1, .15, .01, 12.4002},
        Case{2, .15, .05, 11.8722}, Case{5, .15, .05, 18.5235}, Case{10, .15, .05, 27.4797},
        Case{1, .05, .05, 9.8968}, Case{3, .25, .05, 13.3270}})
    EXPECT_NEAR(laws::sup_wald_tail(c.value, c.p, c.trim, 0), c.level, 2e-6 + 2e-4 * c.level)
        << c.p << " " << c.trim;
  // On a grid of 1,000 dates: simulated 8.611, standard error .01.
  EXPECT_NEAR(laws::sup_wald_tail(8.611, 1, .15, 1000), .05, .0006);
  double before = 1;
  for (double x = .05; x < 120; x += .25) {
    const double tail = laws::sup_wald_tail(x, 3, .15, 500);
    EXPECT_LE(tail, before + 1e-12) << x;
    EXPECT_GE(tail, 0);
    before = tail;
  }
}

TEST(Breaks, AverageWald) {
  // The paper prints four decimals of the critical value.
  EXPECT_NEAR(laws::ave_wald_tail(2.857, 1), .05, 2e-5);
  EXPECT_NEAR(laws::ave_wald_tail(4.6093, 2), .05, 2e-5);
  EXPECT_NEAR(laws::ave_wald_tail(8.9794, 5), .05, 2e-5);
  EXPECT_NEAR(laws::quantile(SimulatedLaw::exp_f_1, .95, 500), 2.030, .01)
      << "Andrews and Ploberger (1994) have 2.06";
}

// Kolmogorov (1933); Brown, Durbin and Evans (1975) have .850, .948 and 1.143.
TEST(Breaks, BridgeAndBoundary) {
  for (const auto& [x, p] : {std::pair{.827574, .5}, std::pair{1.223848, .1},
                             std::pair{1.358099, .05}, std::pair{1.949475, .001}})
    EXPECT_NEAR(laws::bridge_tail(x), p, 2e-6);
  for (const auto& [a, p] : {std::pair{.557176, .5}, std::pair{.849924, .1},
                             std::pair{.947898, .05}, std::pair{1.373925, .001}})
    EXPECT_NEAR(laws::cusum_tail(a), p, 2e-6);
  EXPECT_LT(laws::bridge_tail(1.3, 100), laws::bridge_tail(1.3)) << "few steps fall short";
  // The whole sum of reflections, of which near lines need many terms.
  for (const double a : {.11, .15, .2, .3, .6, 1.2}) {
    double tail = 2 * laws::normal_cdf(-3 * a);
    for (int k = 1; k <= 500; ++k) {
      const auto between = [&](double low, double high) {
        return laws::normal_cdf(high) - laws::normal_cdf(low);
      };
      tail -= (k % 2 == 0 ? 1 : -1) * std::exp(-4.0 * k * k * a * a) *
              (between(-3 * a - 2 * k * a, 3 * a - 2 * k * a) +
               between(-3 * a + 2 * k * a, 3 * a + 2 * k * a));
    }
    EXPECT_NEAR(laws::cusum_tail(a), std::clamp(tail, 0.0, 1.0), 1e-13) << a;
  }
}

// Hansen (1992), table 1, agrees within .01 from dimension 2 on: .749 at 5 % there, .748 here.
TEST(Breaks, Nyblom) {
  for (const auto& [k, x] : {std::pair{1, .46136}, std::pair{2, .74752}, std::pair{3, 1.00018},
                             std::pair{5, 1.46506}, std::pair{12, 2.94219}})
    EXPECT_NEAR(laws::nyblom_p(x, k), .05, 1e-5) << k;
  EXPECT_NEAR(laws::nyblom_p(.3, 1), laws::kpss_p(.3, false), 1e-11) << "the same law";
  // Where fewer nodes give way to more nothing jumps, whatever the dimension.
  for (const int dimension : {1, 2, 3, 5, 8})
    EXPECT_NEAR(laws::nyblom_p(1, dimension), laws::nyblom_p(std::nextafter(1, 2), dimension),
                1e-12)
        << dimension;
}

TEST(Kpss, TheUsualLevelsAreWhatTheSearchFinds) {
  for (const double p : {.01, .05, .10})
    for (const bool trend : {false, true})
      EXPECT_NEAR(laws::kpss_critical(p, trend), laws::kpss_critical_by_search(p, trend), 1e-10);
}

// What the estimates take out, from the slopes of F at each node.
template <class F>
Eigen::MatrixXd effect(int columns, F&& slopes) {
  const std::vector<double>& u = laws::transform_nodes();
  Eigen::MatrixXd G(static_cast<Eigen::Index>(u.size()), columns);
  for (std::size_t i = 0; i < u.size(); ++i) G.row(static_cast<Eigen::Index>(i)) = slopes(u[i]);
  return G;
}

// Marsaglia and Marsaglia (2004), their limit at 10, 5 and 1 %; Anderson and Darling (1954)
// have 3.857 for the last. The other one is KPSS's.
TEST(Transforms, LawsWhereNothingWasEstimated) {
  const laws::TransformLaw law(effect(0, [](double) { return Eigen::RowVectorXd(0); }),
                               Eigen::MatrixXd(0, 0));
  for (const auto& [x, p] :
       {std::pair{1.9329578, .10}, std::pair{2.4923671, .05}, std::pair{3.8781250, .01}})
    EXPECT_NEAR(law.anderson_darling(x), p, 2e-6) << x;
  for (const double x : {.02, .05, .119, .3, .46136, .74346, 1.5})
    EXPECT_NEAR(law.cramer_von_mises(x), laws::kpss_p(x, false), 1e-7) << x;
  EXPECT_EQ(law.anderson_darling(0), 1);
  EXPECT_EQ(law.anderson_darling(1000), laws::kTransformFloor);
}

// D'Agostino and Stephens (1986), table 4.7: normal, mean and variance estimated.
TEST(Transforms, LawsForANormalWithItsMeanAndVariance) {
  const laws::TransformLaw law(effect(2,
                                      [](double u) {
                                        const double q = laws::normal_quantile(u),
                                                     f = std::exp(-q * q / 2) / std::sqrt(2 * M_PI);
                                        return Eigen::RowVector2d(-f, -q * f / 2);
                                      }),
                               Eigen::Vector2d(1, 2).asDiagonal());
  for (const auto& [a, w, p] : {std::tuple{.631, .104, .10}, std::tuple{.752, .126, .05},
                                std::tuple{.873, .148, .025}, std::tuple{1.035, .179, .01}}) {
    // The paper prints three digits.
    EXPECT_NEAR(law.anderson_darling(a), p, .01 * p + 2e-4) << p;
    EXPECT_NEAR(law.cramer_von_mises(w), p, .02 * p + 4e-4) << p << ": three digits are printed";
  }
}

// The same, table 4.14: exponential, scale estimated.
TEST(Transforms, LawsForAnExponentialWithItsScale) {
  const laws::TransformLaw law(
      effect(1, [](double u) { return Eigen::Matrix<double, 1, 1>((1 - u) * std::log1p(-u)); }),
      Eigen::MatrixXd::Identity(1, 1));
  for (const auto& [a, w, p] : {std::tuple{1.062, .175, .10}, std::tuple{1.321, .222, .05},
                                std::tuple{1.591, .271, .025}, std::tuple{1.959, .338, .01}}) {
    EXPECT_NEAR(law.anderson_darling(a), p, .02 * p) << p;
    EXPECT_NEAR(law.cramer_von_mises(w), p, .02 * p) << p;
  }
}

}  // namespace
}  // namespace brace
