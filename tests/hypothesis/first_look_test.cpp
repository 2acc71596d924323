// SPDX-License-Identifier: Apache-2.0
// Moments' tests, memory, tails, leverage, seasons: sizes under the null, power, second
// formulations.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/few_rows.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/hypothesis/season_test.hpp"
#include "brace/hypothesis/unit_root_battery.hpp"
#include "brace/maths/random.hpp"
#include "brace/model/model_line.hpp"
#include "brace/process/simulate.hpp"
#include "brace/series/transform.hpp"
#include "support/made.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::rejections;

Series drawn(std::uint64_t seed, std::size_t n,
             const std::function<double(maths::RandomStream&)>& draw) {
  maths::RandomStream stream(seed, 0);
  std::vector<double> x;
  for (std::size_t t = 0; t < n; ++t) x.push_back(draw(stream));
  return make_series(std::move(x));
}

Series normals(std::uint64_t seed, std::size_t n) {
  return drawn(seed, n, [](maths::RandomStream& s) { return s.normal(); });
}

// GJR by its recursion: with leverage > 0 falls raise the variance more than rises.
Series asymmetric(std::uint64_t seed, std::size_t n, double leverage) {
  double h = 1, e = 0;
  return drawn(seed, n, [&](maths::RandomStream& s) {
    h = 0.05 + (0.1 - leverage / 2 + (e < 0 ? leverage : 0)) * e * e + 0.85 * h;
    return e = std::sqrt(h) * s.normal();
  });
}

// Bands: 2,000 replications have a Monte Carlo error of .5 points at 5 %.
TEST(Symmetry, KeepsItsSizeUnderHeavyTailsAndClusteringVolatility) {
  EXPECT_NEAR(
      rejections(2000,
                 [](std::uint64_t seed) { return hypothesis::symmetry_test(normals(seed, 500)); }),
      0.05, 0.02);
  const Model garch = parse_model("const / garch / student");
  EXPECT_NEAR(rejections(1000,
                         [&](std::uint64_t seed) {
                           return hypothesis::symmetry_test(
                               simulate(garch, {0, .05, .08, .87, 8}, 1000, {.seed = seed}));
                         }),
              0.04, 0.03);
  EXPECT_GT(rejections(200,
                       [](std::uint64_t seed) {
                         return hypothesis::symmetry_test(drawn(
                             seed, 500,
                             [](maths::RandomStream& s) { return std::exp(0.3 * s.normal()); }));
                       }),
            0.95);
}

TEST(Kurtosis, KeepsItsSizeFromFiftyValuesOn) {
  for (const std::size_t n : {50u, 500u})
    // Four binomial errors of 2,000 runs.
    EXPECT_NEAR(
        rejections(2000,
                   [&](std::uint64_t seed) { return hypothesis::kurtosis_test(normals(seed, n)); }),
        0.05, 0.017)
        << n;
  EXPECT_GT(rejections(200,
                       [](std::uint64_t seed) {
                         return hypothesis::kurtosis_test(
                             drawn(seed, 300, [](maths::RandomStream& s) { return s.student(5); }));
                       }),
            0.9);
}

// D'Agostino, Belanger and D'Agostino (1990) work through 62 cholesterol values: b2 = 4.58 gives
// Z = 2.21. Their data are not printed whole; a sample of that size and kurtosis must give the
// same.
TEST(Kurtosis, MeetsThePublishedExample) {
  const auto sample = [](double stretch) {
    std::vector<double> x;
    for (int i = 1; i <= 62; ++i) {
      const double u = (i - 31.5) / 32;
      x.push_back(u + stretch * u * u * u * u * u);
    }
    return make_series(std::move(x));
  };
  double low = 0, high = 60;
  for (int i = 0; i < 100; ++i) {
    const double middle = (low + high) / 2;
    (moments(sample(middle)).excess_kurtosis < 1.58 ? low : high) = middle;
  }
  ASSERT_NEAR(moments(sample(low)).excess_kurtosis + 3, 4.58, 1e-9);
  // The paper prints two decimals.
  EXPECT_NEAR(hypothesis::kurtosis_test(sample(low)).statistic, 2.21, 0.005);
}

