// SPDX-License-Identifier: Apache-2.0
// The unit-root battery: known answers, properties, verdicts, words. Sizes and power:
// tools/studies/size_study.
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <set>
#include <sstream>

#include "base/missing.hpp"
#include "brace/hypothesis/seasonal_roots.hpp"
#include "brace/hypothesis/unit_root_battery.hpp"
#include "brace/hypothesis/variance_ratio.hpp"
#include "brace/series/transform.hpp"
#include "maths/regression.hpp"
#include "support/known_answers.hpp"
#include "support/made.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::expect_close;
using test::Json;
using test::terms_of;
using test::Tolerance;
using test::walk;
using test::white;

constexpr Deterministic kAllTerms[] = {Deterministic::none, Deterministic::constant,
                                       Deterministic::trend};

// ---- Known answers ----

TEST(Reference, PhillipsPerron) {
  const Json answer = test::known_answer("o06");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"]) {
    const TestResult got = hypothesis::phillips_perron(
        y, {.deterministic = terms_of(c), .bandwidth = c["bandwidth"].get<int>()});
    expect_close(got.statistic, c["z_tau"], tol.abs, tol.rel, "Z tau");
    EXPECT_EQ(got.observations, c["N"].get<std::size_t>());
    // The file's p-values are polynomials, good to about .004.
    EXPECT_NEAR(*got.p_value, c["p"].get<double>(), .005);
    EXPECT_NEAR(got.critical->at_5, c["crit"]["5%"].get<double>(), .005);
  }
}

TEST(Reference, DfGls) {
  const Json answer = test::known_answer("o08");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"]) {
    const TestResult got = hypothesis::df_gls(
        y, {.deterministic = terms_of(c), .rule = hypothesis::LagRule::fixed, .lags = c["k"]});
    expect_close(got.statistic, c["tau"], tol.abs, tol.rel, "tau");
    EXPECT_EQ(got.observations, c["N"].get<std::size_t>());
  }
}

TEST(Reference, VarianceRatios) {
  const Json answer = test::known_answer("o09");
  const Tolerance tol(answer);
  const hypothesis::VarianceRatio got =
      hypothesis::variance_ratio(test::series_of(answer), {.draws = 99});
  ASSERT_EQ(got.rows.size(), answer["expected"].size());
  for (std::size_t i = 0; i < got.rows.size(); ++i) {
    const Json& c = answer["expected"][i];
    const hypothesis::VarianceRatio::Row& row = got.rows[i];
    EXPECT_EQ(row.period, c["q"].get<int>());
    expect_close(row.ratio, c["vr"], tol.abs, tol.rel, "ratio");
    expect_close(row.z, c["z_homoskedastic"], tol.abs, tol.rel, "z");
    expect_close(row.p_value, c["p_homoskedastic"], tol.abs, tol.rel, "p");
    expect_close(row.z_robust, c["z_robust"], tol.abs, tol.rel, "robust z");
    expect_close(row.p_robust, c["p_robust"], tol.abs, tol.rel, "robust p");
  }
}

TEST(Reference, ZivotAndrews) {
  const Json answer = test::known_answer("o10");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  for (const Json& c : answer["expected"]) {
    const hypothesis::BreakModel model = c["model"] == "intercept"
                                             ? hypothesis::BreakModel::intercept
                                         : c["model"] == "trend" ? hypothesis::BreakModel::trend
                                                                 : hypothesis::BreakModel::both;
    const TestResult got = hypothesis::zivot_andrews(
        y, {.model = model, .rule = hypothesis::LagRule::fixed, .lags = c["k"]});
    expect_close(got.statistic, c["min_t"], tol.abs, tol.rel, "least t");
    EXPECT_EQ(got.break_at->row + 1, c["break_obs"].get<std::size_t>());
  }
}

// ---- Against the regression written out ----

