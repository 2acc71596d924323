// SPDX-License-Identifier: Apache-2.0
// Many series from one source are what each would be if it were read alone.
#include "brace/io/universe.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sqlite3.h>

#include <cmath>
#include <map>

#include "brace/maths/random.hpp"
#include "io/row_parts.hpp"
#include "support/run.hpp"
#include "support/throws.hpp"

namespace brace::test {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

// What each series is: the rows as text, or the error.
std::map<std::string, std::string> every_of(Universe& universe) {
  std::map<std::string, std::string> out;
  while (auto found = universe.next()) {
    std::string text;
    try {
      const Series s = found->read();
      text = s.name + " ";
      for (std::size_t t = 0; t < s.size(); ++t)
        text += s.when(t) + "=" + std::to_string(s.values[t]) + ";";
      for (const Companion& c : s.companions)
        for (const double v : c.values) text += c.name + std::to_string(v) + ";";
    } catch (const Error& error) {
      text = error.what();
    }
    out[found->name] = text;
  }
  return out;
}
std::map<std::string, std::string> every_of(const std::string& path, const ReadOptions& options,
                                            const std::optional<std::string>& each = {}) {
  return every_of(*open_universe(path, options, each));
}

struct Row {
  std::string symbol, date, price, volume;
};
// Twelve symbols of a hundred days with days left out, missing prices and idle days.
std::vector<Row> market() {
  std::vector<Row> rows;
  maths::RandomStream random(3, 0);
  for (int i = 0; i < 12; ++i)
    for (int d = 0; d < 100; ++d) {
      const double u = random.uniform();
      if (u < .05) continue;
      const Timestamp day = *parse_date("2020-01-01") + std::chrono::days(d);
      rows.push_back({"S" + std::to_string(i), format_date(day),
                      u < .1 ? "" : std::to_string(10 + random.normal()), u > .95 ? "0" : "7"});
    }
  return rows;
}
std::string as_csv(const std::vector<Row>& rows) {
  std::string text = "symbol,date,price,volume\n";
  for (const Row& r : rows) text += r.symbol + "," + r.date + "," + r.price + "," + r.volume + "\n";
  return text;
}
const ReadOptions kPrice{.value = "price", .companions = {"volume"}, .drop_zero = "volume"};

TEST(Universe, OfALongFileIsEachSymbolReadAlone) {
  const Folder folder;
  const std::string file = folder.file("long.csv", as_csv(market()));
  const auto all = every_of(file, kPrice, "symbol");
  EXPECT_EQ(all.size(), 12u);
  for (const auto& [name, text] : all) {
    ReadOptions alone = kPrice;
    alone.where = {"symbol=" + name};
    Series s = read_series(file, alone);
    s.name = name;
    std::vector<Series> held{s};
    std::string as_read = every_of(*universe_of(held))[name];
    as_read.replace(0, name.size(), "price");
    EXPECT_EQ(text, as_read) << name;
  }
}

TEST(Universe, DoesNotDependOnTheOrderOfTheRowsOfDifferentSeries) {
  const Folder folder;
  std::vector<Row> rows = market();
  const auto in_pieces = every_of(folder.file("a.csv", as_csv(rows)), kPrice, "symbol");
  std::stable_sort(rows.begin(), rows.end(),
                   [](const Row& a, const Row& b) { return a.date < b.date; });
  EXPECT_EQ(every_of(folder.file("b.csv", as_csv(rows)), kPrice, "symbol"), in_pieces);
}

// The first thousand rows promise that each series stands in one piece, and a later one does not
// keep it: nothing is lost, and the series that was handed on too early comes again, whole.
TEST(Universe, FindsLateThatASeriesComesAgain) {
  const Folder folder;
  std::vector<Row> rows = market();
  const auto whole = every_of(folder.file("a.csv", as_csv(rows)), kPrice, "symbol");
  std::vector<Row> end;
  for (std::size_t i = 50; i < 60; ++i) end.push_back(rows[i]);  // of the first symbol
  rows.erase(rows.begin() + 50, rows.begin() + 60);
  rows.insert(rows.end(), end.begin(), end.end());
  auto split = every_of(folder.file("b.csv", as_csv(rows)), kPrice, "symbol");
  EXPECT_EQ(split.size(), 12u);
  // Its rows are out of order, and say so; the others are as before.
  EXPECT_THAT(split["S0"], HasSubstr("sort the rows by date"));
  for (const auto& [name, text] : whole)
    if (name != "S0") {
      EXPECT_EQ(split[name], text) << name;
    }
}

TEST(Universe, ABadRowCostsItsOwnSeriesAlone) {
  const Folder folder;
  const std::string good = as_csv(market());
  const auto whole = every_of(folder.file("a.csv", good), kPrice, "symbol");
  std::string bad = good;
  bad.insert(bad.find("S3,"), "S3,2019-12-31,closed,7\n");
  bad.insert(bad.find("S5,"), "S5,soon,10,7\n");
  bad.insert(bad.find("S7,"), "S7,2019-12-31\n");
  bad += "LONELY,2020-01-01\n,2020-01-01,4,7\n";
  auto found = every_of(folder.file("b.csv", bad), kPrice, "symbol");
  EXPECT_THAT(found["S3"], HasSubstr("column price: 'closed' is not a number"));
  EXPECT_THAT(found["S5"], HasSubstr("column date: 'soon'"));
  EXPECT_THAT(found["S7"], HasSubstr("2 cells where the header has 4"));
  EXPECT_THAT(found["LONELY"], HasSubstr("2 cells where the header has 4"));
  EXPECT_EQ(found.count("(no name)"), 1u);
  EXPECT_EQ(found.size(), 14u);
  for (const char* sound : {"S0", "S1", "S2", "S4", "S6", "S8", "S11"})
    EXPECT_EQ(found[sound], whole.at(sound)) << sound;
}

TEST(Universe, SaysAtOnceWhatIsWrongWithTheWholeFileAndReadsLatinNames) {
  const Folder folder;
  const std::string file = folder.file("l.csv", "Name;Kurs\n\xD6l;1\n\xD6l;2\nTeer;3\n");
  EXPECT_EQ(every_of(file, {}, "Name").count("\xC3\x96l"), 1u);
  expect_error(ErrorCode::column_missing, "did you mean 'Name'",
               [&] { (void)open_universe(file, {}, "Nme"); });
  expect_error(ErrorCode::file_empty, "a header and no data", [&] {
    (void)open_universe(folder.file("h.csv", "symbol,date,price\n"), {}, "symbol");
  });
}

TEST(Universe, OfAWideFileIsItsColumns) {
  const Folder folder;
  std::string text = "date,OIL,TAR,TAR,SALT,NOTE\n";
  for (int d = 1; d <= 28; ++d)
    text += "2020-02-" + std::string(d < 10 ? "0" : "") + std::to_string(d) + "," +
            std::to_string(d) + "," + std::to_string(2 * d) + ",7," + (d == 9 ? "x" : "3") +
            ",word\n";
  auto all = every_of(folder.file("wide.csv", text), {}, kEachColumn);
  EXPECT_EQ(all.size(), 5u);
  EXPECT_THAT(all["OIL"], HasSubstr("2020-02-28=28.0"));
  EXPECT_THAT(all["TAR"], HasSubstr("2020-02-28=56.0"));
  EXPECT_THAT(all["TAR (2)"], HasSubstr("2020-02-28=7.0"));
  EXPECT_THAT(all["SALT"], HasSubstr("row 10, column SALT: 'x' is not a number"));
  EXPECT_THAT(all["NOTE"], HasSubstr("row 2, column NOTE: 'word' is not a number"));
}

TEST(Universe, OfAFolderOrPatternIsItsFiles) {
  const Folder folder;
  (void)folder.file("a.csv", "date,price\n2020-01-01,1\n2020-01-02,2\n");
  (void)folder.file("b.csv", "");
  (void)folder.file("notes.txt", "no series");
  const auto all = every_of(folder / "", {.value = "price"});
  EXPECT_EQ(all.size(), 2u);
  EXPECT_THAT(all.at("a"), HasSubstr("2020-01-02=2.0"));
  EXPECT_THAT(all.at("b"), HasSubstr("the file is empty"));
  EXPECT_EQ(every_of(folder / "*.csv", {.value = "price"}), all);
  expect_error(ErrorCode::file_missing, "no file is called so",
               [&] { (void)open_universe(folder / "*.tsv"); });
  expect_error(ErrorCode::file_missing, "there is no such file",
               [&] { (void)open_universe(folder / "none"); });
  expect_error(ErrorCode::bad_option, "needs `each`",
               [&] { (void)open_universe(folder / "a.csv"); });
}

TEST(Universe, NamesMayBeNumbersAndTheOnlyTableNeedsNoQuery) {
  const Folder folder;
  const auto csv =
      every_of(folder.file("n.csv",
                           "code,date,price\n7203,2020-01-01,1\n7203,2020-01-02,2\n9984,2020-01-01,"
                           "3\n9984,2020-01-02,4\n"),
               {}, "code");
  EXPECT_EQ(csv.size(), 2u);
  const std::string path = folder / "n.sqlite";
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(path.c_str(), &database), SQLITE_OK);
  // The names stand apart in the table.
  ASSERT_EQ(sqlite3_exec(database,
                         "CREATE TABLE prices (code, date, price REAL); INSERT INTO prices VALUES "
                         "(7203, '2020-01-01', 1), (9984, '2020-01-01', 3), (7203, '2020-01-02', "
                         "2), (9984, '2020-01-02', 4)",
                         nullptr, nullptr, nullptr),
            SQLITE_OK);
  EXPECT_EQ(every_of(path, {}, "code"), csv);
  sqlite3_exec(database, "CREATE TABLE other (x)", nullptr, nullptr, nullptr);
  expect_error(ErrorCode::bad_query, "holds 2 tables",
               [&] { (void)open_universe(path, {}, "code"); });
  sqlite3_close(database);
}