// Fractional noise (1 - B)^{-d} e by its moving average.
Series fractional(std::uint64_t seed, std::size_t n, double d) {
  const std::vector<double> e = normals(seed, 2 * n).values;
  std::vector<double> weight{1}, x;
  for (std::size_t k = 1; k < n; ++k)
    weight.push_back(weight.back() * (static_cast<double>(k) - 1 + d) / static_cast<double>(k));
  for (std::size_t t = n; t < 2 * n; ++t) {
    double sum = 0;
    for (std::size_t k = 0; k < n; ++k) sum += weight[k] * e[t - k];
    x.push_back(sum);
  }
  return make_series(std::move(x));
}

TEST(Memory, FindsTheOrderOfFractionalNoise) {
  for (const double d : {0.0, 0.3}) {
    double sum = 0, squares = 0;
    constexpr int kSeries = 100;
    double se = 0;
    for (int i = 0; i < kSeries; ++i) {
      const MemoryEstimate m =
          local_whittle(fractional(static_cast<std::uint64_t>(i) + 1, 1000, d));
      sum += m.d;
      squares += m.d * m.d;
      se = m.se;
    }
    const double mean = sum / kSeries, sd = std::sqrt(squares / kSeries - mean * mean);
    EXPECT_NEAR(mean, d, 3.5 * se / std::sqrt(kSeries) + 0.01) << "bias at m = n^.65 is below .01";
    EXPECT_NEAR(sd / se, 1, 0.3) << "the error printed is the error made";
  }
  EXPECT_TRUE(local_whittle(normals(1, 200)).reading == "no long memory");
  EXPECT_EQ(test::error_of([] { (void)local_whittle(normals(1, 60), 40); }).code(),
            ErrorCode::bad_option);
}

// Long series take the fast transform, with rounding of its own: the objective by plain sums of a
// few frequencies must agree. n is prime, the worst length for it.
TEST(Memory, LongSeriesAgreeWithPlainSums) {
  const std::size_t n = 100003;
  const int m = 200;
  const Series x = normals(8, n);
  double mean = 0;
  for (const double v : x.values) mean += v / static_cast<double>(n);
  std::vector<double> power, log_frequency;
  for (int j = 1; j <= m; ++j) {
    const double l = 2 * M_PI * j / static_cast<double>(n);
    double re = 0, im = 0;
    for (std::size_t t = 0; t < n; ++t) {
      re += (x.values[t] - mean) * std::cos(l * static_cast<double>(t));
      im += (x.values[t] - mean) * std::sin(l * static_cast<double>(t));
    }
    power.push_back((re * re + im * im) / (2 * M_PI * static_cast<double>(n)));
    log_frequency.push_back(std::log(l));
  }
  const MemoryEstimate got = local_whittle(x, m);
  double sum = 0, mean_log = 0;
  for (int j = 0; j < m; ++j) {
    sum += std::exp(2 * got.d * log_frequency[j]) * power[j];
    mean_log += log_frequency[j] / m;
  }
  EXPECT_NEAR(got.objective, std::log(sum / m) - 2 * got.d * mean_log, 1e-10);
}

// A Pareto tail has one index at every threshold.
TEST(Tails, HillFindsTheParetoIndex) {
  const Series x = drawn(3, 20000, [](maths::RandomStream& s) {
    return (s.uniform() < 0.5 ? -1 : 1) *
           (s.uniform() < 0.5 ? 0.2 : std::pow(s.uniform(), -1 / 3.0));
  });
  for (const TailSide tail : {TailSide::both, TailSide::left, TailSide::right}) {
    const TailIndex index = tail_index(x, tail, 500);
    EXPECT_NEAR(index.alpha, 3, 4 * index.se);
    EXPECT_DOUBLE_EQ(index.se, index.alpha / std::sqrt(500.0));
  }
  EXPECT_GT(tail_index(normals(2, 20000)).alpha, 4) << "a normal law has every moment";
  EXPECT_EQ(test::error_of([] { (void)tail_index(normals(1, 150), TailSide::left, 140); }).code(),
            ErrorCode::bad_option);
}

TEST(Tails, ExtremesAreListedByTheirRobustSize) {
  Series x = normals(4, 1000);
  x.times = dates_after(*parse_date("2020-01-01"), Clock::day, 1000);
  x.values[500] = -40;
  x.values[700] = 30;
  const auto list = extremes(x, 3);
  ASSERT_EQ(list.size(), 3u);
  EXPECT_EQ(list[0].index, 500u);
  EXPECT_EQ(format_date(*list[1].date), x.when(700));
  EXPECT_NEAR(list[0].sizes, -40, 2) << "the two do not blow up the scale they are measured by";
  EXPECT_EQ(extremes(make_series({1, 1, 1, 1, 1, 2}), 1)[0].index, 5u)
      << "where more than half are equal";
}

