// SPDX-License-Identifier: Apache-2.0
// Breaks of mean and variance: known answers, the definitions written out, coverage of dates.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "brace/hypothesis/mean_breaks.hpp"
#include "brace/hypothesis/variance_breaks.hpp"
#include "brace/laws/simulated.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/maths/random.hpp"
#include "maths/regression.hpp"
#include "support/known_answers.hpp"
#include "support/made.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::expect_close;
using test::Json;
using test::stepped;
using test::Tolerance;
using test::white;

TEST(Reference, Cusum) {
  const Json answer = test::known_answer("o26");
  const Tolerance tol(answer);
  const TestResult got = hypothesis::cusum(test::series_of(answer));
  expect_close(got.statistic, answer["expected"]["statistic"], tol.abs, tol.rel, "CUSUM");
  EXPECT_EQ(got.break_at->row + 1, answer["expected"]["at_obs"].get<std::size_t>());
}

TEST(Reference, CumulativeSquares) {
  const Json answer = test::known_answer("o27");
  const Tolerance tol(answer);
  const Json& want = answer["expected"];
  const Series y = test::series_of(answer);
  const TestResult plain =
      hypothesis::cumulative_squares(y, {.scale = hypothesis::SquaresScale::normal});
  expect_close(plain.statistic, want["inclan_tiao"], tol.abs, tol.rel, "plain");
  EXPECT_EQ(plain.break_at->row + 1, want["inclan_tiao_obs"].get<std::size_t>());
  const TestResult window =
      hypothesis::cumulative_squares(y, {.scale = hypothesis::SquaresScale::bartlett});
  expect_close(window.statistic, want["kappa2"], tol.abs, tol.rel, "kappa-2");
  EXPECT_EQ(window.bandwidth, want["bandwidth"].get<int>());
  EXPECT_EQ(window.break_at->row + 1, want["kappa2_obs"].get<std::size_t>());
}

TEST(Reference, CumulativeSquaresByAutoregression) {
  const Json answer = test::known_answer("o51");
  const Tolerance tol(answer);
  for (const auto& [name, file] :
       {std::pair{"var_shift", "o_var_shift.csv"}, std::pair{"long_garch", "o_v51.csv"}}) {
    const Json& want = answer["expected"][name];
    const Series y = read_csv((test::reference_folder() / file).string(), {.value = "value"});
    const TestResult got =
        hypothesis::cumulative_squares(y, {.scale = hypothesis::SquaresScale::spectral});
    expect_close(got.statistic, want["kappa2"], tol.abs, tol.rel, name);
    EXPECT_EQ(got.break_at->row + 1, want["obs"].get<std::size_t>());
    EXPECT_EQ(got.lags, want["p"].get<int>());
    EXPECT_GE(*hypothesis::cumulative_squares(y).p_value, *got.p_value)
        << "the default is never bolder";
  }
}

TEST(Reference, MeanBreaks) {
  const Json answer = test::known_answer("o28");
  const Tolerance tol(answer);
  const Series y = test::series_of(answer);
  const Json& f = answer["expected"]["sup_f"];
  const auto tests = hypothesis::sup_f(y);
  expect_close(tests[0].statistic, f["sup_f"], tol.abs, tol.rel, "sup");
  expect_close(tests[1].statistic, f["exp_f"], tol.abs, tol.rel, "exp");
  expect_close(tests[2].statistic, f["ave_f"], tol.abs, tol.rel, "ave");
  EXPECT_EQ(tests[0].break_at->row + 1, f["break_obs"].get<std::size_t>());
  const hypothesis::BaiPerron found = hypothesis::bai_perron(y, {.most = 3});
  for (const auto& [number, want] : answer["expected"]["multiple"]["by_number_of_breaks"].items()) {
    const auto& part = found.partitions[std::stoul(number)];
    EXPECT_EQ(part.breaks, want["break_obs"].get<std::vector<std::size_t>>());
    expect_close(part.ssr, want["ssr"], tol.abs, tol.rel, "ssr");
  }
}

