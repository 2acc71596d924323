// SPDX-License-Identifier: Apache-2.0
// Dates and times of day of a file: each form is read as what it says, or refused, never guessed.
#include <date/date.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <functional>
#include <tuple>

#include "brace/io/csv.hpp"
#include "brace/io/table.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Folder;

// What each form prints is read as the date that was printed, never as another.
TEST(Dates, EveryFormOfADateIsReadBack) {
  using std::chrono::days, std::chrono::months, std::chrono::sys_days, std::chrono::year;
  const Folder folder;
  const auto quarters = [](sys_days day) {
    return std::to_string((static_cast<unsigned>(std::chrono::year_month_day(day).month()) + 2) /
                          3);
  };
  const auto months_after = [](sys_days first, int count) {
    return sys_days(std::chrono::year_month_day(first) + months(count));
  };
  struct Step {
    std::vector<const char*> forms;
    std::function<sys_days(int)> day;
  };
  const sys_days first = year(1999) / 1 / 1, monday = year(1999) / 1 / 4;
  const Step steps[] = {
      {{"%Y-%m-%d",
        "%Y/%m/%d",
        "%Y.%m.%d",
        "%Y%m%d",
        "%Y%m%d.0",
        "%d/%m/%Y",
        "%m/%d/%Y",
        "%d-%m-%Y",
        "%d.%m.%Y",
        "%d %b %Y",
        "%d-%b-%Y",
        "%d-%b-%y",
        "%d %B %Y",
        "\"%b %d, %Y\"",
        "\"%B %d, %Y\"",
        "\"%a, %d %b %Y\"",
        "%a %d %b %Y",
        "%A %d %B %Y",
        "%a %b %d %Y",
        "\"%A, %B %d, %Y\"",
        "%a %Y-%m-%d",
        "%a %d/%m/%Y",
        "%a %m/%d/%Y",
        "%Y-%j",
        "%a %b %d 00:00:00 %Y",
        "%a %b %d 00:00:00 GMT %Y",
        "\"%a, %d %b %Y 00:00:00 GMT\"",
        "%a %b %d %Y 00:00:00 GMT+0000",
        "%Y-%m-%d 00:00:00 UTC"},
       [&](int i) { return first + days(i); }},
      {{"%Y-%m", "%Y/%m", "%m/%Y", "%YM%m", "%Y%m", "%b %Y", "%b-%Y", "%b-%y", "%b %y", "%B %Y",
        "%Y %b", "%Y-%b", "%Y %B", "%Ym%m", "%Y:%m"},
       [&](int i) { return months_after(first, i); }},
      {{"%Y-Q%Q", "%YQ%Q", "%Y Q%Q", "Q%Q %Y", "Q%Q-%Y", "Q%Q/%Y", "%QQ%Y", "%Yq%Q", "%QQ%y",
        "%yQ%Q", "Q%Q/%y", "Q%Q-%y", "Q%Q %y"},
       [&](int i) { return months_after(first, 3 * i); }},
      {{"%G-W%V", "%GW%V"}, [&](int i) { return monday + days(7 * i); }},
      {{"%Y"}, [&](int i) { return months_after(first, 12 * i); }},
  };
  for (const Step& step : steps)
    for (const char* form : step.forms) {
      constexpr int kRows = 200;
      std::string text = std::string(form) == "%Y" ? "year,x\n" : "date,x\n";
      for (int i = 0; i < kRows; ++i) {
        std::string filled = form;
        if (const auto at = filled.find("%Q"); at != std::string::npos)
          filled.replace(at, 2, quarters(step.day(i)));
        text += fmt::format("{},{}\n", date::format(filled, step.day(i)), 100 + i % 7);
      }
      const Series s = read_csv(folder.file("forms.csv", text), {.absent = Absent::keep});
      ASSERT_EQ(s.size(), static_cast<std::size_t>(kRows)) << form;
      for (int i = 0; i < kRows; ++i)
        ASSERT_EQ(s.times[static_cast<std::size_t>(i)], Timestamp(step.day(i))) << form;
    }
}

// As the press shortens them: Sept for Sep, and a dot behind what is shortened.
TEST(Dates, MonthsAsThePressShortensThemAreRead) {
  using std::chrono::days, std::chrono::sys_days;
  const Folder folder;
  const sys_days first = std::chrono::year(2013) / 2 / 12;
  for (const char* form : {"%d {} %Y", "%d-{}-%Y", "\"{} %d, %Y\"", "%a %d {} %Y"}) {
    std::string text = "date,x\n";
    for (int i = 0; i < 300; ++i) {
      const sys_days day = first + days(i);
      std::string month = date::format("%b", day);
      if (month == "Sep")
        month = i % 2 == 0 ? "Sept" : "Sept.";
      else if (month != "May" && i % 3 == 0)
        month += '.';
      std::string filled = form;
      filled.replace(filled.find("{}"), 2, month);
      text += fmt::format("{},{}\n", date::format(filled, day), 100 + i % 7);
    }
    const Series s = read_csv(folder.file("press.csv", text));
    ASSERT_EQ(s.size(), 300u) << form;
    EXPECT_EQ(s.times.back(), Timestamp(first + days(299))) << form;
  }
  EXPECT_THROW((void)read_csv(folder.file("none.csv", "date,x\n1 Septe 2013,1\n2 Octt 2013,2\n")),
               Error);
}