// t of y_{t-1} in a regression with steps and ramps after each date.
double t_with_breaks(const std::vector<double>& y, int k, hypothesis::BreakModel model,
                     const std::vector<std::size_t>& dates) {
  const auto lag = static_cast<std::size_t>(k);
  const std::size_t first = lag + 1;
  const auto rows = static_cast<Eigen::Index>(y.size() - first);
  const Eigen::Index per_date = model == hypothesis::BreakModel::both ? 2 : 1;
  const Eigen::Index columns = 3 + k + per_date * static_cast<Eigen::Index>(dates.size());
  Eigen::MatrixXd X(rows, columns);
  Eigen::VectorXd dy(rows);
  for (Eigen::Index i = 0; i < rows; ++i) {
    const std::size_t t = first + static_cast<std::size_t>(i);
    dy(i) = y[t] - y[t - 1];
    Eigen::Index c = 0;
    X(i, c++) = y[t - 1];
    X(i, c++) = 1;
    X(i, c++) = static_cast<double>(t);
    for (std::size_t j = 1; j <= lag; ++j) X(i, c++) = y[t - j] - y[t - j - 1];
    for (const std::size_t date : dates) {
      const bool after = t + 1 > date;
      if (model != hypothesis::BreakModel::trend) X(i, c++) = after ? 1 : 0;
      if (model != hypothesis::BreakModel::intercept)
        X(i, c++) = after ? static_cast<double>(t + 1 - date) : 0;
    }
  }
  const maths::Regression fit = maths::regress(X, dy);
  return fit.coefficients(0) / fit.errors(0);
}

TEST(TwoBreaks, IsTheLeastOfTheRegressionsWrittenOut) {
  const Series y = walk(3, 60);
  for (const hypothesis::BreakModel model :
       {hypothesis::BreakModel::intercept, hypothesis::BreakModel::trend,
        hypothesis::BreakModel::both}) {
    double least = 0;
    std::vector<std::size_t> at;
    for (std::size_t a = 9; a + 9 <= 51; ++a)
      for (std::size_t b = a + 9; b <= 51; ++b) {
        const double t = t_with_breaks(y.values, 1, model, {a, b});
        if (t < least) {
          least = t;
          at = {a, b};
        }
      }
    const TestResult got =
        hypothesis::two_breaks(y, {.model = model, .rule = hypothesis::LagRule::fixed, .lags = 1});
    EXPECT_NEAR(got.statistic, least, 1e-8) << to_string(model);
    EXPECT_EQ(got.break_at->row + 1, at[0]);
    EXPECT_EQ(got.second_break_at->row + 1, at[1]);
  }
}

// The rule's choice from one factorisation against a regression for every candidate.
TEST(Lags, OneFactorisationChoosesWhatRefittingWould) {
  Series y = white(11, 300);
  for (std::size_t t = 3; t < y.size(); ++t)
    y.values[t] += 1.2 * y.values[t - 1] - .5 * y.values[t - 2] + .28 * y.values[t - 3];
  const int most = static_cast<int>(12 * std::pow(3.0, .25));
  const auto fit = [&](int k) {
    const std::size_t first = static_cast<std::size_t>(most) + 1;
    const auto rows = static_cast<Eigen::Index>(y.size() - first);
    Eigen::MatrixXd X(rows, 2 + k);
    Eigen::VectorXd dy(rows);
    for (Eigen::Index i = 0; i < rows; ++i) {
      const std::size_t t = first + static_cast<std::size_t>(i);
      dy(i) = y.values[t] - y.values[t - 1];
      X(i, 0) = 1;
      X(i, 1) = y.values[t - 1];
      for (int j = 1; j <= k; ++j)
        X(i, 1 + j) = y.values[t - static_cast<std::size_t>(j)] -
                      y.values[t - static_cast<std::size_t>(j) - 1];
    }
    return std::pair{maths::regress(X, dy), static_cast<double>(rows)};
  };
  int by_aic = 0, by_t = 0;
  double least = std::numeric_limits<double>::infinity();
  for (int k = 0; k <= most; ++k) {
    const auto [r, N] = fit(k);
    const double aic = N * std::log(r.ssr / N) + 2.0 * (2 + k);
    if (aic < least) {
      least = aic;
      by_aic = k;
    }
    if (k > 0 && std::abs(r.coefficients(1 + k) / r.errors(1 + k)) > 1.6448536269514722) by_t = k;
  }
  EXPECT_EQ(hypothesis::adf(y, {.rule = hypothesis::LagRule::aic}).lags, by_aic);
  EXPECT_EQ(hypothesis::adf(y, {.rule = hypothesis::LagRule::t}).lags, by_t);
}

