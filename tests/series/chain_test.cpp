// SPDX-License-Identifier: Apache-2.0
// Chains: inverse(transform(x)) = x for any chain and any gaps, nothing learnt from a hold-out.
#include "brace/series/chain.hpp"
#include "base/missing.hpp"

#include <gtest/gtest.h>

#include <rapidcheck.h>
#include <rapidcheck/gtest.h>
#include <Eigen/Dense>

#include <cmath>
#include <limits>
#include <tuple>

#include "brace/maths/random.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

// A price between some 5 and 500 with gaps, hourly from 09:00 to 16:00 on business days.
Series price(std::uint64_t seed, std::size_t n, double share_missing) {
  maths::RandomStream stream(seed, 0);
  std::vector<double> values;
  double level = std::log(60);
  for (std::size_t t = 0; t < n; ++t) {
    level += 0.01 * stream.normal();
    values.push_back(stream.uniform() < share_missing ? kNaN : std::exp(level));
  }
  Series s = make_series(std::move(values), "settle");
  Calendar calendar;
  calendar.clock = Clock::hour;
  for (std::size_t day = 1; day <= 5; ++day)
    for (std::size_t hour = 9; hour <= 16; ++hour)
      calendar.session[day].push_back(3600 * static_cast<int>(hour));
  s.times = dates_after(calendar, *parse_date("2024-01-01"), n);
  s.clock = Clock::hour;
  return s;
}

double largest(const std::vector<double>& x) {
  double out = 0;
  for (const double v : x)
    if (!std::isnan(v)) out = std::max(out, std::abs(v));
  return out;
}

// Relative to the largest value that went in; infinite where the gaps are not the same.
double worst_error(const Series& want, const Series& got) {
  if (want.size() != got.size()) return INFINITY;
  double worst = 0;
  for (std::size_t i = 0; i < want.size(); ++i) {
    if (std::isnan(want.values[i]) != std::isnan(got.values[i])) return INFINITY;
    if (!std::isnan(want.values[i]))
      worst = std::max(worst, std::abs(got.values[i] - want.values[i]));
  }
  return worst / largest(want.values);
}

// Links that may follow a positive level, and those that may follow anything.
std::string random_chain() {
  const auto first = *rc::gen::elementOf(std::vector<std::string>{
      "", "log", "boxcox", "boxcox=-1", "boxcox=0", "boxcox=0.3", "boxcox=2", "log-return",
      "simple-return", "dates=2024-01-03..", "rows=3..", "rows=10%..90%"});
  std::string chain = first;
  const int more = *rc::gen::inRange(0, 4);
  int differences = first.ends_with("return") ? 1 : 0;
  for (int i = 0; i < more; ++i) {
    std::string link = *rc::gen::elementOf(std::vector<std::string>{
        "diff1", "diff7", "centre", "rows=2..80%", "rows=5%..", "hours", "weekdays"});
    // Each difference adds up the rounding of the one before: three would ask for 1e-11.
    if (link.starts_with("diff") && ++differences > 2) continue;
    chain += " " + link;
  }
  return chain;
}

RC_GTEST_PROP(ChainProperty, TheInverseGivesBackWhatWentIn, ()) {
  const auto seed = *rc::gen::inRange<std::uint64_t>(1, 100000);
  const auto n = *rc::gen::inRange<std::size_t>(160, 400);
  const double missing = *rc::gen::element(0.0, 0.02, 0.3);
  const std::string chain = random_chain();
  const Series x = price(seed, n, missing);
  Transformed y;
  try {
    y = transform(x, parse_chain(chain));
  } catch (const Error&) {
    RC_DISCARD("cuts and gaps may leave too little for a profile, which is refused");
  }
  RC_LOG() << chain << ", n = " << n << ", seed " << seed;
  RC_ASSERT(worst_error(x, y.inverse(y.series.values)) <= 1e-12);
  RC_ASSERT(y.series.times.size() == y.series.values.size());
}