// F by date, from two regressions at every date.
TEST(SupF, IsTheLargestChowStatistic) {
  Series y = stepped(1, 120, 70, .8);
  for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += .4 * y.values[t - 1];
  for (const hypothesis::BreakRegression regression :
       {hypothesis::BreakRegression{}, hypothesis::BreakRegression{.lags = 2},
        hypothesis::BreakRegression{.lags = 1, .with_trend = true}}) {
    const auto n = static_cast<double>(y.size()) - regression.lags;
    double most = 0;
    std::size_t at = 0;
    for (auto rows = static_cast<std::size_t>(std::ceil(.15 * n));
         rows <= static_cast<std::size_t>(std::floor(.85 * n)); ++rows) {
      const std::size_t date = rows + static_cast<std::size_t>(regression.lags);
      const double F = hypothesis::chow(y, date, regression).statistic;
      if (F > most) {
        most = F;
        at = date;
      }
    }
    const TestResult got = hypothesis::sup_f(y, regression).front();
    EXPECT_NEAR(got.statistic, most, 1e-9 * most);
    EXPECT_EQ(got.break_at->row + 1, at);
  }
}

// ln mean exp(W / 2) over the dates, by a sum that is written out: Andrews and Ploberger (1994),
// equation 2.3, with W = (n - 2p + p/2 - 1) ln(1 + p F / (n - 2p)) of Box (1949).
TEST(SupF, PValuesOfItsAveragesAreThoseOfTheWaldScale) {
  const Series y = stepped(4, 150, 60, .35);
  const double n = 150, p = 1, freedom = n - 2 * p;
  double sum = 0, dates = 0;
  for (auto rows = static_cast<std::size_t>(std::ceil(.15 * n));
       rows <= static_cast<std::size_t>(std::floor(.85 * n)); ++rows) {
    const double F = hypothesis::chow(y, rows).statistic;
    sum += std::exp(.5 * (freedom + p / 2 - 1) * std::log1p(p * F / freedom));
    ++dates;
  }
  const auto tests = hypothesis::sup_f(y);
  const double tail = laws::upper_tail(laws::SimulatedLaw::exp_f_1, std::log(sum / dates), 150);
  EXPECT_GT(tail, 2 * *tests[1].p_floor) << "or the floor would hide it";
  EXPECT_NEAR(*tests[1].p_value, tail, 1e-9);
}

// Recursive residuals by a regression at every step, and the sum rule of Brown, Durbin and Evans:
// their squares add up to the residual sum of squares.
TEST(Cusum, RecursiveResidualsByDefinition) {
  const Series y = white(2, 60);
  double sum = 0, squares = 0, most = 0;
  std::vector<double> w;
  for (std::size_t t = 1; t < y.size(); ++t) {
    double mean = 0;
    for (std::size_t i = 0; i < t; ++i) mean += y.values[i] / static_cast<double>(t);
    w.push_back((y.values[t] - mean) / std::sqrt(1 + 1.0 / static_cast<double>(t)));
    squares += w.back() * w.back();
  }
  const auto m = static_cast<double>(w.size());
  for (std::size_t t = 0; t < w.size(); ++t) {
    sum += w[t] / std::sqrt(squares / m);
    most =
        std::max(most, std::abs(sum) / (std::sqrt(m) * (1 + 2 * (static_cast<double>(t) + 1) / m)));
  }
  EXPECT_NEAR(hypothesis::cusum(y).statistic, most, 1e-12);
  double mean = 0, ssr = 0;
  for (const double v : y.values) mean += v / 60;
  for (const double v : y.values) ssr += (v - mean) * (v - mean);
  EXPECT_NEAR(squares, ssr, 1e-10);
}

// The partition against every pair of dates.
TEST(BaiPerron, DatesAreTheBestOfAll) {
  Series y = stepped(3, 60, 20, 1.5);
  for (std::size_t t = 42; t < y.size(); ++t) y.values[t] -= 2;
  const auto ssr = [&](std::size_t from, std::size_t to) {
    double mean = 0, out = 0;
    for (std::size_t t = from; t < to; ++t) mean += y.values[t] / static_cast<double>(to - from);
    for (std::size_t t = from; t < to; ++t) out += (y.values[t] - mean) * (y.values[t] - mean);
    return out;
  };
  double least = 1e300;
  std::vector<std::size_t> best;
  for (std::size_t a = 9; a + 18 <= 60; ++a)
    for (std::size_t b = a + 9; b + 9 <= 60; ++b)
      if (const double total = ssr(0, a) + ssr(a, b) + ssr(b, 60); total < least) {
        least = total;
        best = {a, b};
      }
  const hypothesis::BaiPerron found = hypothesis::bai_perron(y, {.most = 3});
  EXPECT_EQ(found.partitions[2].breaks, best);
  EXPECT_NEAR(found.partitions[2].ssr, least, 1e-9);
}

