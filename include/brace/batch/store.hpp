// SPDX-License-Identifier: Apache-2.0
// A results file: the findings of batches in one SQLite database, run after run (docs/batch.md has
// its tables). A series whose rows and plan are as before is kept once and shared by the runs.
//
//   brace::ResultStore store("run.sqlite", brace::ResultStore::For::writing);
//   for (const brace::RunRow& run : store.runs()) std::cout << run.run << ' ' << run.started;
//
// Threads: a ResultStore belongs to one thread at a time. Others, and other programs, may read the
// file while it is written; a second writer is refused.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/batch/result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct RunRow {
  std::int64_t run = 0;
  std::string started, finished;  // UTC; finished: empty where it did not
  std::string status;             // under way, complete or interrupted
  std::string source;             // what was read
  std::string plan;               // described()
  std::string command;            // as it was typed
  std::int64_t series = 0;        // seen
};

class ResultStore {
 public:
  enum class For { reading, writing };
  // Opens the file or, for writing, makes it. Throws Error: cannot_write, also where another
  // process is writing; file_missing; bad_option for a file that is none of these.
  ResultStore(const std::string& path, For purpose);
  ~ResultStore();
  ResultStore(ResultStore&&) noexcept;
  ResultStore& operator=(ResultStore&&) noexcept;

  [[nodiscard]] const std::string& path() const;

  // ---- Writing; each call is whole or not at all, and throws Error (cannot_write) ----
  // A new run, or the last one where it was not finished and asks for the same.
  std::int64_t begin_run(const std::string& source, const std::string& plan,
                         const std::string& command);
  // What was found of a series, and its place in the run; in place of what the run had of that
  // name.
  void add(std::int64_t run, std::int64_t place, const SeriesResult& result);
  // The same for what is there already.
  void link(std::int64_t run, std::int64_t place, const std::string& name,
            const std::string& digest);
  void end_run(std::int64_t run, bool complete);

  // ---- Reading ----
  [[nodiscard]] std::vector<RunRow> runs() const;  // in their order
  // The last that has a series; Error (bad_option) where there is none.
  [[nodiscard]] RunRow last_run() const;
  // The one of that number, or "last". Throws Error (bad_option) with the runs that there are.
  [[nodiscard]] RunRow run_called(const std::string& word) const;
  // Every series of a run in the order of its places.
  [[nodiscard]] std::vector<SeriesResult> results(std::int64_t run) const;
  [[nodiscard]] SeriesResult result(std::int64_t run, const std::string& name) const;
  // Digests of all that is there.
  [[nodiscard]] std::vector<std::string> digests() const;
  // What the last run before `run` found of a series by the same plan.
  [[nodiscard]] std::optional<SeriesResult> earlier(std::int64_t run, const std::string& name,
                                                    const std::string& plan) const;

  struct Database;  // hides SQLite
  [[nodiscard]] const Database& database() const { return *database_; }

 private:
  std::unique_ptr<Database> database_;
};

}  // namespace brace::inline v0
BRACE_API_END