// A split that was not taken out, a wrong price, both in returns and in their level.
TEST(FewRows, AreFoundInReturnsAndInLevels) {
  Series returns = asymmetric(5, 700, 0);
  returns.name = "return";
  EXPECT_TRUE(rows_that_decide(returns).rows.empty());
  EXPECT_FALSE(few_rows_decide(returns));
  Series level = returns;
  for (std::size_t t = 0; t < level.size(); ++t)
    level.values[t] += t == 0 ? 100 : level.values[t - 1];
  EXPECT_TRUE(rows_that_decide(level).rows.empty());

  Series split = returns;
  split.values[350] = -69;
  const FewRows one = rows_that_decide(split);
  EXPECT_EQ(one.rows, std::vector<std::size_t>{350});
  EXPECT_FALSE(one.of_changes);
  // The share is that of the variance about the mean, written out.
  double mean = 0, squares = 0;
  for (const double v : split.values) mean += v / 700;
  for (const double v : split.values) squares += (v - mean) * (v - mean);
  EXPECT_NEAR(one.share, (69 + mean) * (69 + mean) / squares, 1e-12);
  EXPECT_NE(few_rows_decide(split)->text.find("row 351 (-69.00) makes"), std::string::npos);

  Series wrong = returns;
  wrong.values[300] = 230;
  wrong.values[301] = -229;
  EXPECT_EQ(rows_that_decide(wrong).rows, (std::vector<std::size_t>{300, 301}));

  Series step = level;
  for (std::size_t t = 350; t < step.size(); ++t) step.values[t] -= 60;
  const FewRows of_step = rows_that_decide(step);
  EXPECT_TRUE(of_step.of_changes);
  EXPECT_EQ(of_step.rows, std::vector<std::size_t>{350});
  EXPECT_NEAR(of_step.values[0], returns.values[350] - 60, 1e-12);
  // Without a neighbour there is no change.
  step.values[350] = std::nan("");
  EXPECT_TRUE(rows_that_decide(step).rows.empty());
}

// In any unit, around any mean, mirrored or reversed: the same rows.
TEST(FewRows, AreTheSameInEveryUnit) {
  Series y = asymmetric(9, 400, 0);
  y.values[100] = 40;
  y.values[300] = -38;
  const FewRows found = rows_that_decide(y);
  ASSERT_EQ(found.rows, (std::vector<std::size_t>{100, 300}));
  for (const double scale : {1e-9, -1.0, 1e9}) {
    Series other = y;
    for (double& v : other.values) v = scale * (v + 3);
    EXPECT_EQ(rows_that_decide(other).rows, found.rows) << scale;
    // Rounding of values 1e9 times as large.
    EXPECT_NEAR(rows_that_decide(other).share, found.share, 1e-9) << scale;
  }
  std::reverse(y.values.begin(), y.values.end());
  EXPECT_EQ(rows_that_decide(y).rows, (std::vector<std::size_t>{99, 299}));
}

// Heavy tails and clusters alone hardly ever do it; of 500 samples each, with a Monte Carlo error
// of .5 points at 1 %.
TEST(FewRows, AreRareUnderHeavyTailsAndClusters) {
  const auto share_of = [](const std::function<Series(std::uint64_t)>& make) {
    int found = 0;
    for (std::uint64_t seed = 1; seed <= 500; ++seed)
      found += rows_that_decide(make(seed)).rows.empty() ? 0 : 1;
    return found / 500.0;
  };
  const Model student = parse_model("zero / steady / student");
  // 2.1, .8 and .03 % of 4,000 samples; three Monte Carlo errors of 500 on top.
  for (const auto& [n, most] : {std::pair<std::size_t, double>{100, .04}, {500, .02}, {2000, .003}})
    EXPECT_LT(share_of([&](std::uint64_t seed) {
                return simulate(student, {1, 4}, n, {.seed = seed});
              }),
              most)
        << n;
  EXPECT_LT(share_of([](std::uint64_t seed) { return asymmetric(seed, 500, .1); }), .01);
  EXPECT_LT(share_of([](std::uint64_t seed) { return normals(seed, 50); }), .002);
}

