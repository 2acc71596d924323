// SPDX-License-Identifier: Apache-2.0
// Files that are never clean: each kind with the account that it must give.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sqlite3.h>
#include <sys/resource.h>

#include <cmath>

#include "brace/io/csv.hpp"
#include "brace/io/files.hpp"
#include "brace/io/table.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Folder;

// "3 of 5 kept; 2 volume is 0; note; note"
std::string account_of(const Series& s) {
  std::string text = std::to_string(s.size()) + " of " + std::to_string(s.account.rows_read);
  for (const DataAccount::Dropped& d : s.account.dropped)
    text += "; " + std::to_string(d.rows) + " " + d.because;
  if (s.missing() > 0) text += "; " + std::to_string(s.missing()) + " missing";
  for (const std::string& note : s.account.notes) text += "; " + note;
  return text;
}

struct Awkward {
  const char* name;
  const char* content;
  ReadOptions options;
  const char* account;
  std::vector<double> values;  // present ones
  const char* first;
  const char* last;
};
void PrintTo(const Awkward& a, std::ostream* out) {
  *out << a.name;
}

class AwkwardFile : public testing::TestWithParam<Awkward> {};

TEST_P(AwkwardFile, IsReadWithItsAccount) {
  const Folder folder;
  const Series s = read_csv(folder.file("a.csv", GetParam().content), GetParam().options);
  EXPECT_EQ(account_of(s), GetParam().account);
  EXPECT_EQ(s.present_values(), GetParam().values);
  EXPECT_EQ(s.when(0), GetParam().first);
  EXPECT_EQ(s.when(s.size() - 1), GetParam().last);
}

