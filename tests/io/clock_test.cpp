// SPDX-License-Identifier: Apache-2.0
// A made-up file of each kind of clock: read with its dates, the absent ones added, modelled, and
// forecast on the dates that come.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <functional>
#include <set>

#include "brace/brace.hpp"
#include "brace/maths/random.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using namespace std::chrono;
using testing::HasSubstr;

Timestamp at(const std::string& text) {
  return *parse_date(text);
}

// "date,value" with a value that moves around its mean.
std::string csv_of(const std::vector<std::string>& dates, const char* header = "date,value") {
  maths::RandomStream u(23, 0);
  std::string text = fmt::format("{}\n", header);
  double level = 0;
  for (const std::string& date : dates) {
    level = .5 * level + u.normal();
    text += fmt::format("{},{:.6f}\n", date, 100 + level);
  }
  return text;
}
std::vector<std::string> texts(const std::vector<Timestamp>& times) {
  std::vector<std::string> out;
  for (const Timestamp t : times) out.push_back(format_date(t));
  return out;
}
Series read(const std::string& text, const ReadOptions& options = {}) {
  const test::Folder folder;
  return read_series(folder.file("a.csv", text), options);
}
// The dates of a forecast by a model of that series.
std::vector<std::string> coming(const Series& series, int horizon) {
  std::vector<std::string> out;
  const Forecast ahead = forecast(estimate("const ar1", series),
                                  {.horizon = horizon, .method = ForecastMethod::plug_in});
  for (const ForecastStep& s : ahead.steps) out.push_back(s.date ? format_date(*s.date) : "none");
  return out;
}
using Dates = std::vector<std::string>;

// Mornings and afternoons with a pause, Monday to Friday.
std::vector<Timestamp> session_of(Timestamp first, int days_open, minutes step) {
  std::vector<Timestamp> out;
  for (const Timestamp day :
       dates_after(first, Clock::business_day, static_cast<std::size_t>(days_open)))
    for (const auto& [from, to] : {std::pair{570min, 690min}, std::pair{780min, 900min}})
      for (minutes m = from; m <= to; m += step) out.push_back(day + m);
  return out;
}

TEST(ClockOfFiles, YearsAsNumbers) {
  Dates years;
  for (int y = 1880; y < 1990; ++y)
    if (y != 1914 && y != 1915) years.push_back(std::to_string(y));
  for (const char* header : {"year,value", "Year,value"}) {
    const Series s = read(csv_of(years, header));
    EXPECT_EQ(s.clock, Clock::year);
    EXPECT_EQ(s.size(), 110u);
    EXPECT_EQ(s.missing(), 2u);
    EXPECT_EQ(s.when(34), "1914-01-01");
    EXPECT_THAT(s.account.notes,
                testing::Contains("2 years that the file has not were added as missing"));
    EXPECT_EQ(coming(s, 2), (Dates{"1990-01-01", "1991-01-01"}));
  }
  EXPECT_EQ(read(csv_of(years, "when,value"), {.date = "when", .date_format = "%Y"}).clock,
            Clock::year);
  EXPECT_EQ(read(csv_of(years, "when,value"), {.value = "value", .date = "when"}).clock,
            Clock::year);
  // A price of four digits is none.
  const Series prices = read("date,price\n2020-01-01,1990\n2020-01-02,1991\n2020-01-03,1992\n");
  EXPECT_EQ(prices.values[0], 1990);
}

// Months from the first date to the last, both counted.
std::size_t months_between(const std::vector<Timestamp>& times) {
  const year_month_day first(floor<days>(times.front())), last(floor<days>(times.back()));
  return static_cast<std::size_t>((last.year() - first.year()).count() * 12 +
                                  static_cast<int>(static_cast<unsigned>(last.month())) -
                                  static_cast<int>(static_cast<unsigned>(first.month())) + 1);
}

