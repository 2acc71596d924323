// SPDX-License-Identifier: Apache-2.0
// Numbers as files write them: dialects, signs, losses; and the option that would read what is not.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "brace/io/csv.hpp"
#include "brace/io/table.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

using test::Folder;

// A minus that has no other reading, wherever it stands.
TEST(Numbers, LossesAreReadAsAccountsWriteThem) {
  const Folder folder;
  const auto value = [&](const std::string& cell, const ReadOptions& options = {}) {
    return read_csv(folder.file("a.csv", "date,x\n2024-01-02,5\n2024-01-03," + cell + "\n"),
                    options)
        .values[1];
  };
  for (const char* cell : {"(3.40)", "( 3.40 )", "3.40-", "\u22123.40", "\u20133.40"})
    EXPECT_EQ(value(cell), -3.4) << cell;
  EXPECT_EQ(value("\"(1,003.40)\"", {.grouped = true}), -1003.4);
  EXPECT_EQ(value("\"(1.003,40)\"", {.decimal_comma = true, .grouped = true}), -1003.4);
}

TEST(Numbers, SaysWhichDialectWouldRead) {
  const Folder folder;
  EXPECT_NE(std::string(test::error_of([&] {
                          (void)read_csv(
                              folder.file("a.csv", "date;x\n2024-01-02;1,5\n2024-01-03;2,5\n"));
                        }).what())
                .find("'1,5' would read with `decimal_comma`"),
            std::string::npos);
  EXPECT_NE(
      std::string(test::error_of([&] {
                    (void)read_csv(
                        folder.file("b.csv", "date,x\n2024-01-02,5\n2024-01-03,\"1,234.5\"\n"),
                        {.value = "x"});
                  }).what())
          .find("row 3, column x: '1,234.5' is not a number; it would be with `grouped`"),
      std::string::npos);
}

// Signs that a number does not have are named with the option that leaves them out, and it does.
TEST(Numbers, TellsWhichSignsToLeaveOut) {
  const Folder folder;
  const auto path_of = [&](const std::string& cell) {
    return folder.file("a.csv", "date,x\n2024-01-02,5\n2024-01-03," + cell + "\n");
  };
  const auto refused = [&](const std::string& cell) {
    const std::string path = path_of(cell);
    return std::string(test::error_of([&] { (void)read_csv(path, {.value = "x"}); }).what());
  };
  const auto expect = [&](const char* cell, std::vector<std::string> signs, bool grouped,
                          double value) {
    EXPECT_THAT(refused(cell), testing::HasSubstr(fmt::format(
                                   "is not a number; it would be with `drop_signs` '{}'{}",
                                   fmt::join(signs, ","), grouped ? " `grouped`" : "")));
    const Series read =
        read_csv(path_of(cell), {.value = "x", .grouped = grouped, .drop_signs = signs});
    EXPECT_EQ(read.values, (std::vector<double>{5, value})) << cell;
  };
  expect("1.2%", {"%"}, false, 1.2);
  expect("$101.50", {"$"}, false, 101.5);
  expect("-$101.50", {"$"}, false, -101.5);
  expect("($3.40)", {"$"}, false, -3.4);
  expect("\"$ 1,012.50\"", {"$"}, true, 1012.5);
  expect("$1.25%", {"$", "%"}, false, 1.25);
  expect("$-123456789012345.25 % $", {"$", "%"}, false, -123456789012345.25);
  expect("-1.5 \u20AC", {"\u20AC"}, false, -1.5);
  expect("-1.5\u00A0\u20AC", {"\u20AC"}, false, -1.5);
  for (const char* none : {"1.2.3", "KELP24", "12 lots", "(lost)", "%", "(-3)", "-3-", "()"})
    EXPECT_THAT(refused(none), testing::HasSubstr("fix it or name it as missing")) << none;
  // A sign of letters is left out where it is named; what numbers are made of is none.
  EXPECT_EQ(read_csv(path_of("kr 7"), {.value = "x", .drop_signs = {"kr"}}).values[1], 7);
  for (const char* part : {"-", "1", ".", "", "( )"})
    EXPECT_THAT(test::error_of([&] {
                  (void)read_csv(path_of("7"), {.value = "x", .drop_signs = {part}});
                }).what(),
                testing::HasSubstr("name a sign such as % or $"))
        << part;
  const std::string every = folder.file("b.csv", "date,x\n2024-01-02,1%\n2024-01-03,2%\n");
  EXPECT_THAT(
      test::error_of([&] { (void)read_csv(every); }).what(),
      testing::HasSubstr("no column holds numbers; its columns are date, x; '1%' would read with "
                         "`drop_signs` '%'"));
  const std::string units = folder.file("u.csv", "date,x\n2024-01-01,\n2024-01-02,7 crowns\n");
  EXPECT_THAT(test::error_of([&] { (void)read_csv(units); }).what(),
              testing::HasSubstr("its columns are date, x; row 3 of x is '7 crowns'"));
  // A file of one column has a header of one cell: rows of two are no header, but a decimal comma.
  const std::string one = folder.file("c.csv", "x\n1,5\n2,5\n");
  EXPECT_THAT(test::error_of([&] { (void)read_csv(one); }).what(),
              testing::HasSubstr("row 2: 2 cells where the header has 1"));
  EXPECT_EQ(read_csv(one, {.decimal_comma = true}).values, (std::vector<double>{1.5, 2.5}));
  const std::string titled =
      folder.file("t.csv", "Prices of kelp\ndate,x\n2024-01-02,\"1,5\"\n2024-01-03,\"2,5\"\n");
  EXPECT_EQ(read_csv(titled, {.decimal_comma = true}).values, (std::vector<double>{1.5, 2.5}));
}

}  // namespace
}  // namespace brace