INSTANTIATE_TEST_SUITE_P(
    Kinds, AwkwardFile,
    testing::Values(
        Awkward{"semicolons_and_decimal_comma",
                "\xEF\xBB\xBF"
                "date;price\r\n2024-01-02;1,5\r\n2024-01-03;-2,25\r\n",
                {.decimal_comma = true},
                "2 of 2; cells are separated by semicolons",
                {1.5, -2.25},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"tabs",
                "date\tprice\n2024-01-02\t1\n2024-01-03\t2\n",
                {},
                "2 of 2; cells are separated by tabs",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"commas_in_quoted_numbers",
                "date,price\n2024-01-02,\"1,234.5\"\n2024-01-03,\"12,345,678\"\n",
                {.grouped = true},
                "2 of 2",
                {1234.5, 12345678},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"groups_of_the_other_dialect",
                "date;price\n2024-01-02;1.234,5\n2024-01-03;-12.345\n",
                {.decimal_comma = true, .grouped = true},
                "2 of 2; cells are separated by semicolons",
                {1234.5, -12345},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"old_mac_line_ends_and_blank_lines",
                "\r\rdate,price\r2024-01-02,1\r\r2024-01-03,2\r",
                {},
                "2 of 2",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"a_single_column_of_numbers",
                "5\n6\n7\n",
                {},
                "3 of 3; no header row: columns are called by their position",
                {5, 6, 7},
                "row 1",
                "row 3"},
        Awkward{"latin_letters_in_the_header",
                "date,Schlu\xDF\n2024-01-02,5\n2024-01-03,6\n",
                {.value = "Schlu\xC3\x9F"},
                "2 of 2; column names are not in UTF-8: read as Latin-1",
                {5, 6},
                "2024-01-02",
                "2024-01-03"},
        Awkward{
            "a_title_above_the_header",
            "Lamp oil, northern quay;;\nday;price;lots\n25.01.2024;5,5;9\n26.01.2024;6;9\n",
            {.value = "price", .decimal_comma = true},
            "2 of 2; row 1 is taken for a title above the header: Lamp oil, northern quay; cells "
            "are separated by semicolons; dates read as %d.%m.%Y",
            {5.5, 6},
            "2024-01-25",
            "2024-01-26"},
        Awkward{"no_header",
                "2024-01-02,5\n2024-01-03,6\n",
                {},
                "2 of 2; no header row: columns are called by their position",
                {5, 6},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"newest_first",
                "date,price\n2024-01-04,3\n2024-01-03,2\n2024-01-02,1\n",
                {},
                "3 of 3; newest row first in the file: order reversed",
                {1, 2, 3},
                "2024-01-02",
                "2024-01-04"},
        Awkward{"glued_together",
                "date,price\n2024-01-02,1\n2024-01-03,2\n2024-01-03,2\n2024-01-04,3\n",
                {},
                "3 of 4; 1 same date and values as the row before",
                {1, 2, 3},
                "2024-01-02",
                "2024-01-04"},
        Awkward{"marks_of_missing_cells",
                "date,price\n2024-01-02,1\n2024-01-03,\n2024-01-04,#N/"
                "A\n2024-01-05,-999\n2024-01-08,.\n2024-01-09,2\n",
                {.missing = {"", "#N/A", ".", "-999"}},
                "6 of 6; 4 missing",
                {1, 2},
                "2024-01-02",
                "2024-01-09"},
        Awkward{"a_last_line_without_a_date",
                "date,price\n2024-01-02,1\n2024-01-03,2\n,3\n",
                {},
                "2 of 3; 1 no date",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"empty_cells_at_the_end_of_rows",
                "date,price\n2024-01-02,1,,\n2024-01-03,2,\n",
                {},
                "2 of 2",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"day_first",
                "date,price\n05/01/2024,1\n12/01/2024,2\n19/01/2024,3\n",
                {},
                "3 of 3; dates read as %d/%m/%Y",
                {1, 2, 3},
                "2024-01-05",
                "2024-01-19"},
        Awkward{"month_first",
                "date,price\n01/05/2024,1\n01/12/2024,2\n01/19/2024,3\n",
                {},
                "3 of 3; dates read as %m/%d/%Y",
                {1, 2, 3},
                "2024-01-05",
                "2024-01-19"},
        Awkward{"two_digit_years",
                "date,price\n30.12.99,1\n31.12.99,2\n01.01.00,3\n",
                {},
                "3 of 3; dates read as %d.%m.%y",
                {1, 2, 3},
                "1999-12-30",
                "2000-01-01"},
        Awkward{"names_of_months",
                "date,price\n02-Jan-2024,1\n03-Jan-2024,2\n",
                {},
                "2 of 2; dates read as %d-%b-%Y",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"months_alone",
                "month,price\n2024-01,1\n2024-02,2\n",
                {},
                "2 of 2; dates read as %Y-%m",
                {1, 2},
                "2024-01-01",
                "2024-02-01"},
        Awkward{"months_by_name",
                "month,price\nJan 2000,1\nFeb 2000,2\n",
                {},
                "2 of 2; dates read as %b %Y",
                {1, 2},
                "2000-01-01",
                "2000-02-01"},
        Awkward{"months_of_two_digit_years",
                "month,price\nDec-99,1\nJan-00,2\n",
                {},
                "2 of 2; dates read as %b-%y",
                {1, 2},
                "1999-12-01",
                "2000-01-01"},
        Awkward{"months_before_their_year",
                "month,price\n11/2000,1\n12/2000,2\n",
                {},
                "2 of 2; dates read as %m/%Y",
                {1, 2},
                "2000-11-01",
                "2000-12-01"},
        Awkward{"months_after_their_year",
                "month,price\n2000M11,1\n2000M12,2\n",
                {},
                "2 of 2; dates read as %YM%m",
                {1, 2},
                "2000-11-01",
                "2000-12-01"},
        Awkward{"contracts_before_the_date",
                "contract,date,price\nMar 2024,2024-01-02,1\nMar 2024,2024-01-03,2\n",
                {.value = "price"},
                "2 of 2",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"lines_above_the_header",
                "Port Merrow Exchange\nPrinted 2024-02-01\n\ndate;price\n2024-01-02;1\n"
                "2024-01-03;2\n",
                {},
                "2 of 2; row 1 is taken for a title above the header: Port Merrow Exchange; row 2 "
                "is taken for a title above the header: Printed 2024-02-01; cells are separated by "
                "semicolons",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"remarks_above_the_header",
                "# Port Merrow Exchange\n# lamp oil, a litre, in crowns\ndate,price\n2024-01-02,1\n"
                "2024-01-03,2\n",
                {},
                "2 of 2; row 1 is taken for a title above the header: # Port Merrow Exchange; row "
                "2 is taken for a title above the header: # lamp oil",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"commas_in_a_title_above_semicolons",
                "Oil, a litre, crowns\ndate;price\n2024-01-02;1,5\n2024-01-03;1\n"
                "2024-01-04;2,5\n",
                {.decimal_comma = true},
                "3 of 3; row 1 is taken for a title above the header: Oil, a litre, crowns; "
                "cells are separated by semicolons",
                {1.5, 1, 2.5},
                "2024-01-02",
                "2024-01-04"},
        Awkward{"remarks_below_the_rows",
                "date,price\n2024-01-02,1\n2024-01-03,\n2024-01-04,2\n\nSource: the exchange\n"
                "\"Closed on 5, the fair\",\n",
                {},
                "3 of 3; 1 missing; 2 rows below the last are taken for remarks: Source: the "
                "exchange, Closed on 5, the fair",
                {1, 2},
                "2024-01-02",
                "2024-01-04"},
        Awkward{"header_behind_a_mark_of_remarks",
                "#date,price\n2024-01-02,1\n2024-01-03,2\n",
                {},
                "2 of 2",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"vertical_bars",
                "date|price\n2024-01-02|1\n2024-01-03|2\n",
                {},
                "2 of 2; cells are separated by vertical bars",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"blanks_that_do_not_break",
                "date;price\n2024-01-02;1\u00A0234,5\n2024-01-03;12\u202F345\u202F678\n"
                "2024-01-04;1\xA0"
                "234\n2024-01-05;1\u2019234\n",
                {.decimal_comma = true, .grouped = true},
                "4 of 4; cells are separated by semicolons",
                {1234.5, 12345678, 1234, 1234},
                "2024-01-02",
                "2024-01-05"},
        Awkward{"quarters",
                "quarter,price\n2023-Q4,1\n2024-Q1,2\n",
                {},
                "2 of 2; dates read as %Y-Q%Q",
                {1, 2},
                "2023-10-01",
                "2024-01-01"},
        Awkward{"compact_dates",
                "date,price\n20240102,1\n20240103,2\n",
                {},
                "2 of 2; dates read as %Y%m%d",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"fractions_of_a_second",
                "time,price\n2024-01-02T09:00:00.250,1\n2024-01-02T09:00:01.500,2\n",
                {},
                "2 of 2; fractions of a second cut off",
                {1, 2},
                "2024-01-02 09:00",
                "2024-01-02 09:00:01"},
        Awkward{"zone_offset",
                "time,price\n2024-01-02T09:00:00+01:00,1\n2024-01-02T10:00:00+01:00,2\n",
                {},
                "2 of 2; times kept as written, zone +01:00 from UTC",
                {1, 2},
                "2024-01-02 09:00",
                "2024-01-02 10:00"},
        Awkward{"end_of_summer_time",
                "time,price\n2024-10-27 02:30+0200,1\n2024-10-27 "
                "02:00+0100,2\n2024-10-27 02:30+0100,3\n",
                {},
                "3 of 3; times turned to UTC, since the local clock steps back",
                {1, 2, 3},
                "2024-10-27 00:30",
                "2024-10-27 01:30"},
        Awkward{"utc",
                "time,price\n2024-01-02T09:00:00Z,1\n2024-01-02T10:00:00.000Z,2\n",
                {},
                "2 of 2; times kept as written, zone +00:00 from UTC",
                {1, 2},
                "2024-01-02 09:00",
                "2024-01-02 10:00"},
        Awkward{"time_in_a_column_of_its_own",
                "date,time,price\n2024-01-02,09:30,1\n2024-01-02,10:30,2\n",
                {},
                "2 of 2",
                {1, 2},
                "2024-01-02 09:30",
                "2024-01-02 10:30"},
        Awkward{"clock_of_twelve_hours",
                "time,price\n02/01/2024 09:30 AM,1\n13/01/2024 01:30 PM,2\n",
                {},
                "2 of 2; dates read as %d/%m/%Y",
                {1, 2},
                "2024-01-02 09:30",
                "2024-01-13 13:30"},
        Awkward{"seconds_since_1970",
                "t,price\n1704153600,1\n1704157200,2\n",
                {.value = "price", .date = "t", .date_format = "seconds"},
                "2 of 2",
                {1, 2},
                "2024-01-02",
                "2024-01-02 01:00"},
        Awkward{"several_symbols",
                "date,symbol,price\n2024-01-02,KELP,1\n2024-01-02,LAMP,9\n2024-01-03,"
                "KELP,2\n2024-01-03,LAMP,8\n",
                {.where = {"symbol=KELP"}},
                "2 of 4; 2 symbol is not KELP",
                {1, 2},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"by_position_and_in_another_case",
                "Date,Open,Close\n2024-01-02,1,5\n2024-01-03,2,6\n",
                {.value = "3", .date = "DATE"},
                "2 of 2",
                {5, 6},
                "2024-01-02",
                "2024-01-03"},
        Awkward{"flat_candles_of_holidays",
                "date,open,high,low,close\n2024-01-02,1,2,1,2\n2024-01-03,2,2,2,"
                "2\n2024-01-04,2,3,2,3\n",
                {.value = "close", .drop_flat = true},
                "2 of 3; 1 flat at the last close",
                {2, 3},
                "2024-01-02",
                "2024-01-04"},
        Awkward{"a_window_of_whole_days",
                "time,price\n2024-01-02 09:00,1\n2024-01-03 09:00,2\n2024-01-03 "
                "16:00,3\n2024-01-04 09:00,4\n",
                {.from = "2024-01-03", .to = "2024-01-03"},
                "2 of 4; 1 before 2024-01-03; 1 after 2024-01-03",
                {2, 3},
                "2024-01-03 09:00",
                "2024-01-03 16:00"}),
    [](const auto& i) { return i.param.name; });