// The M statistics and P_T from their definitions, no lags.
TEST(GlsFamily, IsWhatThePapersDefine) {
  const Series y = walk(21, 150);
  for (const Deterministic terms : {Deterministic::constant, Deterministic::trend}) {
    const hypothesis::GlsOptions options{
        .deterministic = terms, .rule = hypothesis::LagRule::fixed, .lags = 0};
    const bool trend = terms == Deterministic::trend;
    const double cbar = trend ? -13.5 : -7, n = 150;
    // Residuals and their sum of squares in quasi-differences with parameter a.
    const auto detrend = [&](double a, std::vector<double>& out) {
      Eigen::MatrixXd Z(150, trend ? 2 : 1);
      Eigen::VectorXd v(150);
      for (int t = 0; t < 150; ++t) {
        const double before = t == 0 ? 0 : a;
        v(t) = y.values[static_cast<std::size_t>(t)] -
               (t == 0 ? 0 : a * y.values[static_cast<std::size_t>(t - 1)]);
        Z(t, 0) = 1 - before;
        if (trend) Z(t, 1) = t + 1 - before * t;
      }
      const maths::Regression fit = maths::regress(Z, v);
      out.clear();
      for (int t = 0; t < 150; ++t)
        out.push_back(y.values[static_cast<std::size_t>(t)] - fit.coefficients(0) -
                      (trend ? fit.coefficients(1) * (t + 1) : 0));
      return fit.ssr;
    };
    std::vector<double> u, unused;
    const double a = 1 + cbar / n;
    const double ssr_a = detrend(a, u), ssr_1 = detrend(1, unused);
    double cross = 0, squares = 0;
    for (std::size_t t = 1; t < u.size(); ++t) {
      cross += u[t - 1] * (u[t] - u[t - 1]);
      squares += u[t - 1] * u[t - 1];
    }
    const double rho = cross / squares;
    double s2 = 0;
    for (std::size_t t = 1; t < u.size(); ++t)
      s2 += std::pow(u[t] - u[t - 1] - rho * u[t - 1], 2) / (n - 1);
    const double T = n - 1, k = squares / (T * T), end = u.back() * u.back() / T;
    const auto m = hypothesis::ng_perron(y, options);
    EXPECT_NEAR(m[0].statistic, (end - s2) / (2 * k), 1e-9);
    EXPECT_NEAR(m[1].statistic, m[0].statistic * m[2].statistic, 1e-9) << "MZt = MZa MSB";
    EXPECT_NEAR(m[2].statistic, std::sqrt(k / s2), 1e-9);
    EXPECT_NEAR(m[3].statistic, (cbar * cbar * k + (trend ? 1 - cbar : -cbar) * end) / s2, 1e-8);
    EXPECT_NEAR(hypothesis::point_optimal(y, options).statistic, (ssr_a - a * ssr_1) / s2, 1e-8);
  }
}

// ---- Properties ----

// No statistic may depend on the unit of the data, nor, with a constant, on its origin.
TEST(UnitRoot, ScaleAndOriginDoNotMatter) {
  const Series y = walk(12, 200);
  Series other = y;
  for (double& v : other.values) v = 1e4 * v + 3e5;
  const auto all = [](const Series& s) {
    std::vector<TestResult> tests{hypothesis::adf(s),
                                  hypothesis::phillips_perron(s),
                                  hypothesis::phillips_perron(s, {.rho = true}),
                                  hypothesis::df_gls(s, {.deterministic = Deterministic::trend}),
                                  hypothesis::zivot_andrews(s),
                                  hypothesis::kpss(s)};
    for (const auto& more : {hypothesis::ng_perron(s, {.deterministic = Deterministic::trend}),
                             hypothesis::seasonal_roots(s, {.period = 12}),
                             hypothesis::seasonal_roots(s, {.period = 4})})
      tests.insert(tests.end(), more.begin(), more.end());
    return tests;
  };
  const auto first = all(y), second = all(other);
  for (std::size_t i = 0; i < first.size(); ++i)
    EXPECT_NEAR(first[i].statistic, second[i].statistic, 1e-7 * (1 + std::abs(first[i].statistic)))
        << first[i].test << " " << first[i].variant;
}

TEST(UnitRoot, PValuesFallAsTheStatisticGoesOut) {
  for (const Deterministic terms : kAllTerms)
    for (const bool rho : {false, true}) {
      const TestResult root =
          hypothesis::phillips_perron(walk(1, 300), {.deterministic = terms, .rho = rho});
      const TestResult none =
          hypothesis::phillips_perron(white(1, 300), {.deterministic = terms, .rho = rho});
      EXPECT_GT(*root.p_value, .05) << to_string(terms);
      EXPECT_EQ(*none.p_value, *none.p_floor) << "below the law's floor the floor is told";
      EXPECT_LT(root.critical->at_1, root.critical->at_5);
      EXPECT_LT(root.critical->at_5, root.critical->at_10);
    }
}