// What comes after the end: transform the whole, cut, and go on from the cut with what was cut off.
RC_GTEST_PROP(ChainProperty, GoesOnWhereTheSeriesEnds, ()) {
  const auto seed = *rc::gen::inRange<std::uint64_t>(1, 100000);
  const std::size_t n = 300, ahead = 20;
  const Series x = price(seed, n, 0);
  const std::string chain = *rc::gen::elementOf(
      std::vector<std::string>{"log diff1 diff7", "boxcox=0.5 diff7 centre", "log-return centre",
                               "simple-return", "centre diff1 diff1", "log-return hours", "log"});
  const std::vector<Transform> links = parse_chain(chain);
  // Estimated numbers come from the training part in both.
  const Transformed whole = transform(x, links, n - ahead);
  Series start = x;
  start.values.resize(n - ahead);
  start.times.resize(n - ahead);
  const Transformed part = transform(start, links);
  const std::vector<double>& y = whole.series.values;
  const std::vector<double> again =
      part.inverse_ahead({y.data() + y.size() - ahead, ahead}, {x.times.data() + n - ahead, ahead});
  for (std::size_t i = 0; i < ahead; ++i)
    RC_ASSERT(std::abs(again[i] - x.values[n - ahead + i]) <= 1e-11 * x.values[n - ahead + i]);
}

TEST(Chain, EachLinkIsWhatItSays) {
  const Series x = make_series({10, 20, kNaN, 80, 40}, "x");
  const auto of = [&](const char* chain) { return transform(x, parse_chain(chain)).series.values; };
  EXPECT_DOUBLE_EQ(of("log")[1], std::log(20));
  EXPECT_DOUBLE_EQ(of("boxcox=2")[0], (100 - 1) / 2.0);
  EXPECT_DOUBLE_EQ(of("log-return")[3], 100 * std::log(0.5));
  EXPECT_DOUBLE_EQ(of("simple-return")[0], 100);
  EXPECT_DOUBLE_EQ(of("diff3")[0], 70);
  EXPECT_EQ(of("diff3").size(), 2u);
  EXPECT_DOUBLE_EQ(of("centre")[4], 40 - 37.5);
  EXPECT_TRUE(std::isnan(of("log-return")[1]) && std::isnan(of("log-return")[2]))
      << "both of its returns";
  EXPECT_EQ(of("rows=2..4").size(), 3u);
  EXPECT_EQ(of("rows=..40%"), (std::vector<double>{10, 20}));
  EXPECT_EQ(transform(x, parse_chain("log, diff1")).series.name, "change of log x");
}

TEST(Chain, LearnsFromTheTrainingPartOnly) {
  Series x = price(5, 300, 0.02);
  Series spoilt = x;
  for (std::size_t t = 200; t < 300; ++t) spoilt.values[t] *= t % 2 == 0 ? 40 : 1;
  for (const char* chain :
       {"boxcox", "centre", "log-return centre", "log-return hours", "boxcox diff1 centre"}) {
    const Transformed clean = transform(x, parse_chain(chain), 200);
    const Transformed other = transform(spoilt, parse_chain(chain), 200);
    for (std::size_t t = 0; t < 190; ++t)
      EXPECT_TRUE(clean.series.values[t] == other.series.values[t] ||
                  std::isnan(clean.series.values[t]))
          << chain;
    EXPECT_NE(transform(spoilt, parse_chain(chain)).series.values[10], clean.series.values[10])
        << chain << ": the whole sample would have told another story";
  }
}

TEST(Chain, WordsReadBackAndWrongOnesAreRefused) {
  for (const char* word :
       {"log", "boxcox", "boxcox=0.3", "log-return", "simple-return", "diff12", "centre",
        "rows=2..", "rows=10%..90%", "dates=2024-01-02..2024-02-01", "hours", "weekdays"})
    EXPECT_EQ(to_string(parse_chain(word).at(0)), word);
  const auto message = [](const char* chain) {
    return std::string(test::error_of([&] { (void)parse_chain(chain); }).what());
  };
  EXPECT_EQ(message("lgo"),
            "transform 'lgo': is not known (did you mean 'log'?); there are log, boxcox, boxcox=P, "
            "log-return, "
            "simple-return, diffN, centre, rows=A..B, dates=A..B, hours, weekdays");
  EXPECT_EQ(message("diff"), "transform 'diff': write the lag, such as diff1 or diff12");
  EXPECT_EQ(message("boxcox=x"),
            "transform 'boxcox=x': the power is a number between -10 and 10, such as boxcox=0.5");
  EXPECT_EQ(message("rows=5"),
            "transform 'rows=5': write the two ends as A..B; an end may be left out");
  EXPECT_EQ(message("rows=0..5"), "transform 'rows=0..5': rows are whole numbers from 1");
  EXPECT_EQ(message("dates=x..y"), "transform 'dates=x..y': write dates as 2019-05-02");
}