TEST(Table, HoldsEveryNumericColumnOfAWideFile) {
  const Folder folder;
  const Table t = read_table(folder.file(
      "a.csv", "date,note,kelp,lamp\n2024-01-02,x,1,10\n2024-01-03,y,,20\n2024-01-04,z,3,30\n"));
  ASSERT_EQ(t.columns.size(), 2u);
  EXPECT_EQ(t.series("kelp").present(), 2u);
  EXPECT_EQ(t.series("lamp").values, (std::vector<double>{10, 20, 30}));
  EXPECT_EQ(t.series("lamp").when(2), "2024-01-04");
  EXPECT_NE(std::string(test::error_of([&] { (void)t.series("lmap"); }).what())
                .find("it holds kelp, lamp"),
            std::string::npos);
  const Table chosen = read_table(t.file, {.values = {"lamp", "3"}});
  EXPECT_EQ(chosen.columns[0].name, "lamp");
  EXPECT_EQ(chosen.columns[1].name, "kelp");
}

TEST(Table, FindsTheRolesOfBars) {
  const Folder folder;
  const std::string path = folder.file(
      "a.csv", "date,o,High,LOW,settle,Volume\n2024-01-02,1,3,1,2,7\n2024-01-03,2,4,2,3,8\n");
  EXPECT_FALSE(read_table(path, {.value = "settle", .with_bars = true}).bars()) << "no open";
  const Table t = read_table(path, {.value = "settle", .roles = {.open = "o"}, .with_bars = true});
  ASSERT_TRUE(t.bars());
  EXPECT_EQ(t.columns.front().name, "settle") << "the value comes first";
  EXPECT_EQ(t.bars()->high, (std::vector<double>{3, 4}));
  EXPECT_EQ(t.bars()->open, (std::vector<double>{1, 2}));
  EXPECT_EQ(t.columns[*t.volume].values, (std::vector<double>{7, 8}));
}

