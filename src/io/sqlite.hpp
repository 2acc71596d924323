// SPDX-License-Identifier: Apache-2.0
// Handles of SQLite that close themselves.
//
//   const DatabaseHandle database = ...;  const StatementHandle statement = ...;
#pragma once

#include <sqlite3.h>

#include <memory>

namespace brace::inline v0 {

struct CloseHandle {
  void operator()(sqlite3* database) const { sqlite3_close(database); }
  void operator()(sqlite3_stmt* statement) const { sqlite3_finalize(statement); }
};
using DatabaseHandle = std::unique_ptr<sqlite3, CloseHandle>;
using StatementHandle = std::unique_ptr<sqlite3_stmt, CloseHandle>;

}  // namespace brace::inline v0
