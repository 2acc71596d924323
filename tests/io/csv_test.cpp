// SPDX-License-Identifier: Apache-2.0
// Files as analysts have them: what is read, and the one line that says what is wrong and the mend.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "brace/io/csv.hpp"
#include "brace/io/files.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Folder;

TEST(Csv, ReadsValuesDatesAndGaps) {
  const Folder folder;
  const std::string path =
      folder.file("a.csv",
                  "\xEF\xBB\xBF"
                  "date,open,settle,volume\r\n2024-01-02,1,1.5,10\r\n2024-01-03,1,,12\r\n"
                  "2024-01-04,1,NA,0\r\n2024-01-05,1,\" 1.75\",9\r\n");
  const Series s = read_csv(path, {.value = "settle", .drop_zero = "volume"});
  ASSERT_EQ(s.size(), 3u);
  EXPECT_EQ(s.name, "settle");
  EXPECT_EQ(s.file, path);
  EXPECT_DOUBLE_EQ(s.values[0], 1.5);
  EXPECT_TRUE(std::isnan(s.values[1]));
  EXPECT_DOUBLE_EQ(s.values[2], 1.75);
  EXPECT_EQ(s.when(2), "2024-01-05");
  ASSERT_EQ(s.account.dropped.size(), 1u);
  EXPECT_EQ(s.account.dropped[0].rows, 1u);
  EXPECT_EQ(s.account.dropped[0].because, "volume is 0");
  EXPECT_EQ(s.account.rows_read, 4u);
}

TEST(Csv, TakesTheOnlyNumericColumnAndAnyOrderOfColumns) {
  const Folder folder;
  const Series s =
      read_csv(folder.file("a.csv", "port,value,day\nA,1,2024-01-01\nB,2,2024-01-02\n"));
  EXPECT_EQ(s.name, "value");
  EXPECT_EQ(s.when(0), "2024-01-01");
  EXPECT_EQ(read_csv(folder.file("b.csv", "x\n1\n2\n3\n")).times.size(), 0u)
      << "dates are not needed";
}

TEST(Csv, NumbersOfTheRowsAreNeitherValuesNorDates) {
  const Folder folder;
  const auto file = [&](const std::string& header, int from, int rows,
                        const std::string& fifth = "") {
    std::string text = header + '\n';
    for (int i = 0; i < rows; ++i)
      text += fmt::format("{},{}\n", i == 4 && !fifth.empty() ? fifth : std::to_string(from + i),
                          50 + i % 3);
    return folder.file("counted.csv", text);
  };
  for (const std::string name : {"", "index", "day", "month"})
    for (const int from : {0, 1}) {
      const Series s = read_csv(file(name + ",price", from, 12));
      EXPECT_EQ(s.name, "price");
      EXPECT_TRUE(s.times.empty());
      ASSERT_EQ(s.account.notes.size(), 1u) << name;
      EXPECT_EQ(s.account.notes[0], fmt::format("column {} numbers the rows and is left aside",
                                                name.empty() ? "1" : name));
    }
  std::string nameless = "\"day\",\"price\"\n";
  for (int i = 1; i <= 12; ++i)
    nameless += fmt::format("\"{0}\",2024-01-{0:02},{1}\n", i, 50 + i % 3);
  const Series s = read_csv(folder.file("nameless.csv", nameless));
  EXPECT_EQ(s.name, "price");
  EXPECT_EQ(s.when(11), "2024-01-12");
  EXPECT_EQ(s.account.notes[0], "column 1 numbers the rows and is left aside");
  EXPECT_EQ(read_csv(file("index,price", 4000, 12)).name, "price") << "a piece of a longer file";
  EXPECT_EQ(read_csv(file("index,price", 0, 12, "NA")).name, "price");
  EXPECT_EQ(read_table(file("index,price", 0, 12)).columns.size(), 1u);
  EXPECT_EQ(read_csv(file("index,price", 0, 12), {.value = "index"}).values.back(), 11);
  EXPECT_EQ(read_csv(folder.file("alone.csv", "x\n1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n11\n")).size(),
            11u)
      << "there is nothing else";
  // Few rows, a step that is not one, and numbers that may be a spreadsheet's days.
  const auto refused = [&](const std::string& path) {
    return std::string(test::error_of([&] { (void)read_csv(path); }).what());
  };
  EXPECT_THAT(refused(file("index,price", 0, 9)),
              testing::HasSubstr("several columns hold numbers"));
  EXPECT_THAT(refused(file("index,price", 0, 12, "4.5")),
              testing::HasSubstr("several columns hold numbers"));
  EXPECT_THAT(refused(file("day,price", 580, 1)),
              testing::HasSubstr("leave dates out with `date` none"));
  EXPECT_TRUE(
      read_csv(file("day,price", 580, 1), {.value = "price", .date = "none"}).times.empty());
  EXPECT_EQ(read_csv(folder.file("called.csv", "none,price\n2024-01-02,1\n2024-01-03,2\n"),
                     {.date = "none"})
                .when(1),
            "2024-01-03")
      << "a column of that name goes first";
  EXPECT_THAT(refused(file("day,price", 43466, 12)), testing::HasSubstr("'43466' is not a date"));
}