TEST(Chain, SaysWhatItCannotDo) {
  const Series x = make_series({1, -2, 3}, "x");
  EXPECT_EQ(test::error_of([&] { (void)transform(x, parse_chain("boxcox=0.5")); }).code(),
            ErrorCode::not_positive);
  EXPECT_STREQ(test::error_of([&] { (void)transform(x, parse_chain("diff3")); }).what(),
               "transform 'diff3': x has 3 rows; a difference at lag 3 needs more");
  EXPECT_STREQ(test::error_of([&] { (void)transform(x, parse_chain("diff2 centre"), 2); }).what(),
               "transform 'centre': the training part of change over 2 of x is used up by the "
               "transforms before; "
               "give it more rows");
  const Transformed gap = transform(make_series({1, 2, kNaN}, "x"), parse_chain("diff1"));
  EXPECT_FALSE(gap.goes_on());
  EXPECT_TRUE(transform(make_series({1, kNaN, 2}, "x"), parse_chain("diff1")).goes_on());
  EXPECT_TRUE(transform(make_series({1, 2, kNaN}, "x"), parse_chain("log")).goes_on());
  EXPECT_EQ(test::error_of([&] { (void)gap.inverse_ahead(std::vector<double>{1}); }).code(),
            ErrorCode::too_few_observations);
}

TEST(PowerTransform, IsExactNearZeroAndInverts) {
  for (const double power : {-1.0, -1e-9, 0.0, 1e-321, 1e-200, 1e-12, 1e-5, 0.5, 1.0, 2.0})
    for (const double x : {0.7, 1.0, 3.0, 120.0})
      EXPECT_NEAR(power_inverse(power_transform(x, power), power) / x, 1,
                  1e-13 * std::max(1.0, std::pow(x, -power)))
          << power << ' ' << x;
  EXPECT_NEAR(power_transform(3, 1e-9), std::log(3), 1e-8) << "continuous at zero";
  EXPECT_TRUE(std::isnan(power_inverse(-3, 0.5))) << "no x gives that";
}

// The likelihood by its definition, Jacobian and all, on a grid.
// Around a broken line with corners at least 24 rows apart.
double log_likelihood(const std::vector<double>& x, double power) {
  const auto n = static_cast<Eigen::Index>(x.size());
  const Eigen::Index pieces = std::max<Eigen::Index>(1, n / 24);
  Eigen::MatrixXd hats = Eigen::MatrixXd::Zero(n, pieces + 1);
  Eigen::VectorXd y(n);
  double sum_log = 0;
  for (Eigen::Index i = 0; i < n; ++i) {
    const double at = static_cast<double>(pieces * i) / static_cast<double>(n);
    const auto left = static_cast<Eigen::Index>(at);
    hats(i, left + 1) = at - static_cast<double>(left);
    hats(i, left) = 1 - hats(i, left + 1);
    y(i) = power_transform(x[static_cast<std::size_t>(i)], power);
    sum_log += std::log(x[static_cast<std::size_t>(i)]);
  }
  const double ssr = (y - hats * hats.colPivHouseholderQr().solve(y)).squaredNorm();
  const auto rows = static_cast<double>(n);
  return -rows / 2 * std::log(ssr / rows) + (power - 1) * sum_log;
}

