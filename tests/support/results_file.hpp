// SPDX-License-Identifier: Apache-2.0
// A results file of brace batch as text, by SQLite itself: all that is to be the same whoever
// computed it, in whatever order.
//
//   EXPECT_EQ(all_results(a), all_results(b));
#pragma once

#include <sqlite3.h>

#include <algorithm>
#include <limits>
#include <string>
#include <vector>

namespace brace::test {

// Calls see(statement) for each row of a query; an error of the query's as its text.
template <class See>
std::string each_row(const std::string& path, const std::string& query, See see) {
  sqlite3* database = nullptr;
  std::string error;
  if (sqlite3_open_v2(path.c_str(), &database, SQLITE_OPEN_READONLY, nullptr) == SQLITE_OK) {
    sqlite3_stmt* statement = nullptr;
    if (sqlite3_prepare_v2(database, query.c_str(), -1, &statement, nullptr) != SQLITE_OK)
      error = sqlite3_errmsg(database);
    while (statement && sqlite3_step(statement) == SQLITE_ROW) see(statement);
    sqlite3_finalize(statement);
  }
  sqlite3_close(database);
  return error;
}

// The rows of a query, cells between bars.
inline std::vector<std::string> rows_of(const std::string& path, const std::string& query) {
  std::vector<std::string> rows;
  const std::string error = each_row(path, query, [&](sqlite3_stmt* statement) {
    std::string row;
    for (int c = 0; c < sqlite3_column_count(statement); ++c) {
      const auto* cell = sqlite3_column_text(statement, c);
      row += (c > 0 ? "|" : "") + std::string(cell ? reinterpret_cast<const char*>(cell) : "null");
    }
    rows.push_back(std::move(row));
  });
  if (!error.empty()) rows.push_back(error);
  return rows;
}

// The number that a query gives, all its bits.
inline double number_of(const std::string& path, const std::string& query) {
  double out = std::numeric_limits<double>::quiet_NaN();
  (void)each_row(path, query,
                 [&](sqlite3_stmt* statement) { out = sqlite3_column_double(statement, 0); });
  return out;
}

inline std::string value_of(const std::string& path, const std::string& query) {
  const std::vector<std::string> rows = rows_of(path, query);
  return rows.empty() ? "" : rows.front();
}

// Every table but the times: rows with the name of their series in the place of its number.
inline std::vector<std::string> all_results(const std::string& path) {
  std::vector<std::string> all;
  for (const std::string& table :
       rows_of(path, "SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")) {
    if (table == "runs") continue;
    std::string columns;
    for (const std::string& c :
         rows_of(path, "SELECT name FROM pragma_table_info('" + table + "')"))
      if (c != "series" && c != "seconds") columns += ", quote(t." + c + ")";
    const std::string names =
        table == "run_series" || table == "series"
            ? "SELECT ''" + columns + " FROM " + table + " t"
            : "SELECT s.name" + columns + " FROM " + table + " t JOIN series s USING (series)";
    for (const std::string& row : rows_of(path, names)) all.push_back(table + "|" + row);
  }
  std::sort(all.begin(), all.end());
  return all;
}

}  // namespace brace::test
