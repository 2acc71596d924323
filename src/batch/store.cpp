// SPDX-License-Identifier: Apache-2.0
// A results file by SQLite's own interface. Covered by tests/batch/batch_test.cpp.
#include "brace/batch/store.hpp"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <charconv>
#include <chrono>
#include <filesystem>
#include <map>

#include "batch/database.hpp"
#include "batch/fields.hpp"
#include "brace/base/error.hpp"
#include "brace/io/files.hpp"

namespace brace::inline v0 {
namespace {

namespace fs = std::filesystem;

// "brac", and the version of the tables.
constexpr int kApplication = 0x62726163;
constexpr int kVersion = 1;

std::string time_now() {
  return fmt::format(
      "{:%Y-%m-%d %H:%M:%S}",
      fmt::gmtime(std::chrono::system_clock::to_time_t(std::chrono::system_clock::now())));
}

template <class T>
constexpr const char* type_of() {
  if constexpr (std::is_same_v<T, std::string>) return "TEXT NOT NULL";
  if constexpr (std::is_same_v<T, double>) return "REAL NOT NULL";
  if constexpr (std::is_same_v<T, Maybe>) return "REAL";
  if constexpr (std::is_same_v<T, std::optional<std::int64_t>> ||
                std::is_same_v<T, std::optional<bool>>)
    return "INTEGER";
  return "INTEGER NOT NULL";
}

template <class Row>
std::string columns_of() {
  Row row;
  std::string out;
  each_field(row, [&]<class T>(const char* name, T&) {
    out += fmt::format(", {} {}", name, type_of<T>());
  });
  return out;
}

std::string schema() {
  std::string out = fmt::format(
      "PRAGMA application_id = {};\nPRAGMA user_version = {};\n"
      "CREATE TABLE runs (run INTEGER PRIMARY KEY, started TEXT NOT NULL, finished TEXT NOT NULL, "
      "status TEXT NOT NULL, source TEXT NOT NULL, plan TEXT NOT NULL, command TEXT NOT NULL);\n"
      "CREATE TABLE series (series INTEGER PRIMARY KEY{}, UNIQUE (digest));\n"
      "CREATE TABLE run_series (run INTEGER NOT NULL REFERENCES runs, place INTEGER NOT NULL, "
      "series_name TEXT NOT NULL, series INTEGER NOT NULL REFERENCES series, "
      "PRIMARY KEY (run, series_name)) WITHOUT ROWID;\n"
      "CREATE INDEX run_series_series ON run_series (series);\n"
      "CREATE VIEW last_series AS SELECT m.series_name, s.* FROM run_series m JOIN series s USING "
      "(series) WHERE m.run = (SELECT max(run) FROM run_series) ORDER BY m.place;\n",
      kApplication, kVersion, columns_of<SeriesRow>());
  SeriesResult result;
  each_table(result, [&]<class Row>(const char* table, std::vector<Row>&) {
    out += fmt::format(
        "CREATE TABLE {0} (series INTEGER NOT NULL REFERENCES series ON DELETE CASCADE{1});\n"
        "CREATE INDEX {0}_series ON {0} (series);\n"
        "CREATE VIEW last_{0} AS SELECT m.series_name, t.* FROM run_series m JOIN {0} t USING "
        "(series) WHERE m.run = (SELECT max(run) FROM run_series) ORDER BY m.place, t.rowid;\n",
        table, columns_of<Row>());
  });
  return out;
}

}  // namespace

// ---- Statements ----

void ResultStore::Database::refuse(const std::string& doing) const {
  throw Error(ErrorCode::cannot_write,
              fmt::format("{}: {} ({}); what was written before is whole, and the same command "
                          "goes on from there",
                          path, doing, sqlite3_errmsg(handle.get())));
}

void ResultStore::Database::execute(const std::string& sql) const {
  if (sqlite3_exec(handle.get(), sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK)
    refuse("cannot be written");
}

Statement ResultStore::Database::prepare(const std::string& sql) const {
  sqlite3_stmt* prepared = nullptr;
  if (sqlite3_prepare_v2(handle.get(), sql.c_str(), -1, &prepared, nullptr) != SQLITE_OK)
    refuse("cannot be read");
  return Statement(*this, prepared);
}

void Statement::run() {
  const int step = sqlite3_step(handle_.get());
  sqlite3_reset(handle_.get());
  if (step != SQLITE_DONE) database_->refuse("cannot be written");
}

bool Statement::next() {
  const int step = sqlite3_step(handle_.get());
  if (step == SQLITE_ROW) {
    column_ = 0;
    return true;
  }
  sqlite3_reset(handle_.get());
  if (step != SQLITE_DONE) database_->refuse("cannot be read");
  return false;
}

std::vector<std::string> Statement::texts(std::size_t columns) const {
  std::vector<std::string> out;
  for (int c = 0; c < static_cast<int>(columns); ++c) {
    const auto* bytes = sqlite3_column_type(handle_.get(), c) == SQLITE_FLOAT
                            ? nullptr
                            : sqlite3_column_text(handle_.get(), c);
    out.push_back(bytes ? reinterpret_cast<const char*>(bytes)
                  : sqlite3_column_type(handle_.get(), c) == SQLITE_FLOAT
                      ? fmt::format("{}", sqlite3_column_double(handle_.get(), c))
                      : "");
  }
  return out;
}

// ---- The store ----

namespace {

// Opens it and sees that it is a results file, or an empty one.
void open(ResultStore::Database& db, bool for_writing) {
  const auto no_results_file = [&](const std::string& why) {
    return Error(
        ErrorCode::bad_option,
        fmt::format("{}: {}; name a results file of brace batch, or a new one", db.path, why));
  };
  std::error_code none;
  if (fs::exists(db.path, none) && !fs::is_regular_file(db.path, none))
    throw no_results_file("is no file that could hold results");
  if (!for_writing && !fs::exists(db.path, none))
    throw Error(ErrorCode::file_missing, db.path + ": there is no such file; brace batch makes it");
  sqlite3* opened = nullptr;
  const int status = sqlite3_open_v2(
      db.path.c_str(), &opened,
      for_writing ? SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE : SQLITE_OPEN_READONLY, nullptr);
  db.handle.reset(opened);
  if (status != SQLITE_OK) db.refuse("cannot be opened");
  sqlite3_busy_timeout(opened, 10000);
  int application = 0, version = 0, tables = 0;
  const auto ask = [&](const char* sql, int& answer) {
    sqlite3_stmt* prepared = nullptr;
    const int ready = sqlite3_prepare_v2(opened, sql, -1, &prepared, nullptr);
    const StatementHandle statement(prepared);
    if (ready == SQLITE_NOTADB) throw no_results_file("is there and is no results file");
    if (ready != SQLITE_OK || sqlite3_step(prepared) != SQLITE_ROW) {
      if (sqlite3_errcode(opened) == SQLITE_NOTADB)
        throw no_results_file("is there and is no results file");
      db.refuse("cannot be read");
    }
    answer = sqlite3_column_int(prepared, 0);
  };
  ask("select count(*) from sqlite_master", tables);
  ask("pragma application_id", application);
  ask("pragma user_version", version);
  if (tables == 0 && for_writing) {
    db.execute("PRAGMA journal_mode = WAL");
    db.execute("BEGIN;" + schema() + "COMMIT;");
    return;
  }
  if (application != kApplication) throw no_results_file("is a database, but no results file");
  if (version != kVersion)
    throw no_results_file(fmt::format(
        "was written by another version of brace (tables {}, read {})", version, kVersion));
}

}  // namespace

ResultStore::ResultStore(const std::string& path, For purpose)
    : database_(std::make_unique<Database>()) {
  database_->path = path;
  std::error_code none;
  const bool is_new = !fs::exists(path, none);
  if (purpose == For::writing && (is_new || fs::is_regular_file(path, none)))
    database_->lock = std::make_shared<WriterLock>(path + "-lock");
  open(*database_, purpose == For::writing);
  if (purpose != For::writing) return;
  // Whole after a crash of the program by itself, after one of the machine up to the last moments.
  database_->execute("PRAGMA synchronous = NORMAL; PRAGMA foreign_keys = ON");
}
ResultStore::~ResultStore() = default;
ResultStore::ResultStore(ResultStore&&) noexcept = default;
ResultStore& ResultStore::operator=(ResultStore&&) noexcept = default;

const std::string& ResultStore::path() const {
  return database_->path;
}

std::int64_t ResultStore::begin_run(const std::string& source, const std::string& plan,
                                    const std::string& command) {
  const std::vector<RunRow> before = runs();
  if (!before.empty()) {
    const RunRow& last = before.back();
    if (last.status != "complete" && last.source == source && last.plan == plan) {
      database_->prepare("UPDATE runs SET status = 'under way' WHERE run = ?").bind(last.run).run();
      return last.run;
    }
  }
  const std::int64_t run = before.empty() ? 1 : before.back().run + 1;
  database_->prepare("INSERT INTO runs VALUES (?, ?, '', 'under way', ?, ?, ?)")
      .bind(run)
      .bind(time_now())
      .bind(source)
      .bind(plan)
      .bind(command)
      .run();
  return run;
}

namespace {

// A change that is whole or not at all.
class Transaction {
 public:
  explicit Transaction(const ResultStore::Database& db) : db_(db) {
    db_.execute("BEGIN IMMEDIATE");
  }
  ~Transaction() {
    if (!done_ && sqlite3_get_autocommit(db_.handle.get()) == 0)
      sqlite3_exec(db_.handle.get(), "ROLLBACK", nullptr, nullptr, nullptr);
  }
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;
  void commit() {
    db_.execute("COMMIT");
    done_ = true;
  }

 private:
  const ResultStore::Database& db_;
  bool done_ = false;
};

template <class Row>
void insert(ResultStore::Database& db, const char* table, std::int64_t series, Row& row) {
  Statement& statement = db.kept(table, [&] {
    std::string marks = "?";
    each_field(row, [&](const char*, auto&) { marks += ", ?"; });
    return fmt::format("INSERT INTO {} VALUES ({})", table, marks);
  });
  statement.bind(series);
  each_field(row, [&](const char*, const auto& value) { statement.bind(value); });
  statement.run();
}

std::optional<std::int64_t> series_of(ResultStore::Database& db, const std::string& digest) {
  Statement& find =
      db.kept("find", [] { return std::string("SELECT series FROM series WHERE digest = ?"); });
  std::optional<std::int64_t> out;
  find.bind(digest);
  while (find.next()) out = find.whole();
  return out;
}

// Puts a series in its place of a run. What stood there under that name goes, and if no run has it
// any more its rows go with it.
void put(ResultStore::Database& db, std::int64_t run, std::int64_t place, const std::string& name,
         std::int64_t series) {
  Statement& find = db.kept("linked", [] {
    return std::string("SELECT series FROM run_series WHERE run = ? AND series_name = ?");
  });
  std::optional<std::int64_t> before;
  find.bind(run).bind(name);
  while (find.next()) before = find.whole();
  db.kept("link", [] { return std::string("INSERT OR REPLACE INTO run_series VALUES (?,?,?,?)"); })
      .bind(run)
      .bind(place)
      .bind(name)
      .bind(series)
      .run();
  if (before && *before != series)
    db.prepare(
          "DELETE FROM series WHERE series = ? AND NOT EXISTS (SELECT 1 FROM run_series WHERE "
          "series = ?)")
        .bind(*before)
        .bind(*before)
        .run();
}

}  // namespace

void ResultStore::add(std::int64_t run, std::int64_t place, const SeriesResult& found) {
  Database& db = *database_;
  SeriesResult result = found;  // fields are visited as they might be changed
  Transaction change(db);
  std::optional<std::int64_t> series = series_of(db, result.series.digest);
  if (!series) {
    Statement& last =
        db.kept("last", [] { return std::string("SELECT coalesce(max(series), 0) FROM series"); });
    while (last.next()) series = last.whole() + 1;
    insert(db, "series", *series, result.series);
    each_table(result, [&](const char* table, auto& rows) {
      for (auto& row : rows) insert(db, table, *series, row);
    });
  }
  put(db, run, place, result.series.name, *series);
  change.commit();
}

void ResultStore::link(std::int64_t run, std::int64_t place, const std::string& name,
                       const std::string& digest) {
  Database& db = *database_;
  Transaction change(db);
  if (const auto series = series_of(db, digest)) put(db, run, place, name, *series);
  change.commit();
}

void ResultStore::end_run(std::int64_t run, bool complete) {
  database_->prepare("UPDATE runs SET finished = ?, status = ? WHERE run = ?")
      .bind(complete ? time_now() : std::string())
      .bind(std::string(complete ? "complete" : "interrupted"))
      .bind(run)
      .run();
}

std::vector<RunRow> ResultStore::runs() const {
  std::vector<RunRow> out;
  Statement rows = database_->prepare(
      "SELECT run, started, finished, status, source, plan, command, (SELECT count(*) FROM "
      "run_series m WHERE m.run = r.run) FROM runs r ORDER BY run");
  while (rows.next()) {
    RunRow r;
    rows.read(r.run), rows.read(r.started), rows.read(r.finished), rows.read(r.status),
        rows.read(r.source);
    rows.read(r.plan), rows.read(r.command), rows.read(r.series);
    out.push_back(std::move(r));
  }
  return out;
}

RunRow ResultStore::last_run() const {
  const std::vector<RunRow> all = runs();
  for (auto run = all.rbegin(); run != all.rend(); ++run)
    if (run->series > 0) return *run;
  throw Error(ErrorCode::bad_option, path() + ": holds no run of any series yet; give it a file");
}

RunRow ResultStore::run_called(const std::string& word) const {
  if (word == "last") return last_run();
  const std::vector<RunRow> all = runs();
  std::int64_t number = 0;
  const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), number);
  if (error == std::errc() && end == word.data() + word.size())
    for (const RunRow& run : all)
      if (run.run == number) return run;
  throw Error(ErrorCode::bad_option,
              fmt::format("{}: there is no run '{}' in it; its runs are {}", path(), word,
                          all.empty() ? "none" : fmt::format("1 to {}", all.back().run)));
}

