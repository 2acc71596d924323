// SPDX-License-Identifier: Apache-2.0
// Rows of an SQLite query. Covered by tests/io/table_test.cpp.
#include <fmt/format.h>
#include <sqlite3.h>

#include <filesystem>
#include <fstream>
#include <memory>

#include "brace/base/error.hpp"
#include "io/rows.hpp"

namespace brace::inline v0 {
namespace {

std::string tables_of(sqlite3* database) {
  sqlite3_stmt* statement = nullptr;
  std::string names;
  if (sqlite3_prepare_v2(database, "select name from sqlite_master where type in ('table', 'view')",
                         -1, &statement, nullptr) == SQLITE_OK)
    while (sqlite3_step(statement) == SQLITE_ROW)
      names += fmt::format("{}{}", names.empty() ? "" : ", ",
                           reinterpret_cast<const char*>(sqlite3_column_text(statement, 0)));
  sqlite3_finalize(statement);
  return names.empty() ? "none" : names;
}

}  // namespace

bool is_database(const std::string& path) {
  std::error_code none;
  if (!std::filesystem::is_regular_file(path, none)) return false;  // a pipe is read once only
  std::ifstream file(path, std::ios::binary);
  std::string magic(15, '\0');
  return file.read(magic.data(), 15) && magic == "SQLite format 3";
}

void stream_query(const std::string& path, const std::string& query, RowSink& sink) {
  if (!std::filesystem::exists(path))
    throw Error(ErrorCode::file_missing,
                fmt::format("{}: there is no such file; check the name", path));
  sqlite3* opened = nullptr;
  const int status = sqlite3_open_v2(path.c_str(), &opened, SQLITE_OPEN_READONLY, nullptr);
  const std::unique_ptr<sqlite3, int (*)(sqlite3*)> database(opened, sqlite3_close);
  const auto refuse = [&](const std::string& why) {
    throw Error(ErrorCode::bad_query,
                fmt::format("{}: {}; `query` takes one select, and the tables are: {}", path, why,
                            tables_of(opened)));
  };
  if (status != SQLITE_OK || !is_database(path))
    throw Error(ErrorCode::bad_query,
                fmt::format("{}: is not an SQLite database; leave `query` out for CSV", path));
  sqlite3_stmt* prepared = nullptr;
  const char* rest = nullptr;
  const int ready = sqlite3_prepare_v2(opened, query.c_str(), -1, &prepared, &rest);
  const std::unique_ptr<sqlite3_stmt, int (*)(sqlite3_stmt*)> statement(prepared, sqlite3_finalize);
  if (ready != SQLITE_OK) refuse(sqlite3_errmsg(opened));
  if (!prepared || sqlite3_stmt_readonly(prepared) == 0 || sqlite3_column_count(prepared) == 0)
    refuse("the query reads no rows");
  if (std::string_view(rest).find_first_not_of(" ;\t\r\n") != std::string_view::npos)
    refuse("there is more after the first query");

  std::vector<Cell> cells(static_cast<std::size_t>(sqlite3_column_count(prepared)));
  for (std::size_t c = 0; c < cells.size(); ++c)
    cells[c].text = sqlite3_column_name(prepared, static_cast<int>(c));
  std::size_t number = 1;
  sink.row(number, cells);
  int step = sqlite3_step(prepared);
  for (; step == SQLITE_ROW; step = sqlite3_step(prepared)) {
    for (std::size_t c = 0; c < cells.size(); ++c) {
      const int column = static_cast<int>(c);
      const bool real = sqlite3_column_type(prepared, column) == SQLITE_FLOAT;
      cells[c].number =
          real ? std::optional(sqlite3_column_double(prepared, column)) : std::nullopt;
      const auto* bytes = sqlite3_column_text(prepared, column);
      cells[c].text = bytes ? reinterpret_cast<const char*>(bytes) : "";
    }
    sink.row(++number, cells);
  }
  if (step != SQLITE_DONE) refuse(sqlite3_errmsg(opened));
}

}  // namespace brace::inline v0