// Several rows a date in a long file are no mistake of the file: the error says which choice to
// make.
TEST(Table, ALongFileIsToldFromARepeatedDate) {
  const Folder folder;
  const Error error = test::error_of([&] {
    (void)read_csv(folder.file("a.csv",
                               "date,symbol,price\n2024-01-02,KELP,1\n2024-01-02,LAMP,9\n"
                               "2024-01-03,KELP,2\n2024-01-03,LAMP,8\n"));
  });
  EXPECT_EQ(error.code(), ErrorCode::date_repeated);
  EXPECT_NE(std::string(error.what())
                .find("choose one of several series with `where` symbol=KELP (symbol also "
                      "holds LAMP)"),
            std::string::npos)
      << error.what();
}

// The only column of numbers is the series, whatever a column called volume holds.
TEST(Table, AVolumeOfTextIsNone) {
  const Folder folder;
  const std::string path =
      folder.file("v.csv", "date,price,volume\n2024-01-02,5,1.2M\n2024-01-03,6,800K\n");
  const Table table = read_table(path, {.with_bars = true});
  ASSERT_EQ(table.columns.size(), 1u);
  EXPECT_EQ(table.columns[0].name, "price");
  EXPECT_FALSE(table.volume);
  EXPECT_THAT(test::error_of([&] {
                (void)read_table(path, {.roles = {.volume = "volume"}, .with_bars = true});
              }).what(),
              testing::HasSubstr("'1.2M' is not a number"));
}