TEST(ClockOfFiles, MonthsOfWhichSomeAreAbsent) {
  std::vector<Timestamp> months = dates_after(at("2003-12-31"), Clock::month, 120);
  for (const std::size_t i : {100u, 41u, 40u}) months.erase(months.begin() + i);
  const Series s = read(csv_of(texts(months)));
  EXPECT_EQ(s.clock, Clock::month);
  EXPECT_EQ(s.size(), 120u);
  EXPECT_TRUE(std::isnan(s.values[40]) && std::isnan(s.values[41]) && std::isnan(s.values[100]));
  EXPECT_EQ(s.when(40), "2007-05-31");
  EXPECT_EQ(coming(s, 2), (Dates{"2014-01-31", "2014-02-28"}));
  EXPECT_EQ(read(csv_of(texts(months)), {.absent = Absent::keep}).size(), 117u);
  // Half of the dates: no clock to be trusted, unless it is said.
  std::vector<Timestamp> few;
  for (std::size_t i = 0; i < months.size(); i += (i % 5 == 0 ? 1 : 2)) few.push_back(months[i]);
  const Series untouched = read(csv_of(texts(few)), {.every = Clock::month});
  EXPECT_EQ(untouched.size(), few.size());
  EXPECT_EQ(read(csv_of(texts(few)), {.every = Clock::month, .absent = Absent::missing}).missing(),
            months_between(few) - few.size())
      << "as many as lie between the first and the last date";
}

TEST(ClockOfFiles, WeeksAndDaysRoundTheWeek) {
  std::vector<Timestamp> weeks = dates_after(at("2020-01-03"), Clock::week, 150);
  weeks[70] -= days(1);  // a holiday: the same week
  weeks.erase(weeks.begin() + 33);
  const Series s = read(csv_of(texts(weeks)));
  EXPECT_EQ(s.clock, Clock::week);
  EXPECT_EQ(s.size(), 150u);
  EXPECT_EQ(s.missing(), 1u);
  std::vector<Timestamp> daily = dates_after(at("2021-05-01"), Clock::day, 200);
  daily.erase(daily.begin() + 60, daily.begin() + 64);
  const Series d = read(csv_of(texts(daily)));
  EXPECT_EQ(d.missing(), 4u);
  EXPECT_EQ(coming(d, 1), (Dates{format_date(daily.back() + days(1))}));
}

// Published dates of Easter Sunday.
TEST(ClockOfFiles, EasterIsComputed) {
  for (const char* day : {"1818-03-22", "1943-04-25", "1961-04-02", "2000-04-23", "2024-03-31",
                          "2025-04-20", "2038-04-25"}) {
    const sys_days date = floor<days>(at(day));
    EXPECT_EQ(easter(year_month_day(date).year()), date) << day;
  }
}

TEST(ClockOfFiles, BusinessDaysWithHolidaysThatMove) {
  std::vector<Timestamp> open;
  for (const Timestamp day : dates_after(at("2016-12-31"), Clock::business_day, 7 * 261)) {
    const sys_days date = floor<days>(day);
    const auto e = easter(year_month_day(date).year());
    const bool christmas = year_month_day(date).month() == December &&
                           year_month_day(date).day() == std::chrono::day(25);
    if (date != e - days(2) && date != e + days(1) && date != e + days(39) && !christmas)
      open.push_back(day);
  }
  const Series s = read(csv_of(texts(open)));
  EXPECT_EQ(s.clock, Clock::business_day);
  EXPECT_EQ(s.size(), open.size()) << "an absent day was closed";
  const Calendar calendar = learn_calendar(s.times, s.clock);
  EXPECT_EQ(describe(calendar),
            "business-day; closed on 25 December, Good Friday, Easter Monday, Ascension");
  EXPECT_TRUE(irregular_steps(calendar, s.times).empty());
  EXPECT_EQ(dates_after(calendar, at("2026-04-02"), 1).at(0), at("2026-04-07")) << "Easter 2026";
}