TEST(PowerTransform, MaximisesTheLikelihoodAndItsIntervalHoldsTheTruth) {
  int held = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    maths::RandomStream stream(seed, 1);
    std::vector<double> x;
    // Even on the scale of the power 0.5, around a line.
    for (int t = 0; t < 120; ++t)
      x.push_back(power_inverse(12 + 0.05 * t + 1.5 * stream.normal(), 0.5));
    const PowerEstimate power = estimate_power(make_series(x));
    held += power.low <= 0.5 && 0.5 <= power.high;
    if (seed > 20) continue;
    const double best = log_likelihood(x, power.power);
    for (double lambda = -1; lambda <= 2; lambda += 0.05)
      EXPECT_LE(log_likelihood(x, lambda), best + 1e-9);
    for (const double end : {power.low, power.high})
      // The end is sought to 1e-6.
      EXPECT_NEAR(2 * (best - log_likelihood(x, end)), 3.841458820694124, 1e-5);
  }
  // Binomial(200, .95): sd 3.1; twice in a thousand outside +-3.1 sd.
  EXPECT_NEAR(held, 190, 9.6);
}

// The season of a quarter is that of its date, whatever rows are absent.
TEST(PowerTransform, KnowsTheSeasonOfAQuarterByItsDate) {
  Series whole;
  whole.clock = Clock::quarter;
  whole.times = dates_after(*parse_date("2001-03-31"), Clock::quarter, 80);
  maths::RandomStream stream(5, 1);
  for (int t = 0; t < 80; ++t)
    whole.values.push_back(power_inverse(10 + 3 * (t % 4) + .3 * stream.normal(), .4));
  Series absent = whole;
  for (const std::size_t t : {61U, 30U, 10U}) {
    whole.values[t] = kNaN;
    absent.values.erase(absent.values.begin() + t);
    absent.times.erase(absent.times.begin() + t);
  }
  // The broken line counts rows, which are three fewer.
  EXPECT_NEAR(estimate_power(absent).power, estimate_power(whole).power, .02);
  // A season that is taken for another leaves its waves behind, which widen the interval.
  EXPECT_NEAR(estimate_power(absent).high - estimate_power(absent).low,
              estimate_power(whole).high - estimate_power(whole).low, .02);
}

TEST(PowerTransform, FollowsTheScaleAndRefusesWhatIsNotPositive) {
  Series x = price(3, 200, 0.05);
  const PowerEstimate one = estimate_power(x);
  for (double& v : x.values) v *= 1e6;
  const PowerEstimate other = estimate_power(x);
  // Both are sought to 1e-6.
  EXPECT_NEAR(one.power, other.power, 1e-6);
  EXPECT_NEAR(one.low, other.low, 1e-6);
  x.values[7] = 0;
  EXPECT_EQ(test::error_of([&] { (void)estimate_power(x); }).code(), ErrorCode::not_positive);
}

TEST(WayAhead, BeyondTheRangeOfAPowerIsTheEndOfTheRange) {
  const Series level = make_series({1, 2, 3, 2, 4, 3, 5, 4, 6, 5, 7, 6}, "kelp");
  for (const auto& [chain, below, end] :
       {std::tuple{"boxcox=0.5", -3., 0.},
        std::tuple{"boxcox=-0.5", 3., std::numeric_limits<double>::infinity()}}) {
    const Transformed made = transform(level, parse_chain(chain));
    EXPECT_EQ(made.inverse_ahead(std::vector<double>{below})[0], end) << chain;
  }
}

// A path that explodes ahead leaves the range of numbers and stays outside; only a last value that
// is missing is nothing to go on from.
TEST(WayAhead, OfAPathThatExplodesIsNoError) {
  const Transformed made =
      transform(make_series({100, 101, 102, 101}, "kelp"), parse_chain("log-return"));
  const std::vector<double> ahead = made.inverse_ahead(std::vector<double>{1e6, -2e6, 1e6});
  ASSERT_EQ(ahead.size(), 3U);
  for (const double v : ahead) EXPECT_FALSE(std::isnan(v));
  EXPECT_EQ(ahead[0], std::numeric_limits<double>::infinity());
}

}  // namespace
}  // namespace brace