// Text is a remark where nothing follows it and no row begins with text; else it is what it was.
TEST(Table, RemarksHaveNoRowsBelow) {
  const Folder folder;
  const auto refused = [&](const std::string& content) {
    return std::string(test::error_of([&] {
                         (void)read_csv(folder.file("r.csv", content), {.value = "x"});
                       }).what());
  };
  EXPECT_THAT(refused("date,x\n2024-01-02,1\nhalf time\n2024-01-03,2\n"),
              testing::HasSubstr("row 3: 1 cell where the header has 2"));
  EXPECT_THAT(refused("date,x\n2024-01-02,1\nhalf time,\n2024-01-03,2\n"),
              testing::HasSubstr("row 3, column date: 'half time' is no date"));
  EXPECT_THAT(refused("date,x\n2024-01-02,1\n2024-01-0\n"),
              testing::HasSubstr("row 3: 1 cell where the header has 2"));
  EXPECT_THAT(refused("oil,date,x\nlamp,2024-01-02,1\nlamp,2024-01-0\n"),
              testing::HasSubstr("row 3: 2 cells where the header has 3"));
}

TEST(Table, BoundsWhatItHolds) {
  const Folder folder;
  std::string endless = "date,x\n2024-01-02,\"";
  endless.append(3 << 20, 'a');
  const Error error = test::error_of([&] { (void)read_csv(folder.file("a.csv", endless)); });
  EXPECT_NE(
      std::string(error.what()).find("row 2: is longer than a million signs; is a quote left open"),
      std::string::npos)
      << error.what();
  EXPECT_NE(std::string(test::error_of([&] {
                          (void)read_csv(folder.file("b.csv", std::string("a,b\n\0\0", 6)));
                        }).what())
                .find("holds zero bytes"),
            std::string::npos);
}