namespace {

SeriesResult read_result(const ResultStore::Database& db, std::int64_t series) {
  SeriesResult out;
  const auto read = [&](const char* table, auto& row, auto take) {
    std::string names;
    each_field(row, [&](const char* name, auto&) {
      names += (names.empty() ? "" : ", ") + std::string(name);
    });
    Statement rows =
        db.prepare(fmt::format("SELECT {} FROM {} WHERE series = ? ORDER BY rowid", names, table));
    rows.bind(series);
    while (rows.next()) {
      each_field(row, [&](const char*, auto& value) { rows.read(value); });
      take(row);
    }
  };
  read("series", out.series, [](SeriesRow&) {});
  each_table(out, [&]<class Row>(const char* table, std::vector<Row>& all) {
    Row row;
    read(table, row, [&](Row& one) { all.push_back(one); });
  });
  return out;
}

}  // namespace

std::vector<SeriesResult> ResultStore::results(std::int64_t run) const {
  std::vector<SeriesResult> out;
  Statement members =
      database_->prepare("SELECT series FROM run_series WHERE run = ? ORDER BY place, series_name");
  members.bind(run);
  while (members.next()) out.push_back(read_result(*database_, members.whole()));
  return out;
}

SeriesResult ResultStore::result(std::int64_t run, const std::string& name) const {
  Statement member =
      database_->prepare("SELECT series FROM run_series WHERE run = ? AND series_name = ?");
  member.bind(run).bind(name);
  if (member.next()) return read_result(*database_, member.whole());
  throw Error(ErrorCode::bad_option,
              fmt::format("{}: run {} has no series '{}'", path(), run, name));
}

std::vector<std::string> ResultStore::digests() const {
  std::vector<std::string> out;
  Statement rows = database_->prepare("SELECT digest FROM series");
  while (rows.next()) rows.read(out.emplace_back());
  return out;
}

std::optional<SeriesResult> ResultStore::earlier(std::int64_t run, const std::string& name,
                                                 const std::string& plan) const {
  Statement& member = database_->kept("earlier", [] {
    return std::string(
        "SELECT m.series FROM run_series m JOIN runs r USING (run) WHERE m.run < ? AND "
        "m.series_name = ? AND r.plan = ? ORDER BY m.run DESC LIMIT 1");
  });
  std::optional<std::int64_t> series;
  member.bind(run).bind(name).bind(plan);
  while (member.next()) series = member.whole();
  if (!series) return std::nullopt;
  return read_result(*database_, *series);
}

}  // namespace brace::inline v0