// What the first look says of them, and what it does not go on to say.
TEST(FewRows, AreSaidBeforeWhatTheyHide) {
  Series y = asymmetric(5, 700, 0);
  y.name = "return";
  y.values[350] = -69;
  const Inspection look = inspect(y);
  EXPECT_EQ(look.reading,
            "return: one row makes most of the variance, and the tests see little else");
  ASSERT_EQ(look.advice.size(), 1u);
  EXPECT_NE(look.advice[0].find("before anything else"), std::string::npos);
  EXPECT_TRUE(has_warning(look.warnings, WarningCode::few_rows_decide));
  EXPECT_TRUE(has_warning(unit_root_battery(y).warnings, WarningCode::few_rows_decide));
}

TEST(Leverage, IsFoundAndNotInvented) {
  // Four binomial errors of 500 runs.
  EXPECT_NEAR(rejections(500,
                         [](std::uint64_t seed) {
                           TestResult t;
                           t.p_value = leverage_table(asymmetric(seed, 1000, 0), 5).p_value;
                           return t;
                         }),
              0.04, 0.035);
  int found = 0;
  for (std::uint64_t seed = 1; seed <= 50; ++seed) {
    const LeverageTable table = leverage_table(asymmetric(seed, 3000, 0.15), 5);
    found += *table.p_value < 0.05 && table.rows[0].correlation < 0;
  }
  EXPECT_GE(found, 45);
}

TEST(LagBands, AreTheDefinitions) {
  Series x = normals(6, 400);
  x.values[10] = std::numeric_limits<double>::quiet_NaN();
  const LagTable table = lag_table(x, 6);
  double mean = 0;
  for (const double v : x.present_values()) mean += v / 399;
  double total = 0, spread = 0;
  for (std::size_t t = 0; t < 400; ++t) {
    const double a = x.values[t] - mean;
    if (!std::isnan(a)) total += a * a;
    if (t < 3) continue;
    const double b = a * (x.values[t - 3] - mean);
    if (!std::isnan(b)) spread += b * b;
  }
  EXPECT_NEAR(table.rows[2].band_robust, 1.959963984540054 * std::sqrt(spread) / total, 1e-12);
  const double sum = table.rows[0].acf * table.rows[0].acf + table.rows[1].acf * table.rows[1].acf;
  EXPECT_NEAR(table.rows[2].band_widening, table.band_95 * std::sqrt(1 + 2 * sum), 1e-12);
  EXPECT_EQ(table.rows[0].band_widening, table.band_95);
}

// Where volatility clusters the white band holds one lag of a white series far too seldom.
TEST(LagBands, TheRobustOneHoldsUnderClustering) {
  const Model garch = parse_model("const / garch / normal");
  int in_white = 0, in_robust = 0;
  constexpr int kSeries = 1000;
  for (std::uint64_t seed = 1; seed <= kSeries; ++seed) {
    const LagTable table = lag_table(simulate(garch, {0, .05, .2, .75}, 1000, {.seed = seed}), 1);
    in_white += std::abs(table.rows[0].acf) <= table.band_95;
    in_robust += std::abs(table.rows[0].acf) <= table.rows[0].band_robust;
  }
  // Three and a half binomial errors.
  EXPECT_NEAR(static_cast<double>(in_robust) / kSeries, 0.95, 0.025);
  EXPECT_LT(static_cast<double>(in_white) / kSeries, 0.9);
}