// In a process of its own: memory beside the columns kept is less than twice theirs.
TEST(Table, HoldsLittleMoreThanItKeeps) {
  const Folder folder;
  std::string text = "time,a,b,c,d,e\n";
  constexpr int kRows = 300000;
  Timestamp when = *parse_date("2020-01-01 00:01");
  for (int i = 0; i < kRows; ++i, when += std::chrono::minutes(1))
    text += format_date(when) + (i % 1440 == 1439 ? " 00:00" : "") +
            ":00,1.2345,2.3456,3.4567,4.5678,1234\n";
  const std::string path = folder.file("a.csv", text);
  text = {};
  const auto read_and_weigh = [&] {
    rusage before{};
    rusage after{};
    getrusage(RUSAGE_SELF, &before);
    const Table t = read_table(path);
    getrusage(RUSAGE_SELF, &after);
    const double kept = 8.0 * 6 * kRows;
    const double held = 1024.0 * static_cast<double>(after.ru_maxrss - before.ru_maxrss);
    std::exit(t.rows() == kRows && held < 3 * kept ? 0 : 1);
  };
  EXPECT_EXIT(read_and_weigh(), testing::ExitedWithCode(0), "");
}

class Database : public testing::Test {
 protected:
  void SetUp() override {
    path_ = folder_ / "market.db";
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(path_.c_str(), &db), SQLITE_OK);
    ASSERT_EQ(sqlite3_exec(db,
                           "create table prices (day text, symbol text, settle real, lots integer);"
                           "insert into prices values ('2024-01-02', 'KELP', 0.1, 5), "
                           "('2024-01-02', 'LAMP', 9, 0),"
                           "('2024-01-03', 'KELP', null, 6), ('2024-01-04', 'KELP', 1e-17, 0);",
                           nullptr, nullptr, nullptr),
              SQLITE_OK);
    sqlite3_close(db);
  }
  std::string message(const std::string& query) const {
    return test::error_of([&] { (void)read_series(path_, {.query = query}); }).what();
  }
  Folder folder_;
  std::string path_;
};

TEST_F(Database, ReadsTheRowsOfAQueryToTheLastBit) {
  const Series s = read_series(
      path_, {.query = "select day, settle from prices where symbol = 'KELP' order by day"});
  EXPECT_EQ(account_of(s), "3 of 3; 1 missing");
  EXPECT_EQ(s.present_values(), (std::vector<double>{0.1, 1e-17}))
      << "not through fifteen digits of text";
  EXPECT_EQ(s.when(2), "2024-01-04");
  const Series cut = read_series(path_, {.value = "settle",
                                         .where = {"symbol=KELP"},
                                         .drop_zero = "lots",
                                         .query = "select * from prices order by symbol, day"});
  EXPECT_EQ(account_of(cut), "2 of 4; 1 symbol is not KELP; 1 lots is 0; 1 missing");
}

TEST_F(Database, RefusesWhatIsNoQueryAndNamesTheTables) {
  EXPECT_NE(message("select * from price")
                .find("no such table: price; `query` takes one select, and the tables are: prices"),
            std::string::npos);
  EXPECT_NE(message("delete from prices").find("the query reads no rows"), std::string::npos);
  EXPECT_NE(message("select 1; drop table prices").find("there is more after the first query"),
            std::string::npos);
  EXPECT_NE(std::string(test::error_of([&] { (void)read_csv(path_); }).what())
                .find("is an SQLite database; say what to read with `query`"),
            std::string::npos);
  EXPECT_NE(std::string(test::error_of([&] {
                          (void)read_series(folder_.file("a.csv", "a,b\n"), {.query = "select 1"});
                        }).what())
                .find("is not an SQLite database"),
            std::string::npos);
  EXPECT_EQ(read_series(
                path_, {.value = "lots", .where = {"symbol=LAMP"}, .query = "select * from prices"})
                .size(),
            1u)
      << "and nothing was written";
}

}  // namespace
}  // namespace brace