TEST(VarianceRatio, IsTheSameWhateverTheThreads) {
  const Series y = walk(4, 400);
  const hypothesis::VarianceRatio one = hypothesis::variance_ratio(y),
                                  two = hypothesis::variance_ratio(y, {}, Executor(2));
  for (std::size_t i = 0; i < one.tests.size(); ++i)
    EXPECT_EQ(*one.tests[i].p_value, *two.tests[i].p_value);
  EXPECT_NE(*one.tests[0].p_value, *hypothesis::variance_ratio(y, {.seed = 2}).tests[0].p_value);
}

// The bootstrap's p against the normal law's, which is right for so many independent increments:
// the p of 999 draws has a standard error of .016 at .5.
TEST(VarianceRatio, BootstrapAgreesWithTheNormalLaw) {
  const hypothesis::VarianceRatio r = hypothesis::variance_ratio(walk(5, 4000));
  for (std::size_t i = 0; i < r.rows.size(); ++i)
    EXPECT_NEAR(*r.tests[i].p_value, r.rows[i].p_robust, .06) << r.rows[i].period;
}

TEST(SeasonalRoots, FindsTheFrequencyThatIsNot) {
  // y_t = y_{t-4} + e_t has every root; a random walk only that at zero.
  Series every = white(6, 400);
  for (std::size_t t = 4; t < every.size(); ++t) every.values[t] += every.values[t - 4];
  const auto all = hypothesis::seasonal_roots(every, {.period = 4});
  ASSERT_EQ(all.size(), 5u);
  EXPECT_EQ(all[0].variant, "t, frequency zero");
  EXPECT_EQ(all[1].variant, "F, 1 turn a year");
  EXPECT_EQ(all[2].variant, "t, 2 turns a year");
  for (const TestResult& t : all) EXPECT_FALSE(*t.rejects()) << t.variant;
  const auto only_zero = hypothesis::seasonal_roots(walk(6, 400), {.period = 4});
  EXPECT_FALSE(*only_zero[0].rejects());
  for (std::size_t i = 1; i < 4; ++i) EXPECT_TRUE(*only_zero[i].rejects()) << only_zero[i].variant;
}

TEST(SeasonalRoots, DropTheRowsThatTouchAGap) {
  Series y = white(6, 300);
  const hypothesis::SeasonalRootsOptions options{
      .period = 4, .rule = hypothesis::LagRule::fixed, .lags = 1};
  EXPECT_EQ(hypothesis::seasonal_roots(y, options)[0].observations, 300u - 5u);
  y.values[150] = kNaN;
  EXPECT_EQ(hypothesis::seasonal_roots(y, options)[0].observations, 300u - 5u - 6u)
      << "the value itself and all five before it that a row needs";
}

TEST(Differences, AreSuggestedInSequence) {
  Series twice = walk(8, 400);
  double sum = 0;
  for (double& v : twice.values) v = sum += v;
  EXPECT_EQ(hypothesis::suggest_differences(twice).regular, 2);
  EXPECT_EQ(hypothesis::suggest_differences(walk(8, 400)).regular, 1);
  EXPECT_EQ(hypothesis::suggest_differences(white(8, 400)).regular, 0);
  // The airline kind: both a season and a level that wander.
  Series airline = white(9, 480);
  for (std::size_t t = 12; t < airline.size(); ++t) airline.values[t] += airline.values[t - 12];
  sum = 0;
  for (double& v : airline.values) v = sum += v;
  const hypothesis::DifferencesSuggested both = hypothesis::suggest_differences(airline, 12);
  EXPECT_EQ(both.seasonal, 1);
  EXPECT_EQ(both.regular, 1) << both.reading;
  EXPECT_NE(both.reading.find("one difference over 12 and 1 over 1"), std::string::npos);
}

// ---- Verdicts ----