TEST(RowParts, GiveBackWhatWasAddedByParts) {
  RowParts parts(3);
  for (std::size_t i = 0; i < 1000; ++i) {
    const std::string name = "S" + std::to_string(i % 7), text = std::to_string(i);
    parts.add(name, i,
              {{name, std::nullopt}, {text, i % 2 ? std::optional(.1 * double(i)) : std::nullopt}});
  }
  std::map<std::string, std::vector<std::size_t>> seen;
  std::map<std::string, std::size_t> part_of;
  for (std::size_t p = 0; p < parts.count(); ++p)
    parts.read(p, [&](std::size_t number, const std::vector<Cell>& cells) {
      const std::string name(cells[0].text);
      EXPECT_EQ(part_of.emplace(name, p).first->second, p) << "one name, one part";
      EXPECT_EQ(cells[1].text, std::to_string(number));
      EXPECT_EQ(cells[1].number.value_or(-1), number % 2 ? .1 * double(number) : -1);
      seen[name].push_back(number);
    });
  EXPECT_EQ(seen.size(), 7u);
  for (const auto& [name, numbers] : seen) {
    EXPECT_GE(numbers.size(), 142u);
    EXPECT_TRUE(std::is_sorted(numbers.begin(), numbers.end()));
  }
}

}  // namespace
}  // namespace brace::test