// A column that begins with an unknown mark is still a column of numbers: it must not be passed
// over in silence for another one.
TEST(Csv, ABadFirstCellDoesNotHideAColumn) {
  const Folder folder;
  const std::string path = folder.file(
      "a.csv", "date,count,settle\n2024-01-01,1,none\n2024-01-02,2,5\n2024-01-03,3,6\n");
  EXPECT_NE(std::string(test::error_of([&] { (void)read_csv(path); }).what())
                .find("several columns hold numbers (count, settle)"),
            std::string::npos);
  EXPECT_NE(std::string(test::error_of([&] { (void)read_csv(path, {.value = "settle"}); }).what())
                .find("`missing` 'none'"),
            std::string::npos);
}

TEST(Csv, CutsByDateAndReadsOtherForms) {
  const Folder folder;
  const std::string path =
      folder.file("a.csv", "date,x\n01/02/2024,1\n02/02/2024,2\n05/02/2024,3\n");
  const Series s = read_csv(path, {.date_format = "%d/%m/%Y", .from = "02/02/2024"});
  ASSERT_EQ(s.size(), 2u);
  EXPECT_EQ(s.when(0), "2024-02-02");
  EXPECT_EQ(read_csv(path, {.date_format = "%d/%m/%Y", .to = "2024-02-01"}).size(), 1u);
}

TEST(Csv, QuotedCellsMayHoldAnything) {
  const Folder folder;
  const Series s = read_csv(
      folder.file("a.csv", "date,\"open, \"\"interest\"\"\"\n2024-01-01,5\n2024-01-02,6\n"));
  EXPECT_EQ(s.name, "open, \"interest\"");
  EXPECT_EQ(csv_text({{"open, \"interest\"", "plain"}}), "\"open, \"\"interest\"\"\",plain\n");
}

struct Bad {
  const char* name;
  const char* content;
  ReadOptions options;
  ErrorCode code;
  const char* message;  // after the path
};
void PrintTo(const Bad& bad, std::ostream* out) {
  *out << bad.name;
}

class BadCsv : public testing::TestWithParam<Bad> {};

TEST_P(BadCsv, IsRefusedInOneLineWithTheMend) {
  const Folder folder;
  const std::string path = folder.file("a.csv", GetParam().content);
  const Error error = test::error_of([&] { (void)read_csv(path, GetParam().options); });
  EXPECT_EQ(error.code(), GetParam().code);
  std::string what = error.what();
  for (auto at = what.find(path); at != std::string::npos; at = what.find(path))
    what.replace(at, path.size(), "F");
  EXPECT_EQ(what, GetParam().message);
}