TEST(Battery, VerdictsFollowTheTable) {
  // Two of three tests at 5 % and kpss err in some; a walk in a hundred looks like a trend.
  int walks = 0, noise = 0;
  for (std::uint64_t stream = 1; stream <= 100; ++stream) {
    walks += unit_root_battery(walk(stream, 800)).verdict == StationarityVerdict::unit_root;
    noise += unit_root_battery(white(stream, 800)).verdict == StationarityVerdict::stationary;
  }
  EXPECT_GE(walks, 85);
  EXPECT_GE(noise, 85);
  Series line = white(2, 800);
  for (std::size_t t = 0; t < line.size(); ++t) line.values[t] += .05 * static_cast<double>(t);
  EXPECT_EQ(unit_root_battery(line).verdict, StationarityVerdict::trend_stationary);
  EXPECT_EQ(unit_root_battery(line).deterministic, Deterministic::trend)
      << "a series that drifts gets a trend term";
  const UnitRootBattery shifted = unit_root_battery(test::stepped(3, 400, 200, 4));
  EXPECT_EQ(shifted.verdict, StationarityVerdict::break_stationary) << shifted.reading;
  EXPECT_NE(shifted.reading.find("broke near observation 200"), std::string::npos)
      << shifted.reading;
}

// Fast, slow and very slow memory in one, as volatility has it.
Series layered(std::uint64_t stream, int n) {
  const Series a = white(stream, n), b = white(stream + 1000, n), c = white(stream + 2000, n);
  Series y = a;
  double fast = 0, slow = 0, slower = 0;
  for (std::size_t t = 0; t < y.size(); ++t) {
    fast = .3 * fast + .3 * a.values[t];
    slow = .93 * slow + .12 * b.values[t];
    slower = .995 * slower + .04 * c.values[t];
    y.values[t] = fast + slow + slower;
  }
  return y;
}

// kpss rejects for memory, and the break test then dates a break that is none.
TEST(Battery, NamesMemoryBesideABreak) {
  int broken = 0;
  for (std::uint64_t stream = 1; stream <= 20; ++stream) {
    const UnitRootBattery battery = unit_root_battery(layered(stream, 1000));
    if (battery.verdict != StationarityVerdict::break_stationary) continue;
    ++broken;
    EXPECT_TRUE(battery.memory_left.has_value()) << battery.reading;
    EXPECT_NE(battery.reading.find("or has long memory"), std::string::npos) << battery.reading;
  }
  EXPECT_GT(broken, 5) << "too few to tell";
  for (std::uint64_t stream = 1; stream <= 20; ++stream)
    EXPECT_FALSE(unit_root_battery(test::stepped(stream, 400, 200, 4)).memory_left) << stream;
}

// Around a trend the long-run variance of the differences is 0, and the mean of the differences
// alone does not tell the trend: it was left out, and a trend with noise called a unit root.
TEST(Battery, SeesATrendBesideNoiseAndNoneInARandomWalk) {
  int found = 0, of_walks = 0, of_memory = 0;
  constexpr int kSeries = 200;
  for (std::uint64_t stream = 1; stream <= kSeries; ++stream) {
    Series line = white(stream, 200);
    for (std::size_t t = 0; t < line.size(); ++t) line.values[t] += .02 * static_cast<double>(t);
    found += unit_root_battery(line, {.only = {"adf"}}).deterministic == Deterministic::trend;
    of_walks += unit_root_battery(walk(stream, 200), {.only = {"adf"}}).deterministic ==
                Deterministic::trend;
    Series memory = white(stream, 200);
    for (std::size_t t = 1; t < memory.size(); ++t) memory.values[t] += .8 * memory.values[t - 1];
    of_memory += unit_root_battery(memory, {.only = {"adf"}}).deterministic == Deterministic::trend;
  }
  EXPECT_GT(found, .97 * kSeries);
  // 5 % of differences, and a little; four binomial errors of 200 runs above 8 %.
  EXPECT_LT(of_walks, .16 * kSeries);
  EXPECT_LT(of_memory, .16 * kSeries);
}

// What the verdict asks for, what is suggested and what is advised are one answer.
TEST(Battery, AsksForADifferenceWhereOneIsSuggested) {
  const auto memory = [](std::uint64_t stream, double phi) {
    Series y = white(stream, 200);
    for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += phi * y.values[t - 1];
    return y;
  };
  const auto line = [](std::uint64_t stream) {
    Series y = white(stream, 200);
    for (std::size_t t = 0; t < y.size(); ++t) y.values[t] += .05 * static_cast<double>(t);
    return y;
  };
  std::set<StationarityVerdict> seen;
  for (std::uint64_t stream = 1; stream <= 12; ++stream)
    for (const Series& y : {walk(stream, 200), walk(stream, 200, .2), memory(stream, .97),
                            memory(stream, .9), test::stepped(stream, 200, 120, 3),
                            layered(stream, 600), layered(stream, 150), line(stream)}) {
      const UnitRootReport report = compare_unit_roots({y}, differences(y));
      const UnitRootBattery& level = report.batteries.front();
      seen.insert(level.verdict);
      const bool asks = asks_for_difference(level);
      EXPECT_EQ(asks, hypothesis::suggest_differences(y).regular > 0) << level.reading;
      EXPECT_EQ(asks, report.advice[0].find("one too many") == std::string::npos &&
                          report.advice[0].find("trend in") == std::string::npos &&
                          !report.advice[0].ends_with("the sample after it."))
          << level.reading << ' ' << report.advice[0];
    }
  EXPECT_EQ(seen.size(), 5u) << "every verdict is met";
}