TEST(BaiPerron, CountsBreaksEachWay) {
  Series y = stepped(4, 600, 200, 1.2);
  for (std::size_t t = 420; t < y.size(); ++t) y.values[t] -= 1.8;
  const hypothesis::BaiPerron found = hypothesis::bai_perron(y);
  EXPECT_EQ(found.by_sequence, 2);
  EXPECT_EQ(found.by_bic, 2);
  EXPECT_EQ(found.by_lwz, 2);
  ASSERT_EQ(found.breaks.size(), 2u);
  // Steps above one sd are dated to some rows.
  EXPECT_NEAR(static_cast<double>(found.breaks[0].row + 1), 200, 10);
  EXPECT_NEAR(static_cast<double>(found.breaks[1].row + 1), 420, 10);
  const hypothesis::BaiPerron none = hypothesis::bai_perron(white(4, 600));
  EXPECT_EQ(none.by_sequence + none.by_bic + none.by_lwz, 0);
  EXPECT_TRUE(none.breaks.empty());
  EXPECT_EQ(hypothesis::bai_perron(white(4, 600), {.number = 3}).breaks.size(), 3u);
}

// The law behind the intervals, by simulation: argmax of a two-sided walk whose steps have drift
// -delta^2/2 and variance delta^2 s^2. 2,000 walks, each side followed until its
// best is out of reach; the share beyond either reach is .025 with a standard error of .0035.
TEST(DateInterval, IsTheLawOfTheArgmax) {
  const double delta = .1, before = 1, after = 3;
  const hypothesis::Reach reach = hypothesis::date_interval(delta, before, after);
  maths::RandomStream random(11, 0);
  int too_late = 0, too_early = 0;
  constexpr int kWalks = 2000, kSteps = 12000;
  for (int w = 0; w < kWalks; ++w) {
    double best = 0;
    int at = 0;
    for (const int side : {-1, 1}) {
      const double sd = delta * std::sqrt(side < 0 ? before : after);
      double level = 0;
      for (int t = 1; t <= kSteps && level > best - 25; ++t) {
        level += -delta * delta / 2 + sd * random.normal();
        if (level > best) {
          best = level;
          at = side * t;
        }
      }
    }
    // An estimate that is late by `at` puts the true date that much earlier.
    too_late += at > reach.earlier;
    too_early += -at > reach.later;
  }
  EXPECT_NEAR(too_late / static_cast<double>(kWalks), .025, 4 * .0035);
  EXPECT_NEAR(too_early / static_cast<double>(kWalks), .025, 4 * .0035);
}

// Published 5 % point of Bai (1997) for equal sides: 11 in units of s^2 / delta^2.
TEST(DateInterval, HasThePublishedReach) {
  const hypothesis::Reach even = hypothesis::date_interval(1, 1, 1);
  EXPECT_NEAR(even.earlier, 11, .1);
  EXPECT_NEAR(even.later, even.earlier, 1e-3 * even.earlier);
  // A change that no sample could date, and none at all.
  for (const double none : {0., 1e-9, 1e-200, std::nan("")})
    EXPECT_EQ(hypothesis::date_interval(none, 1, 1).earlier,
              std::numeric_limits<double>::infinity());
  const hypothesis::Reach scaled = hypothesis::date_interval(.5, 1, 1);
  EXPECT_NEAR(scaled.earlier, 4 * even.earlier, .01 * scaled.earlier);
  const hypothesis::Reach noisy_after = hypothesis::date_interval(1, 1, 4);
  EXPECT_GT(noisy_after.earlier, even.earlier) << "noise after the break makes estimates late";
  EXPECT_LT(noisy_after.later, even.later);
}

// 300 series each; the binomial standard error of a share of .95 is .0126, and whole dates make
// intervals wider than nominal. With steps of .6 at n = 300 coverage is 88 % (docs/breaks.md).
TEST(DateInterval, CoversTheDate) {
  int of_mean = 0, of_variance = 0;
  for (std::uint64_t i = 0; i < 300; ++i) {
    const hypothesis::BreakDate b =
        hypothesis::bai_perron(stepped(100 + i, 300, 150, 1), {.number = 1}).breaks.front();
    of_mean += b.low <= 149 && 149 <= b.high;
    Series y = white(500 + i, 2000);
    for (std::size_t t = 1000; t < y.size(); ++t) y.values[t] *= std::sqrt(2.0);
    const hypothesis::BreakDate v =
        hypothesis::variance_break_at(y, hypothesis::cumulative_squares(y).break_at->row + 1);
    of_variance += v.low <= 999 && 999 <= v.high;
  }
  EXPECT_GT(of_mean, 300 * (.95 - 4 * .0126));
  EXPECT_GT(of_variance, 300 * (.93 - 4 * .0126));
}

