// SPDX-License-Identifier: Apache-2.0
// Every command on files as users have them: an answer, or an error that names the file and what to
// do; no crash, no number that is none.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <regex>

#include "brace/base/date.hpp"
#include "brace/maths/random.hpp"
#include "support/run.hpp"

namespace brace::test {
namespace {

using Json = nlohmann::json;
using testing::HasSubstr;

std::string day(int i) {
  return format_date(*parse_date("2021-01-04") + std::chrono::days(i));
}

// A file of `rows` days whose price is made by `price` of the row and a standard normal number.
template <class Price>
std::string made(int rows, Price&& price, std::string_view header = "date,price\n") {
  maths::RandomStream u(17, 0);
  std::string csv(header);
  for (int i = 0; i < rows; ++i) csv += fmt::format("{},{}\n", day(i), price(i, u.normal()));
  return csv;
}
std::string walk(int rows, double size) {
  double level = 0;
  return made(rows, [&](int, double z) {
    return fmt::format("{:.9g}", size * std::exp(.01 * (level += z)));
  });
}

struct File {
  const char* name;
  std::string content;
  bool readable = true;  // whether it holds a series that can be modelled
};
void PrintTo(const File& file, std::ostream* out) {
  *out << file.name;
}

std::vector<File> files() {
  const auto with_crlf = [](std::string csv) {
    return std::regex_replace(csv, std::regex("\n"), "\r\n");
  };
  return {
      {"empty", "", false},
      {"header_alone", "date,price\n", false},
      {"one_row", "date,price\n2021-01-04,5\n", false},
      {"five_rows", walk(5, 10), false},
      {"words", "date,price\n2021-01-04,cheap\n2021-01-05,dear\n", false},
      {"constant", made(300, [](int, double) { return "7.5"; }), false},
      {"nothing_but_gaps", made(300, [](int, double) { return ""; }), false},
      {"dates_repeat",
       "date,price\n" + std::string("2021-01-04,5\n2021-01-04,6\n") + "2021-01-05,7\n", false},
      {"negative_prices", made(300, [](int, double z) { return fmt::format("{:.6f}", z); }), false},
      {"huge", walk(300, 1e300), false},
      {"tiny", walk(300, 1e-300), false},
      {"marks_and_line_ends", "\xEF\xBB\xBF" + with_crlf(walk(300, 10))},
      {"a_cycle",
       made(300, [](int i, double z) { return fmt::format("{:.4f}", 100 + (i * 37) % 11 + z); })},
      {"every_second_missing",
       made(400,
            [](int i, double z) {
              return i % 2 == 0 ? std::string() : fmt::format("{:.6f}", 50 + z);
            }),
       false},
      {"one_jump",
       made(300,
            [](int i, double z) { return fmt::format("{:.6f}", (i < 150 ? 10 : 1e6) + .1 * z); })},
      {"ticks", made(300,
                     [](int i, double z) {
                       return fmt::format("{:.1f}", 10 + .1 * std::round(z) * (i % 3 == 0));
                     })},
      {"flat_then_alive",
       made(400, [](int i, double z) { return fmt::format("{:.6f}", i < 200 ? 10 : 10 + z); })},
  };
}

const char* const kCommands[] = {
    "inspect FILE --returns log",
    "unitroot FILE",
    "lags FILE --returns log",
    "season FILE --period 5",
    "breaks FILE --returns log",
    "search FILE --returns log --most-ar 1 --most-ma 1",
    "search FILE --returns log --variance garch --law normal",
    "fit FILE --returns log --model 'const ar1 / garch / student'",
    "fit FILE --model 'diff1 ma1'",
    "check FILE --returns log --model 'const / gjr / ged'",
    "compare FILE --returns simple --model const --model 'const / arch' --hold-out 20",
    "forecast FILE --returns log --model 'const / garch' --draws 200",
    "backtest FILE --returns log --model 'const / garch' --window 120 --refit-every 20",
};

class Awkward : public testing::TestWithParam<File> {};

TEST_P(Awkward, FileGetsAnAnswerOrAClearError) {
  const File& file = GetParam();
  const Folder folder;
  const std::string path = folder.file(std::string(file.name) + ".csv", file.content);
  std::size_t answered = 0;
  for (const char* command : kCommands) {
    const std::string line =
        std::regex_replace(command, std::regex("FILE"), "'" + path + "'") + " --quiet";
    const Outcome text = brace(line), json = brace(line + " --json");
    SCOPED_TRACE(line + "\n" + text.out.substr(0, 1500) + text.err);
    EXPECT_EQ(text.status, json.status);
    if (text.status == 1 || text.status == 2) {  // the data, or what is asked of them
      // Nothing is half told, and the line says what of.
      EXPECT_TRUE(text.out.empty());
      EXPECT_THAT(text.err, testing::StartsWith("brace: "));
      EXPECT_THAT(text.err, testing::ContainsRegex("\\.csv|price|test|hold-out|rows"));
      EXPECT_THAT(text.err, testing::Not(HasSubstr("unexpected")));
      continue;
    }
    // 3: an answer that says that it did not converge.
    EXPECT_TRUE(text.status == 0 || text.status == 3) << text.status;
    ++answered;
    EXPECT_FALSE(std::regex_search(text.out, std::regex("\\b(nan|inf)\\b"))) << text.out;
    const Json document = Json::parse(json.out, nullptr, false);
    ASSERT_FALSE(document.is_discarded());
    EXPECT_TRUE(document.contains("result"));
    std::istringstream lines(text.out);
    for (std::string row; std::getline(lines, row);) EXPECT_LE(row.size(), 100U) << row;
  }
  if (file.readable) {
    EXPECT_GT(answered, std::size(kCommands) / 2);
  } else {
    EXPECT_LE(answered, std::size(kCommands) / 2);
  }
}

INSTANTIATE_TEST_SUITE_P(Files, Awkward, testing::ValuesIn(files()),
                         [](const auto& of) { return std::string(of.param.name); });

}  // namespace
}  // namespace brace::test
