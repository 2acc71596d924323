// SPDX-License-Identifier: Apache-2.0
// Many series, each read, fitted, checked and forecast by one plan, into one results file: by the
// threads of this process, or by whoever else can be made a crew.
//
//   auto universe = brace::open_universe("market.csv", {.value = "price"}, "symbol");
//   brace::run_batch(*universe, plan, store, {}, brace::Executor::all_cores());
//
// Threads: a run belongs to the thread that asks for it, with its universe and its store; no number
// in the store depends on the number of threads, nor on the crew.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_set>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/outcome.hpp"
#include "brace/base/progress.hpp"
#include "brace/batch/plan.hpp"
#include "brace/batch/store.hpp"
#include "brace/io/universe.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct BatchOptions {
  // What was read and what was typed, for the table of runs.
  std::string source{}, command{};

  // Series that only have more rows than in the last run of the same plan keep its parameters where
  // those will still do (run_series); else each changed series is estimated.
  bool from_last = false;

  // In series; `all` is 0 where the universe does not know. After a stop what is done is kept, what
  // is under way is not, and the same call goes on from there.
  Progress progress{};
};

struct BatchRun {
  std::int64_t run = 0;
  std::size_t series = 0;     // of the run
  std::size_t computed = 0;   // by this call
  std::size_t as_before = 0;  // found in the store, with the same rows and plan
  bool stopped = false;
};

// One series on its way.
struct BatchJob {
  std::int64_t place = 0;
  std::string name;
  std::function<Series()> read;
  Outcome<Series> level;
  std::string digest, level_digest;
  bool known = false;                   // `digest` is in the store
  std::optional<SeriesResult> earlier;  // that may be kept, and the digest if it is
  std::string kept_digest;
  SeriesResult result;
};

// What a crew is given to do. Every job goes through next, prepare, compute (unless it is known
// then) and keep, in the order of their places in the last.
class BatchWork {
 public:
  BatchWork(Universe& universe, const BatchPlan& plan, ResultStore& store,
            const BatchOptions& options);

  [[nodiscard]] std::shared_ptr<BatchJob> next();  // none at the end, or after a stop
  void prepare(BatchJob& job);                     // from any thread
  void compute(BatchJob& job) const;               // from any thread
  void keep(BatchJob& job);                        // of the thread that calls next()

  [[nodiscard]] const BatchPlan& plan() const { return plan_; }
  [[nodiscard]] bool stopped() const { return options_.progress.stop.stop_requested(); }
  // Ends the run; of one that was interrupted where not all was kept.
  BatchRun finish(bool complete);

 private:
  Universe& universe_;
  const BatchPlan& plan_;
  ResultStore& store_;
  const BatchOptions& options_;
  std::string described_;
  std::mutex store_mutex_;
  std::unordered_set<std::string> known_;
  std::int64_t places_ = 0;
  BatchRun run_;
};

class Crew {
 public:
  virtual ~Crew() = default;
  // Until there is no job left. Whatever it throws ends the run, which may be gone on with.
  virtual void run(BatchWork& work) = 0;
};

// Throws Error: as the universe does for a file as a whole, (file_empty) where it has no series,
// (cannot_write) where the store takes no more; what is done is kept.
BatchRun run_batch(Universe& universe, const BatchPlan& plan, ResultStore& store,
                   const BatchOptions& options = {}, const Executor& executor = serial());
BatchRun run_batch(Universe& universe, const BatchPlan& plan, ResultStore& store,
                   const BatchOptions& options, Crew& crew);

// The work on a prepared job, in whatever process.
void compute(BatchJob& job, const BatchPlan& plan, const std::stop_token& stop = {});

// What a crew of other processes sends them and gets back: a job without its `read`.
[[nodiscard]] std::string bytes_of(const BatchJob& job);
[[nodiscard]] BatchJob job_from(const std::string& bytes);

}  // namespace brace::inline v0
BRACE_API_END
