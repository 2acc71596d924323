// SPDX-License-Identifier: Apache-2.0
// Statements of a results file, bound and read by the types of the rows.
//
//   Statement rows = db.prepare("SELECT name FROM series");
//   while (rows.next()) rows.read(name);
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "brace/batch/store.hpp"
#include "io/sqlite.hpp"

namespace brace::inline v0 {

class Statement {
 public:
  Statement(const ResultStore::Database& database, sqlite3_stmt* prepared)
      : database_(&database), handle_(prepared) {}

  // ---- The marks of the statement, from left to right ----
  Statement& bind(std::int64_t x) {
    sqlite3_bind_int64(handle_.get(), ++bound_, x);
    return *this;
  }
  Statement& bind(bool x) { return bind(static_cast<std::int64_t>(x)); }
  Statement& bind(double x) {
    sqlite3_bind_double(handle_.get(), ++bound_, x);
    return *this;
  }
  Statement& bind(const std::string& x) {
    sqlite3_bind_text(handle_.get(), ++bound_, x.data(), static_cast<int>(x.size()),
                      SQLITE_TRANSIENT);
    return *this;
  }
  template <class T>
  Statement& bind(const std::optional<T>& x) {
    if (x) return bind(*x);
    sqlite3_bind_null(handle_.get(), ++bound_);
    return *this;
  }

  // Runs it, and again after other values are bound. Throws Error (cannot_write).
  void run();

  // ---- Its rows, each read from left to right ----
  bool next();
  void read(std::int64_t& x) { x = sqlite3_column_int64(handle_.get(), column_++); }
  void read(bool& x) { x = sqlite3_column_int64(handle_.get(), column_++) != 0; }
  void read(double& x) { x = sqlite3_column_double(handle_.get(), column_++); }
  void read(std::string& x) {
    const auto* bytes = sqlite3_column_text(handle_.get(), column_);
    x.assign(bytes ? reinterpret_cast<const char*>(bytes) : "",
             static_cast<std::size_t>(sqlite3_column_bytes(handle_.get(), column_)));
    ++column_;
  }
  template <class T>
  void read(std::optional<T>& x) {
    if (sqlite3_column_type(handle_.get(), column_) == SQLITE_NULL) {
      x.reset();
      ++column_;
      return;
    }
    read(x.emplace());
  }
  std::int64_t whole() {
    std::int64_t x = 0;
    read(x);
    return x;
  }
  // The first columns as text, numbers in the shortest form that reads back the same.
  [[nodiscard]] std::vector<std::string> texts(std::size_t columns) const;
  void begin() { bound_ = 0; }

 private:
  const ResultStore::Database* database_;
  StatementHandle handle_;
  int bound_ = 0, column_ = 0;
};

struct ResultStore::Database {
  std::string path;
  std::shared_ptr<void> lock;  // of the only writer; let go after the handle
  DatabaseHandle handle;
  std::map<std::string, Statement> statements;

  // All throw Error (cannot_write) with what SQLite says.
  void execute(const std::string& sql) const;
  [[nodiscard]] Statement prepare(const std::string& sql) const;
  // One that is used again, made at its first use.
  template <class Text>
  Statement& kept(const std::string& name, Text sql) {
    auto at = statements.find(name);
    if (at == statements.end()) at = statements.emplace(name, prepare(sql())).first;
    at->second.begin();
    return at->second;
  }
  [[noreturn]] void refuse(const std::string& doing) const;
};

}  // namespace brace::inline v0