TEST(VarianceBreaks, FindsTheDateAndCovers) {
  Series y = white(5, 1500);
  for (std::size_t t = 900; t < y.size(); ++t) y.values[t] *= 1.6;
  const hypothesis::VarianceBreaks found = hypothesis::variance_breaks(y);
  ASSERT_EQ(found.breaks.size(), 1u);
  // A variance times 2.6 is dated to some dozens of rows.
  EXPECT_NEAR(static_cast<double>(found.breaks[0].row + 1), 900, 30);
  EXPECT_LE(found.breaks[0].low, 899u);
  EXPECT_GE(found.breaks[0].high, 899u);
  for (std::size_t t = 400; t < 900; ++t) y.values[t] *= 2.5;
  EXPECT_EQ(hypothesis::variance_breaks(y).breaks.size(), 2u)
      << "a calm, a rough and a middling part";
  EXPECT_TRUE(hypothesis::variance_breaks(white(5, 1500)).breaks.empty());
}

// Units do not matter to any statistic of a break, nor does the origin where a mean is taken out.
TEST(Breaks, ScaleAndOriginDoNotMatter) {
  const Series y = stepped(8, 300, 180, .7);
  Series other = y;
  for (double& v : other.values) v = 1e-3 * v + 50;
  const auto all = [](const Series& s) {
    std::vector<TestResult> tests{hypothesis::cusum(s), hypothesis::cusum_ols(s),
                                  hypothesis::cusum_squares(s), hypothesis::chow(s, 150)};
    for (const hypothesis::SquaresScale scale :
         {hypothesis::SquaresScale::normal, hypothesis::SquaresScale::fourth,
          hypothesis::SquaresScale::spectral, hypothesis::SquaresScale::robust,
          hypothesis::SquaresScale::bartlett})
      tests.push_back(hypothesis::cumulative_squares(s, {.scale = scale}));
    for (const auto& more :
         {hypothesis::sup_f(s), hypothesis::sup_f(s, {.lags = 2}), hypothesis::bai_perron(s).tests,
          hypothesis::bai_perron(s, {.long_run = true}).tests})
      tests.insert(tests.end(), more.begin(), more.end());
    return tests;
  };
  const auto first = all(y), second = all(other);
  for (std::size_t i = 0; i < first.size(); ++i)
    EXPECT_NEAR(first[i].statistic, second[i].statistic, 1e-7 * (1 + first[i].statistic))
        << first[i].test << " " << first[i].variant;
}

TEST(Breaks, RefuseWhatTheyCannotTest) {
  EXPECT_EQ(test::error_of([] { (void)hypothesis::chow(white(1, 100), 1); }).code(),
            ErrorCode::bad_option);
  EXPECT_EQ(test::error_of([] { (void)hypothesis::sup_f(white(1, 100), {}, {.trim = .5}); }).code(),
            ErrorCode::bad_option);
  EXPECT_EQ(test::error_of([] { (void)hypothesis::bai_perron(white(1, 30)); }).code(),
            ErrorCode::too_few_observations);
  EXPECT_EQ(
      test::error_of([] { (void)hypothesis::bai_perron(white(1, 100), {.number = 6}); }).code(),
      ErrorCode::bad_option);
  EXPECT_EQ(test::error_of([] {
              (void)hypothesis::sup_f(white(1, 100), {.lags = 1}, {.long_run = true});
            }).code(),
            ErrorCode::bad_option);
  const auto other_trim = hypothesis::sup_f(white(1, 100), {}, {.trim = .1});
  EXPECT_TRUE(other_trim[0].p_value) << "exact for any trim";
  EXPECT_FALSE(other_trim[1].p_value) << "tabled for .15 only, and it says so";
  EXPECT_NE(other_trim[1].reading.find("no p-value"), std::string::npos);
}

// Of a unit AR(1) with coefficient .5 the long-run variance is 4.
TEST(LongRun, AutoregressionFindsTheSpectrumAtZero) {
  Series y = white(6, 20000);
  for (std::size_t t = 1; t < y.size(); ++t) y.values[t] += .5 * y.values[t - 1];
  EXPECT_NEAR(maths::spectral_variance(y.values).value, 4, .4);
  EXPECT_EQ(maths::spectral_variance(y.values, {}, true).order, 1);
}

}  // namespace
}  // namespace brace