INSTANTIATE_TEST_SUITE_P(
    Files, BadCsv,
    testing::Values(
        Bad{"empty",
            "",
            {},
            ErrorCode::file_empty,
            "F: the file is empty; it needs a header row and rows of data"},
        Bad{"header_only",
            "date,x\n",
            {},
            ErrorCode::file_empty,
            "F: there is a header and no data; it needs a header row and rows of data"},
        Bad{"no_such_column",
            "date,open,settle\n2024-01-01,1,2\n",
            {.value = "setle"},
            ErrorCode::column_missing,
            "F: there is no column 'setle' (did you mean 'settle'?); its columns are date, open, "
            "settle"},
        Bad{"several_columns",
            "date,open,settle\n2024-01-01,1,2\n",
            {},
            ErrorCode::column_missing,
            "F: several columns hold numbers (open, settle); choose one with `value` settle"},
        Bad{"no_numbers",
            "date,name\n2024-01-01,a\n",
            {},
            ErrorCode::column_missing,
            "F: no column holds numbers; its columns are date, name; row 2 of name is 'a'"},
        Bad{"text_in_number",
            "date,x\n2024-01-01,1\n2024-01-02,1.2.3\n",
            {.value = "x"},
            ErrorCode::not_a_number,
            "F row 3, column x: '1.2.3' is not a number; fix it or name it as missing with "
            "`missing` '1.2.3'"},
        Bad{"infinite",
            "date,x\n2024-01-01,inf\n",
            {.value = "x"},
            ErrorCode::not_finite,
            "F row 2, column x: 'inf' is not finite; fix it or name it as missing with `missing` "
            "'inf'"},
        Bad{"too_large",
            "date,x\n2024-01-01,1\n2024-01-02,1e999\n",
            {.value = "x"},
            ErrorCode::not_a_number,
            "F row 3, column x: '1e999' is not a number; fix it or name it as missing with "
            "`missing` '1e999'"},
        Bad{"bad_date",
            "date,x\n2024-01-01,1\n2024-02-30,2\n",
            {},
            ErrorCode::bad_date,
            "F row 3, column date: '2024-02-30' is not a date in the form %Y-%m-%d of the rows "
            "before; correct it, or name the form with `date_format`"},
        Bad{"ambiguous_date",
            "date,x\n01/02/03,1\n02/03/04,2\n",
            {.value = "x"},
            ErrorCode::date_ambiguous,
            "F row 2, column date: the date may be 1 February 2003 (%d/%m/%y), 2 January 2003 "
            "(%m/%d/%y) or 3 February 2001 (%y/%m/%d), and every other row allows the same forms; "
            "name the form with `date_format`"},
        Bad{"out_of_order",
            "date,x\n2024-01-02,1\n2024-01-01,2\n2024-01-03,2\n",
            {},
            ErrorCode::dates_out_of_order,
            "F row 3, column date: 2024-01-01 comes after 2024-01-02; sort the rows by date"},
        Bad{"mistyped_ahead",
            "date,x\n2024-01-01,1\n2042-01-02,2\n2024-01-03,3\n2024-01-04,3\n",
            {},
            ErrorCode::dates_out_of_order,
            "F row 4, column date: 2024-01-03 comes after 2042-01-02; correct the date of row 3, "
            "which alone is out of order"},
        Bad{"mistyped_back",
            "date,x\n2024-01-01,1\n2024-01-02,2\n2014-01-03,3\n2024-01-04,3\n",
            {},
            ErrorCode::dates_out_of_order,
            "F row 4, column date: 2014-01-03 comes after 2024-01-02; correct the date of row 4, "
            "which alone is out of order"},
        Bad{"repeated",
            "date,x\n2024-01-02,1\n2024-01-02,2\n",
            {},
            ErrorCode::date_repeated,
            "F row 3, column date: 2024-01-02 comes after 2024-01-02; keep one row a date"},
        Bad{"trades",
            "date,x\n2024-01-02 09:30:01,1\n2024-01-02 09:30:05,2\n2024-01-02 09:30:05,3\n",
            {},
            ErrorCode::date_repeated,
            "F row 4, column date: 2024-01-02 09:30:05 comes after 2024-01-02 09:30:05; keep one "
            "row "
            "a time, such as the last trade of each second"},
        Bad{"ragged",
            "date,x\n2024-01-01,1\n2024-01-02\n",
            {},
            ErrorCode::not_a_number,
            "F row 3: 1 cell where the header has 2; correct the row, take it out, or name the "
            "separator with `column_mark`"},
        Bad{"words_for_a_date",
            "date,x\n2024-01-01,1\n2024-01-02,2\nTotal,3\n",
            {},
            ErrorCode::bad_date,
            "F row 4, column date: 'Total' is no date; correct it, or take the row out"},
        Bad{"days_of_a_spreadsheet",
            "date,x\n45292,1\n45293,2\n",
            {},
            ErrorCode::bad_date,
            "F row 2, column date: '45292' is not a date in a form that is recognised; if it is a "
            "spreadsheet's count of days, save the column as dates there"},
        Bad{"another_separator",
            "date~x\n2024-01-01~1\n",
            {},
            ErrorCode::column_missing,
            "F: no column holds numbers; its columns are date~x; cells must be separated by "
            "commas, semicolons, tabs or vertical bars"},
        Bad{"nothing_left",
            "date,x\n2024-01-01,1\n",
            {.from = "2025-01-01"},
            ErrorCode::file_empty,
            "F: no row is left of 1 (1 dropped: before 2025-01-01); widen the choice"},
        Bad{"from_without_dates",
            "x\n1\n2\n",
            {.from = "2025-01-01"},
            ErrorCode::bad_option,
            "`from` 2025-01-01: F has no column of dates"},
        Bad{"bad_from",
            "date,x\n2024-01-01,1\n",
            {.from = "yesterday"},
            ErrorCode::bad_option,
            "`from` yesterday: write the date as 2019-05-02"}),
    [](const auto& i) { return i.param.name; });

TEST(Csv, AnOpenQuoteIsFoundNotSwallowed) {
  const Folder folder;
  const Error error = test::error_of(
      [&] { (void)read_csv(folder.file("a.csv", "date,x\n2024-01-01,\"1\n2024-01-02,2\n")); });
  EXPECT_NE(std::string(error.what()).find("one inside a quoted cell is written twice"),
            std::string::npos);
}

TEST(Files, MissingFileAndFolder) {
  const Folder folder;
  EXPECT_EQ(std::string(test::error_of([&] { (void)read_csv(folder / "none.csv"); }).what()),
            (folder / "none.csv") + ": there is no such file; check the name");
  EXPECT_EQ(test::error_of([&] { (void)read_csv(folder / ""); }).code(), ErrorCode::file_missing);
}

TEST(Files, AreWrittenWholeOrNotAtAll) {
  const Folder folder;
  const std::string path = folder.file("out.csv", "old");
  write_whole(path, "new");
  EXPECT_EQ(read_whole(path), "new");
  EXPECT_EQ(folder.entries(), 1u) << "no temporary file is left";
  EXPECT_EQ(test::error_of([&] { write_whole(folder / "none/out.csv", "x"); }).code(),
            ErrorCode::cannot_write);
  EXPECT_EQ(folder.entries(), 1u);
}

}  // namespace
}  // namespace brace