TEST(SeasonTest, KeepsItsSizeAndFindsASeason) {
  const auto series = [](std::uint64_t seed, double season) {
    Series s = normals(seed, 144);
    for (std::size_t t = 0; t < s.size(); ++t)
      s.values[t] += season * std::sin(2 * M_PI * static_cast<double>(t) / 12);
    return decompose(s, {.period = 12,
                         .method = DecompositionMethod::averages,
                         .form = DecompositionForm::additive});
  };
  // Four binomial errors of 1,000 runs.
  EXPECT_NEAR(
      rejections(1000,
                 [&](std::uint64_t seed) { return hypothesis::season_test(series(seed, 0)); }),
      0.05, 0.03);
  EXPECT_GT(
      rejections(100, [&](std::uint64_t seed) { return hypothesis::season_test(series(seed, 1)); }),
      0.95);
  // Whatever the memory, the period and the method.
  const auto remembering = [](std::uint64_t seed, double memory, int period, double season) {
    Series s = normals(seed, 20 * static_cast<std::size_t>(period));
    for (std::size_t t = 1; t < s.size(); ++t) s.values[t] += memory * s.values[t - 1];
    for (std::size_t t = 0; t < s.size(); ++t)
      if (t % static_cast<std::size_t>(period) == 3) s.values[t] += season;
    return decompose(s, {.period = period, .form = DecompositionForm::additive});
  };
  for (const int period : {4, 5, 12})
    for (const double memory : {0.0, .8, 1.0}) {
      const auto share = [&](int runs, double season) {
        return rejections(runs, [&](std::uint64_t seed) {
          return hypothesis::season_test(remembering(seed, memory, period, season));
        });
      };
      // Four binomial errors of 400 runs; less the trend alone .1 to .2 were rejected.
      EXPECT_NEAR(share(400, 0), 0.05, 0.044) << period << ' ' << memory;
      EXPECT_GT(share(50, 2), 0.9) << period << ' ' << memory;
    }
  // Volatility by the weekday.
  const auto days = [](std::uint64_t seed, double monday) {
    Series s = normals(seed, 500);
    s.times = dates_after(*parse_date("2020-01-01"), Clock::business_day, 500);
    s.clock = Clock::business_day;
    for (std::size_t t = 0; t < s.size(); ++t)
      if (std::chrono::weekday(std::chrono::floor<std::chrono::days>(s.times[t])) ==
          std::chrono::Monday)
        s.values[t] *= monday;
    return s;
  };
  // Four binomial errors of 1,000 runs.
  EXPECT_NEAR(rejections(1000,
                         [&](std::uint64_t seed) {
                           return hypothesis::profile_test(days(seed, 1), ProfileBy::weekday);
                         }),
              0.05, 0.025);
  EXPECT_GT(rejections(100,
                       [&](std::uint64_t seed) {
                         return hypothesis::profile_test(days(seed, 2), ProfileBy::weekday);
                       }),
            0.95);
}

TEST(Inspection, HoldsAllThatAPageNeeds) {
  Series r =
      simulate(parse_model("const / garch / student"), {0, .03, .1, .87, 5}, 2000, {.seed = 4});
  r.kind = SeriesKind::log_return;
  const Inspection look = inspect(r, {.lags = 7, .extremes = 4});
  EXPECT_EQ(look.lags, 7);
  EXPECT_EQ(look.whiteness.size(), 30u);
  EXPECT_EQ(look.whiteness[6].values, test_of(look.tests, "ljung-box").p_value);
  EXPECT_EQ(look.whiteness[6].squares, test_of(look.tests, "mcleod-li").p_value);
  EXPECT_EQ(look.extremes.size(), 4u);
  ASSERT_EQ(look.memory.size(), 2u);
  EXPECT_EQ(look.tails.size(), 3u);
  ASSERT_FALSE(look.advice.empty());
  const auto advised = [&](const std::string& words) {
    return std::any_of(look.advice.begin(), look.advice.end(),
                       [&](const std::string& a) { return a.find(words) != std::string::npos; });
  };
  EXPECT_TRUE(advised("give the variance an equation"));
  EXPECT_TRUE(advised("a constant will do") || advised("A constant mean will do"));
  EXPECT_EQ(test::error_of([&] { (void)test_of(look.tests, "none"); }).code(),
            ErrorCode::bad_option);
  // Short series have what can be had.
  const Inspection short_look = inspect(normals(1, 30));
  EXPECT_TRUE(short_look.memory.empty() && short_look.tails.empty());
}

TEST(Series, AreToldFromZeroAsReturnsAreOrFromTheValueBefore) {
  Series moves = normals(3, 300), level = moves, high = moves, lingering = moves;
  for (std::size_t t = 1; t < 300; ++t) {
    level.values[t] += level.values[t - 1];
    lingering.values[t] += .7 * lingering.values[t - 1];
  }
  for (double& v : high.values) v += 100;
  EXPECT_TRUE(counts_from_zero(moves));
  EXPECT_FALSE(counts_from_zero(level));
  EXPECT_FALSE(counts_from_zero(lingering));
  EXPECT_FALSE(counts_from_zero(high));
  EXPECT_FALSE(counts_from_zero(make_series({0, 0, 0})));
  EXPECT_FALSE(lingers(moves));
  EXPECT_FALSE(lingers(high)) << "around whatever mean";
  EXPECT_TRUE(lingers(level));
  EXPECT_TRUE(lingers(lingering));
  EXPECT_TRUE(lingers(make_series({std::nan(""), 1, std::nan("")})))
      << "nothing shows that it moves";
  // What is known of them goes first.
  high.kind = SeriesKind::simple_return;
  EXPECT_TRUE(counts_from_zero(high));
  moves.kind = SeriesKind::log_level;
  EXPECT_FALSE(counts_from_zero(moves));
}

}  // namespace
}  // namespace brace
