// SPDX-License-Identifier: Apache-2.0
#include <gtest/gtest.h>

#include <atomic>
#include <limits>
#include <set>
#include <stdexcept>
#include <vector>

#include "brace/base/date.hpp"
#include "brace/base/digest.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/text.hpp"
#include "brace/base/warning.hpp"
#include "support/throws.hpp"

namespace brace {
namespace {

TEST(Text, PValuesKeepTheirMeaning) {
  EXPECT_EQ(text::p_value(.0342), ".034");
  EXPECT_EQ(text::p_value(.21), ".210");
  EXPECT_EQ(text::p_value(3.2e-12), "3e-12");
  EXPECT_EQ(text::p_value(1e-5, 1e-5), "< 1e-5") << "at the floor the law only says: smaller";
  EXPECT_EQ(text::p_value(2e-5, 1e-5), "2e-5");
  EXPECT_EQ(text::p_value(1.0), ".999") << "never rounded up to 1";
  EXPECT_EQ(text::p_value(0.0), "< 1e-300") << "never rounded down to 0";
  EXPECT_EQ(text::p_value(std::nullopt), "-");
}

TEST(Text, EstimatesCarryTheDigitsTheirErrorAllows) {
  EXPECT_EQ(text::estimate(0.02134, 0.017), "0.021");
  EXPECT_EQ(text::estimate(6.4321, 0.83), "6.43");
  EXPECT_EQ(text::estimate(62.41, 1.2), "62.4");
  EXPECT_EQ(text::estimate(-0.0001, 0.5), "0.00") << "no minus before a zero";
  EXPECT_EQ(text::estimate(1.23456, std::nullopt), "1.235");
}

TEST(Text, NumbersAndWords) {
  EXPECT_EQ(text::count(2598), "2,598");
  EXPECT_EQ(text::count(1234567), "1,234,567");
  EXPECT_EQ(text::plural(1, "row", "rows"), "1 row");
  EXPECT_EQ(text::significant(0.000012345, 2), "1.2e-5");
  EXPECT_EQ(text::significant(1957.5754, 4), "1958");
  EXPECT_EQ(text::fixed(std::nullopt, 2), "-");
  // What a column has no room for.
  EXPECT_EQ(text::fixed(1.97123e-9, 8), "1.971e-9");
  EXPECT_EQ(text::fixed(1.016e-9, 9), "1.016e-9");
  EXPECT_EQ(text::fixed(0, 8), "0.00000000");
  EXPECT_EQ(text::fixed(0.00001, 2), "0.00") << "a small number among others";
  EXPECT_EQ(text::fixed(-4523790035.2, 1), "-4.523790e9");
  EXPECT_EQ(text::fixed(123456789.25, 2), "123456789.25");
  EXPECT_EQ(text::estimate(1976118079, 63682938), "1.976e9");
  EXPECT_EQ(text::estimate(1.937607927377468e16, 4.2e16), "1.9e16");
  EXPECT_EQ(text::estimate(0, 4.2e16), "0.0");
  EXPECT_EQ(text::sentence("log x"), "Log x");
}

TEST(Text, WrapsAtBlanksOnly) {
  EXPECT_EQ(text::wrap("one two three", 8, "  "), "  one\n  two\n  three\n");
  EXPECT_EQ(text::wrap("unbreakable", 3), "unbreakable\n");
  EXPECT_EQ(text::wrap("the 95 % band", 6), "the\n95 %\nband\n")
      << "a percent sign stays with its number";
}

TEST(Text, FindsTheNearestWordOnlyWhenNearEnough) {
  const std::vector<std::string> known{"garch", "gjr", "arch"};
  EXPECT_EQ(text::nearest("grach", known), "garch");
  EXPECT_EQ(text::nearest("stochastic", known), std::nullopt);
}

TEST(Date, ReadsOnlyFormsThatCannotBeSwapped) {
  EXPECT_EQ(format_date(*parse_date("2019-05-02")), "2019-05-02");
  EXPECT_EQ(format_date(*parse_date("2019-05-02T14:30")), "2019-05-02 14:30");
  EXPECT_EQ(format_date(*parse_date("2019-05-02 14:30:05")), "2019-05-02 14:30:05");
  for (const char* bad : {"01/02/2003", "02-05-2019", "2019-13-01", "2019-02-30", "20190502", "",
                          "settle", "2019-05-02x"})
    EXPECT_FALSE(parse_date(bad)) << bad;
  EXPECT_EQ(format_date(*parse_date("02/05/2019", "%d/%m/%Y")), "2019-05-02");
  EXPECT_EQ(format_date(*parse_date("02/05/2019", "%m/%d/%Y")), "2019-02-05");
}

TEST(Executor, RunsEveryBodyOnceWhateverTheThreads) {
  const auto runs_all = [](const Executor& executor) {
    std::vector<std::atomic<int>> count(1000);
    executor.for_each(count.size(), [&](std::size_t i) { ++count[i]; });
    for (const auto& c : count) EXPECT_EQ(c, 1) << executor.threads() << " threads";
  };
  for (const int threads : {1, 2, 5}) runs_all(Executor(threads));
  runs_all(Executor::all_cores());
}

TEST(Executor, HandsOnTheExceptionOfABody) {
  for (const int threads : {1, 2})
    EXPECT_THROW(Executor(threads).for_each(10,
                                            [](std::size_t i) {
                                              if (i == 7)
                                                throw Error(ErrorCode::bad_option, "seven");
                                            }),
                 Error);
  EXPECT_STREQ(test::error_of([] { Executor bad(0); }).what(), "threads = 0: must be 1 or more");
}

TEST(Executor, StreamsPiecesInOrderAndHoldsNoMoreThanItMay) {
  for (const int threads : {1, 2, 5}) {
    std::atomic<int> held{0}, most{0};
    int next = 0;
    std::vector<int> kept;
    Executor(threads).stream(
        6,
        [&]() -> Executor::Piece {
          if (next == 500) return nullptr;
          most = std::max(most.load(), ++held);
          return std::make_shared<int>(next++);
        },
        [](void* piece) { *static_cast<int*>(piece) *= 3; },
        [&](void* piece) {
          kept.push_back(*static_cast<int*>(piece));
          --held;
        });
    ASSERT_EQ(kept.size(), 500u);
    for (int i = 0; i < 500; ++i) EXPECT_EQ(kept[static_cast<std::size_t>(i)], 3 * i);
    EXPECT_LE(most, 6) << threads << " threads";
    // An exception ends it, wherever it comes from.
    int given = 0;
    EXPECT_THROW(Executor(threads).stream(
                     4, [&]() -> Executor::Piece { return std::make_shared<int>(given++); },
                     [](void* piece) {
                       if (*static_cast<int*>(piece) == 9) throw std::runtime_error("nine");
                     },
                     [](void*) {}),
                 std::runtime_error);
    EXPECT_LT(given, 30);
  }
}

// SHA-1 of "3:abc" by sha1sum.
TEST(Digest, IsThatOfTheStandardAndKnowsPartsApart) {
  EXPECT_EQ(Digest().add("abc").text(), "7ac1b65bee717261fd2b947f0cc5ef99c55f3c18");
  EXPECT_NE(Digest().add("ab").add("c").text(), Digest().add("a").add("bc").text());
  const double nan = std::numeric_limits<double>::quiet_NaN();
  std::vector<double> x(2000, 1.5), y = x;
  x[700] = nan, y[700] = -nan;
  EXPECT_EQ(Digest().add(x).text(), Digest().add(y).text());
  y[1999] = 1.5000000000000002;
  EXPECT_NE(Digest().add(x).text(), Digest().add(y).text());
}

TEST(Error, HasOneNameACodeAndTheRightStatus) {
  std::set<std::string_view> names;
  for (int code = 0; code <= static_cast<int>(ErrorCode::not_built); ++code)
    EXPECT_TRUE(names.insert(to_string(static_cast<ErrorCode>(code))).second) << code;
  EXPECT_FALSE(names.contains("unknown"));
  EXPECT_EQ(exit_status(Error(ErrorCode::not_a_number, "")), 1);
  EXPECT_EQ(exit_status(Error(ErrorCode::cannot_draw, "")), 1);
  EXPECT_EQ(exit_status(Error(ErrorCode::bad_option, "")), 2);
  EXPECT_EQ(exit_status(Error(ErrorCode::bad_model_line, "")), 2);
}

TEST(Warning, HasOneNameACode) {
  std::set<std::string_view> names;
  for (int code = 0; to_string(static_cast<WarningCode>(code)) != "unknown"; ++code) {
    const std::string_view word = to_string(static_cast<WarningCode>(code));
    EXPECT_TRUE(names.insert(word).second) << code;
    EXPECT_EQ(warning_code_from(word), static_cast<WarningCode>(code));
  }
  EXPECT_GE(names.size(), 23u);
  EXPECT_FALSE(warning_code_from("unknown"));
}

}  // namespace
}  // namespace brace