TEST(Battery, WarnsOfTheTraps) {
  const UnitRootBattery without =
      unit_root_battery(walk(4, 500, .3), {.deterministic = Deterministic::constant});
  ASSERT_FALSE(without.warnings.empty());
  EXPECT_EQ(without.warnings[0].code, WarningCode::trend_missing);
  const UnitRootBattery over = unit_root_battery(differences(white(4, 500)));
  ASSERT_EQ(over.warnings.size(), 1u);
  EXPECT_EQ(over.warnings[0].code, WarningCode::over_differenced);
}

TEST(Battery, GapsAreDroppedAndToldOf) {
  Series y = walk(5, 300);
  y.values[100] = kNaN;
  // 300 - 3 rows, less the four that touch the gap (dy_t and three lags back).
  EXPECT_EQ(hypothesis::adf(y, {.rule = hypothesis::LagRule::fixed, .lags = 2}).observations,
            297u - 4u);
  EXPECT_EQ(unit_root_battery(y).warnings[0].code, WarningCode::gaps_dropped);
}

TEST(Battery, PrintsEachNullOverItsTests) {
  EXPECT_EQ(hypothesis::adf(white(6, 200)).null, "there is a unit root");
  EXPECT_EQ(hypothesis::kpss(white(6, 200)).null, "it is stationary");
  std::ostringstream out;
  out << compare_unit_roots({walk(7, 500)}, white(7, 500));
  const std::string page = out.str();
  const auto root = page.find("null: there is a unit root"), back = page.find("null: it is stat");
  ASSERT_NE(root, std::string::npos);
  ASSERT_NE(back, std::string::npos);
  EXPECT_LT(root, page.find("point-optimal"));
  EXPECT_LT(back, page.rfind("kpss"));
  for (std::istringstream lines(page); !lines.eof();) {
    std::string line;
    std::getline(lines, line);
    EXPECT_LE(line.size(), 100u) << line;
  }
}

TEST(UnitRoot, RefusesWhatItCannotTest) {
  EXPECT_EQ(test::error_of([] { (void)hypothesis::adf(white(0, 12)); }).code(),
            ErrorCode::too_few_observations);
  EXPECT_STREQ(test::error_of([] {
                 (void)hypothesis::adf(white(0, 100),
                                       {.rule = hypothesis::LagRule::fixed, .lags = 90});
               }).what(),
               "lags = 90: an ADF test on 100 observations takes 0 to 46");
  EXPECT_EQ(test::error_of([] {
              (void)hypothesis::df_gls(white(0, 100), {.deterministic = Deterministic::none});
            }).code(),
            ErrorCode::bad_option);
  EXPECT_EQ(
      test::error_of([] { (void)hypothesis::seasonal_roots(white(0, 200), {.period = 7}); }).code(),
      ErrorCode::bad_option);
  EXPECT_EQ(test::error_of([] {
              (void)hypothesis::seasonal_roots(white(0, 200), {.rule = hypothesis::LagRule::t});
            }).code(),
            ErrorCode::bad_option);
  EXPECT_EQ(test::error_of([] {
              (void)hypothesis::variance_ratio(white(0, 50), {.periods = {40}});
            }).code(),
            ErrorCode::bad_option);
  Series line = white(0, 200);
  for (std::size_t t = 0; t < line.size(); ++t) line.values[t] = static_cast<double>(t);
  EXPECT_EQ(test::error_of([&] { (void)hypothesis::variance_ratio(line); }).code(),
            ErrorCode::constant_series);
  EXPECT_EQ(test::error_of([&] {
              (void)hypothesis::adf(line, {.rule = hypothesis::LagRule::fixed, .lags = 1});
            }).code(),
            ErrorCode::constant_series);
}

}  // namespace
}  // namespace brace
