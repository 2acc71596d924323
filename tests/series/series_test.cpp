// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "base/missing.hpp"
#include "brace/series/calendar.hpp"
#include "brace/series/chain.hpp"
#include "brace/series/series.hpp"
#include "brace/series/split.hpp"
#include "brace/series/transform.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

std::vector<Timestamp> dates(std::initializer_list<const char*> texts) {
  std::vector<Timestamp> out;
  for (const char* text : texts) out.push_back(*parse_date(text));
  return out;
}

TEST(Calendar, InfersTheClockInSpiteOfHolidays) {
  const Timestamp monday = *parse_date("2024-01-01");
  EXPECT_EQ(
      infer_clock(dates({"2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05", "2024-01-09"})),
      Clock::business_day);
  EXPECT_EQ(infer_clock(dates_after(monday, Clock::day, 10)), Clock::day);
  EXPECT_EQ(infer_clock(dates({"2024-01-31", "2024-02-29", "2024-03-31", "2024-04-30"})),
            Clock::month);
  EXPECT_EQ(infer_clock(dates({"2024-01-31", "2024-01-05"})), Clock::row) << "too few to tell";
  EXPECT_EQ(infer_clock(dates({"2024-01-01", "2024-03-01", "2024-04-30", "2024-06-29"})),
            Clock::row)
      << "sixty days are no quarter";
  for (const Clock clock :
       {Clock::hour, Clock::week, Clock::quarter, Clock::month, Clock::business_day})
    EXPECT_EQ(infer_clock(dates_after(monday, clock, 40)), clock) << to_string(clock);
}

TEST(Calendar, ComingDatesFollowTheClock) {
  const auto ahead = dates_after(*parse_date("2024-02-15"), Clock::business_day, 3);
  EXPECT_EQ(ahead, dates({"2024-02-16", "2024-02-19", "2024-02-20"})) << "over a weekend";
  EXPECT_EQ(dates_after(*parse_date("2024-01-31"), Clock::month, 3),
            dates({"2024-02-29", "2024-03-31", "2024-04-30"}))
      << "the 31st must come back after a short month";
  EXPECT_TRUE(dates_after(*parse_date("2024-01-31"), Clock::row, 3).empty());
}

TEST(Calendar, NamesReadBack) {
  for (int c = 0; c <= static_cast<int>(Clock::year); ++c)
    EXPECT_EQ(clock_from(to_string(static_cast<Clock>(c))), static_cast<Clock>(c));
  EXPECT_EQ(clock_from("fortnight"), std::nullopt);
  EXPECT_EQ(periods_per_year(Clock::business_day), 252);
  EXPECT_EQ(periods_per_year(Clock::row), std::nullopt);
}

TEST(Transform, AMissingCloseKillsBothItsReturns) {
  Series prices = make_series({100, 101, kNaN, 103, 104}, "settle");
  prices.times = dates({"2024-01-01", "2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05"});
  const Series r = log_returns(prices);
  ASSERT_EQ(r.size(), 4u);
  EXPECT_DOUBLE_EQ(r.values[0], 100 * std::log(1.01));
  EXPECT_TRUE(std::isnan(r.values[1]));
  EXPECT_TRUE(std::isnan(r.values[2]));
  EXPECT_DOUBLE_EQ(r.values[3], 100 * std::log(104.0 / 103));
  EXPECT_EQ(r.when(0), "2024-01-02") << "dated by the later day";
  EXPECT_EQ(r.unit, Unit::percent);
  EXPECT_EQ(r.name, "log return of settle");
}

TEST(Transform, UnitsAndInverses) {
  const Series prices = make_series({50, 55, 44}, "x");
  const Series percent = log_returns(prices), decimal = log_returns(prices, Unit::decimal);
  double level = std::log(50);
  for (std::size_t i = 0; i < 2; ++i) {
    EXPECT_DOUBLE_EQ(percent.values[i], 100 * decimal.values[i]);
    level += decimal.values[i];
    EXPECT_NEAR(std::exp(level), prices.values[i + 1], 1e-12 * prices.values[i + 1])
        << "log returns add up";
  }
  EXPECT_NEAR(simple_returns(prices).values[0], 10, 1e-13);  // 55/50 - 1 loses four bits
  EXPECT_DOUBLE_EQ(log_level(prices).values[1], std::log(55));
  EXPECT_DOUBLE_EQ(differences(prices).values[1], -11);
  EXPECT_DOUBLE_EQ(squares(make_series({1, 3})).values[0], 1);
  EXPECT_DOUBLE_EQ(absolute_values(make_series({1, 3})).values[1], 1);
}