TEST(Dates, TimesOfDayWithoutColonsAreRead) {
  const Folder folder;
  const auto last = [&](const std::string& text) {
    const Series s = read_csv(folder.file("times.csv", text));
    return s.when(0) + " to " + s.when(s.size() - 1);
  };
  for (const char* text :
       {"date,time,x\n20240102,0930,1\n20240102,1605,2\n",
        "date,time,x\n20240102,930,1\n20240102,1605,2\n",
        "date,time,x\n20240102,93000,1\n20240102,160500,2\n",
        "date,x\n20240102 0930,1\n20240102 1605,2\n",
        "date,x\n20240102T093000,1\n20240102T160500,2\n",
        "date,x\n202401020930,1\n202401021605,2\n", "date,x\n20240102093000,1\n20240102160500,2\n"})
    EXPECT_EQ(last(text), "2024-01-02 09:30 to 2024-01-02 16:05") << text;
  // A column of that name that no clock shows is a value.
  EXPECT_EQ(read_table(folder.file("held.csv", "date,time,x\n20240102,9999,1\n20240103,1605,2\n"))
                .columns.front()
                .name,
            "time");
}

TEST(Dates, NamesWhatNumbersMayCount) {
  const Folder folder;
  const auto message = [&](const char* first) {
    return std::string(test::error_of([&] {
                         (void)read_csv(folder.file("a.csv", fmt::format("date,x\n{},1\n", first)));
                       }).what());
  };
  EXPECT_THAT(message("1704153600"), testing::HasSubstr("say it with `date_format` seconds"));
  EXPECT_THAT(message("1704153600000"), testing::HasSubstr("with `date_format` milliseconds"));
  EXPECT_THAT(message("45293"), testing::HasSubstr("a spreadsheet's count of days"));
}

TEST(Dates, DoesNotGuessBetweenFormsOfADate) {
  const Folder folder;
  // Every day is at most the 12th: nothing tells which comes first.
  const Error error = test::error_of(
      [&] { (void)read_csv(folder.file("a.csv", "date,x\n01/02/2024,1\n03/02/2024,2\n")); });
  EXPECT_EQ(error.code(), ErrorCode::date_ambiguous);
  EXPECT_NE(
      std::string(error.what()).find("1 February 2024 (%d/%m/%Y) or 2 January 2024 (%m/%d/%Y)"),
      std::string::npos)
      << error.what();
  // Equal day and month everywhere: both forms say the same.
  EXPECT_EQ(read_csv(folder.file("b.csv", "date,x\n01/01/2024,1\n02/02/2024,2\n")).when(1),
            "2024-02-02");
  for (const auto& [first, second, meanings] :
       {std::tuple{"2005-1", "2005-2", "1 February 2005 (%Y-%m) or 1 April 2005 (%Y-%Q)"},
        {"2005:1", "2005:2", "1 February 2005 (%Y:%m) or 1 April 2005 (%Y:%Q)"},
        {"200101", "200102", "1 January 2020 (%y%m%d) or 1 January 2001 (%Y%m)"}})
    EXPECT_THAT(
        test::error_of([&, &one = first, &two = second] {
          (void)read_csv(folder.file("d.csv", fmt::format("date,x\n{},1\n{},2\n", one, two)));
        }).what(),
        testing::HasSubstr(meanings));
  // A row that fits neither names the form of those before it.
  EXPECT_NE(
      std::string(test::error_of([&] {
                    (void)read_csv(folder.file("c.csv", "date,x\n13/02/2024,1\n02/14/2024,2\n"));
                  }).what())
          .find("row 3, column date: '02/14/2024' is not a date in the form %d/%m/%Y of the rows "
                "before"),
      std::string::npos);
}

TEST(Dates, RefusesMixedZonesAndWrongTimes) {
  const Folder folder;
  const auto message = [&](const char* content) {
    return std::string(
        test::error_of([&] { (void)read_csv(folder.file("a.csv", content)); }).what());
  };
  EXPECT_NE(message("time,x\n2024-01-02T09:00Z,1\n2024-01-02T10:00,2\n")
                .find("has no zone offset, and the rows before have one"),
            std::string::npos);
  EXPECT_NE(message("time,x\n2024-01-02 09:00,1\n2024-01-02 25:00,2\n")
                .find("has no time of day that reads as 14:30"),
            std::string::npos);
}

}  // namespace
}  // namespace brace