TEST(ClockOfFiles, SessionsWithALunchBreakAtEachStep) {
  struct Want {
    minutes step;
    Clock clock;
    const char* words;
    std::size_t bars;
  };
  for (const Want& want :
       {Want{1min, Clock::minute,
             "minute, Monday to Friday from 09:30 to 11:30 and from 13:00 to 15:00", 242},
        Want{5min, Clock::minute,
             "5 minutes, Monday to Friday from 09:30 to 11:30 and from 13:00 to 15:00", 50},
        Want{60min, Clock::hour,
             "hour, Monday to Friday from 09:30 to 11:30 and from 13:00 to 15:00", 6}}) {
    // Over the end of summer time, which a session of days does not see.
    std::vector<Timestamp> times =
        session_of(at("2024-10-09"), want.step == 60min ? 40 : 12, want.step);
    const std::size_t whole = times.size(), day_rows = want.bars;
    times.erase(times.begin() + static_cast<std::ptrdiff_t>(2 * day_rows + 2));  // within a day
    times.erase(times.begin() + static_cast<std::ptrdiff_t>(4 * day_rows - 1),   // a day of its own
                times.begin() + static_cast<std::ptrdiff_t>(5 * day_rows - 1));
    const Series s = read(csv_of(texts(times)));
    EXPECT_EQ(s.clock, want.clock);
    EXPECT_EQ(s.size(), whole - day_rows)
        << "a slot within a day is missing, a whole day was closed";
    EXPECT_EQ(s.missing(), 1u);
    EXPECT_EQ(describe(learn_calendar(s.times, s.clock)), want.words);
    EXPECT_NEAR(*s.rows_per_year(), 252.0 * static_cast<double>(want.bars), 1e-9);
    const Dates next = coming(s, 2);
    const auto after = dates_after(floor<days>(s.times.back()), Clock::business_day, 1).at(0);
    EXPECT_EQ(next[0], format_date(after + 570min)) << "the first bar of a day at its own time";
    EXPECT_EQ(next[1], format_date(after + 570min + want.step));
    const ReadOptions zoned{.zone = "America/New_York"};
    const Series local = read(csv_of(texts(times)), zoned);
    EXPECT_EQ(local.times, s.times) << "no session goes through the change";
    EXPECT_THAT(local.account.notes, testing::Contains(HasSubstr("kept as written")));
  }
}

// Local hours of Berlin, of which one is skipped in March and one comes twice in October.
TEST(ClockOfFiles, ARoundTheClockMarketInALocalTime) {
  std::vector<Timestamp> utc, local;
  for (Timestamp t = at("2024-03-01"); t < at("2024-12-01"); t += hours(1)) {
    const bool summer = t >= at("2024-03-31 01:00") && t < at("2024-10-27 01:00");
    utc.push_back(t);
    local.push_back(t + hours(summer ? 2 : 1));
  }
  const std::string text = csv_of(texts(local));
  const Error needed = test::error_of([&] { (void)read(text); });
  EXPECT_THAT(needed.what(), HasSubstr("`zone`"));
  const Series s = read(text, {.zone = "Europe/Berlin"});
  EXPECT_EQ(s.times, utc);
  EXPECT_EQ(s.missing(), 0u);
  EXPECT_EQ(s.clock, Clock::hour);
  EXPECT_TRUE(learn_calendar(s.times, s.clock).round_the_clock());
  EXPECT_NEAR(*s.rows_per_year(), 8766, 1e-9);
  EXPECT_EQ(coming(s, 1), (Dates{"2024-12-01"}));
  std::vector<Timestamp> gappy = utc;
  gappy.erase(gappy.begin() + 1000, gappy.begin() + 1030);
  EXPECT_EQ(read(csv_of(texts(gappy))).missing(), 30u) << "no day is closed here";
  EXPECT_EQ(test::error_of([&] { (void)read(text, {.zone = "Port_Merrow"}); }).code(),
            ErrorCode::bad_option);
  local[1000] = at("2024-03-31 02:30");
  local.erase(local.begin() + 1, local.begin() + 1000);
  EXPECT_THAT(test::error_of([&] {
                (void)read(csv_of(texts({local[1]})), {.zone = "Europe/Berlin"});
              }).what(),
              HasSubstr("was skipped by the clocks of Europe/Berlin"));
}

// Rows that were dropped because nothing was traded do not come back as missing.
TEST(ClockOfFiles, DroppedRowsStayDropped) {
  std::string text = "date,price,volume\n";
  int i = 0;
  for (const Timestamp t : dates_after(at("2022-12-31"), Clock::day, 100)) {
    if (i != 50)
      text += fmt::format("{},{},{}\n", format_date(t), 100 + i % 7, i % 20 == 3 ? 0 : 5);
    ++i;
  }
  const Series s = read(text, {.value = "price", .drop_zero = "volume"});
  EXPECT_EQ(s.size(), 95u) << "five were dropped, one was added";
  EXPECT_EQ(s.missing(), 1u);
}

}  // namespace
}  // namespace brace
