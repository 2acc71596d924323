// SPDX-License-Identifier: Apache-2.0
// Rows of an SQLite query. Covered by tests/io/table_test.cpp.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <filesystem>
#include <fstream>

#include "brace/base/error.hpp"
#include "io/rows.hpp"
#include "io/sqlite.hpp"

namespace brace::inline v0 {
namespace {

std::vector<std::string> names_in(sqlite3* database) {
  sqlite3_stmt* prepared = nullptr;
  std::vector<std::string> names;
  const int ready =
      sqlite3_prepare_v2(database,
                         "select name from sqlite_master where type in ('table', 'view') and name "
                         "not like 'sqlite_%'",
                         -1, &prepared, nullptr);
  const StatementHandle statement(prepared);
  if (ready == SQLITE_OK)
    while (sqlite3_step(prepared) == SQLITE_ROW)
      names.emplace_back(reinterpret_cast<const char*>(sqlite3_column_text(prepared, 0)));
  return names;
}

// Rows handed over at a time.
constexpr int kRowsAtOnce = 1000;

class QueryStream : public RowStream {
 public:
  QueryStream(const std::string& path, const std::string& query, RowSink& sink)
      : path_(path), sink_(sink) {
    if (!std::filesystem::exists(path))
      throw Error(ErrorCode::file_missing,
                  fmt::format("{}: there is no such file; check the name", path));
    sqlite3* opened = nullptr;
    const int status = sqlite3_open_v2(path.c_str(), &opened, SQLITE_OPEN_READONLY, nullptr);
    database_.reset(opened);
    if (status != SQLITE_OK || !is_database(path))
      throw Error(ErrorCode::bad_query,
                  fmt::format("{}: is not an SQLite database; leave `query` out for CSV", path));
    sqlite3_stmt* prepared = nullptr;
    const char* rest = nullptr;
    const int ready = sqlite3_prepare_v2(opened, query.c_str(), -1, &prepared, &rest);
    statement_.reset(prepared);
    if (ready != SQLITE_OK) refuse(sqlite3_errmsg(opened));
    if (!prepared || sqlite3_stmt_readonly(prepared) == 0 || sqlite3_column_count(prepared) == 0)
      refuse("the query reads no rows");
    if (std::string_view(rest).find_first_not_of(" ;\t\r\n") != std::string_view::npos)
      refuse("there is more after the first query");
    cells_.resize(static_cast<std::size_t>(sqlite3_column_count(prepared)));
  }

  bool advance() override {
    if (number_ == 0) {
      for (std::size_t c = 0; c < cells_.size(); ++c)
        cells_[c].text = sqlite3_column_name(statement_.get(), static_cast<int>(c));
      sink_.row(++number_, cells_);
    }
    for (int i = 0; i < kRowsAtOnce; ++i) {
      const int step = sqlite3_step(statement_.get());
      if (step == SQLITE_DONE) return false;
      if (step != SQLITE_ROW) refuse(sqlite3_errmsg(database_.get()));
      hand_over();
    }
    return true;
  }

 private:
  void hand_over() {
    sqlite3_stmt* row = statement_.get();
    for (std::size_t c = 0; c < cells_.size(); ++c) {
      const int column = static_cast<int>(c);
      const bool real = sqlite3_column_type(row, column) == SQLITE_FLOAT;
      cells_[c].number = real ? std::optional(sqlite3_column_double(row, column)) : std::nullopt;
      const auto* bytes = sqlite3_column_text(row, column);
      cells_[c].text = bytes ? reinterpret_cast<const char*>(bytes) : "";
    }
    sink_.row(++number_, cells_);
  }

  [[noreturn]] void refuse(const std::string& why) const {
    const std::vector<std::string> tables = names_in(database_.get());
    throw Error(ErrorCode::bad_query,
                fmt::format("{}: {}; `query` takes one select, and the tables are: {}", path_, why,
                            tables.empty() ? "none" : fmt::format("{}", fmt::join(tables, ", "))));
  }

  std::string path_;
  RowSink& sink_;
  DatabaseHandle database_;
  StatementHandle statement_;
  std::vector<Cell> cells_;
  std::size_t number_ = 0;
};

}  // namespace

bool is_database(const std::string& path) {
  std::error_code none;
  if (!std::filesystem::is_regular_file(path, none)) return false;  // a pipe is read once only
  std::ifstream file(path, std::ios::binary);
  std::string magic(15, '\0');
  return file.read(magic.data(), 15) && magic == "SQLite format 3";
}

std::unique_ptr<RowStream> query_stream(const std::string& path, const std::string& query,
                                        RowSink& sink) {
  return std::make_unique<QueryStream>(path, query, sink);
}

std::vector<std::string> tables_of(const std::string& path) {
  sqlite3* opened = nullptr;
  const int status = sqlite3_open_v2(path.c_str(), &opened, SQLITE_OPEN_READONLY, nullptr);
  const DatabaseHandle database(opened);
  return status == SQLITE_OK ? names_in(opened) : std::vector<std::string>{};
}

}  // namespace brace::inline v0