TEST(Transform, RefusesTheLogarithmOfAPriceThatIsNotPositive) {
  const Error error = test::error_of([] { (void)log_returns(make_series({10, 0, 11}, "settle")); });
  EXPECT_EQ(error.code(), ErrorCode::not_positive);
  EXPECT_STREQ(
      error.what(),
      "settle, row 2: 0 is not positive, so it has no logarithm or return; correct it, or model "
      "differences instead");
}

TEST(Series, RefusesWhatCannotBeUsed) {
  const auto message = [](Series s) {
    return std::string(test::error_of([&] { require_usable(s, 3, "a test"); }).what());
  };
  EXPECT_EQ(message(make_series({1, 2}, "x")),
            "series 'x': 2 observations for a test, which needs at least 3; give a longer series");
  EXPECT_EQ(message(make_series({4, 4, 4, 4}, "x")),
            "series 'x': every value is 4, so there is nothing to estimate or test; is it "
            "the right column?");
  EXPECT_EQ(message(make_series({1, std::numeric_limits<double>::infinity(), 2, 3}, "x")),
            "series 'x', row 2: the value is infinite; correct it or name it as missing");
  Series disordered = make_series({1, 2, 3}, "x");
  disordered.times = dates({"2024-01-02", "2024-01-01", "2024-01-03"});
  EXPECT_EQ(message(disordered),
            "series 'x': 2024-01-01 comes after 2024-01-02; sort the rows and keep one a date");
  Series undated = make_series({1, 2, 3}, "x");
  undated.times = dates({"2024-01-02"});
  EXPECT_EQ(message(undated), "series 'x': 1 dates for 3 values; give one date a value, or none");
}

// Companions keep step with the values through everything that takes rows away or puts them in.
TEST(Companions, KeepStepWithTheValues) {
  Series y = make_series({100, 110, kNaN, 121, 133.1, 146.41}, "price");
  y.times =
      dates({"2024-01-01", "2024-01-02", "2024-01-03", "2024-01-04", "2024-01-05", "2024-01-08"});
  y.clock = Clock::business_day;
  y.companions = {{"volume", {1, 2, 3, 4, 5, 6}}};
  using Values = std::vector<double>;
  EXPECT_EQ(log_returns(y).companions[0].values, (Values{2, 3, 4, 5, 6}));
  EXPECT_EQ(differences(y).companions[0].values, (Values{2, 3, 4, 5, 6}));
  EXPECT_EQ(log_level(y).companions[0].values.size(), 6u);
  EXPECT_EQ(without_gaps(y).companions[0].values, (Values{1, 2, 4, 5, 6}));
  EXPECT_EQ(rows_between(y, 1, 3).companions[0].values, (Values{2, 3}));
  EXPECT_EQ(regroup(y, Clock::week, Aggregate::last).companions[0].values, (Values{5, 6}));
  EXPECT_EQ(regroup(y, Clock::week, Aggregate::sum).companions[0].values, (Values{15, 6}));
  EXPECT_EQ(transform(y, parse_chain("log diff1 rows=2..4")).series.companions[0].values,
            (Values{3, 4, 5}));
  const HoldOutSplit parts = split(y, {.count = 2});
  EXPECT_EQ(parts.held_out.companions[0].values, (Values{5, 6}));
  Series again = parts.training;
  again.append(parts.held_out);
  EXPECT_EQ(again.companions[0].values, y.companions[0].values);
  EXPECT_EQ(again.times, y.times);
  y.companions[0].values.pop_back();
  EXPECT_NE(std::string(test::error_of([&] { require_usable(y, 2, "a test"); }).what())
                .find("5 values of 'volume' for 6; give one a row"),
            std::string::npos);
}

TEST(Companions, DatesPutInHaveNone) {
  Series y = make_series({1, 2, 3}, "y");
  y.times = dates({"2024-01-01", "2024-01-02", "2024-01-04"});
  y.clock = Clock::day;
  y.companions = {{"x", {7, 8, 9}}};
  const Series whole = with_absent_rows(y, true);
  ASSERT_EQ(whole.size(), 4u);
  EXPECT_EQ(whole.companions[0].values[3], 9);
  EXPECT_TRUE(std::isnan(whole.companions[0].values[2]));
}

}  // namespace
}  // namespace brace
