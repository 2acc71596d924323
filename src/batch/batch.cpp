// SPDX-License-Identifier: Apache-2.0
// A run from its first series to its last. Covered by tests/batch/batch_test.cpp.
#include "brace/batch/batch.hpp"

#include <algorithm>
#include <filesystem>

#include "brace/base/digest.hpp"
#include "brace/base/error.hpp"

namespace brace::inline v0 {
namespace {

// Series held at once for each thread: enough that none waits for a slow one before it.
constexpr std::size_t kHeldEach = 16;

class Threads final : public Crew {
 public:
  explicit Threads(const Executor& executor) : executor_(executor) {}

  void run(BatchWork& work) override {
    const auto job = [](void* piece) -> BatchJob& { return *static_cast<BatchJob*>(piece); };
    executor_.stream(
        kHeldEach * static_cast<std::size_t>(executor_.threads()), [&] { return work.next(); },
        [&](void* piece) {
          work.prepare(job(piece));
          if (!job(piece).known) work.compute(job(piece));
        },
        [&](void* piece) { work.keep(job(piece)); });
  }

 private:
  const Executor& executor_;
};

}  // namespace

BatchWork::BatchWork(Universe& universe, const BatchPlan& plan, ResultStore& store,
                     const BatchOptions& options)
    : universe_(universe),
      plan_(plan),
      store_(store),
      options_(options),
      described_(v0::described(plan)) {
  if (!plan_.save_to.empty()) {
    std::error_code error;
    std::filesystem::create_directories(plan_.save_to, error);
    if (error)
      throw Error(ErrorCode::cannot_write, plan_.save_to + ": the folder cannot be made (" +
                                               error.message() + "); name another");
  }
  for (std::string& digest : store_.digests()) known_.insert(std::move(digest));
  run_.run = store_.begin_run(options_.source, described_, options_.command);
}

std::shared_ptr<BatchJob> BatchWork::next() {
  if (stopped()) return nullptr;
  std::optional<SeriesFound> found = universe_.next();
  if (!found) return nullptr;
  auto job = std::make_shared<BatchJob>();
  job->place = ++places_;
  job->name = std::move(found->name);
  job->read = std::move(found->read);
  return job;
}

void BatchWork::prepare(BatchJob& job) {
  if (stopped()) return;
  try {
    job.level = job.read();
  } catch (const Error& error) {
    job.level = error;
  } catch (const std::exception& error) {
    job.level = Error(ErrorCode::file_missing, error.what());
  }
  job.read = {};
  if (!job.level) {
    job.digest = Digest().add(described_).add(job.name).add(job.level.error().what()).text();
  } else {
    job.level_digest = digest_of_rows(*job.level, job.level->size());
    job.digest = digest_of_work(job.name, *job.level, job.level_digest, described_);
  }
  const std::lock_guard lock(store_mutex_);
  const bool saved =
      plan_.save_to.empty() || std::filesystem::exists(saved_path(plan_.save_to, job.name));
  job.known = saved && known_.contains(job.digest);
  if (job.known || !options_.from_last || !job.level) return;
  std::optional<SeriesResult> earlier = store_.earlier(run_.run, job.name, described_);
  if (!earlier) return;
  const auto rows = static_cast<std::size_t>(earlier->series.level_rows);
  if (rows > job.level->size() || digest_of_rows(*job.level, rows) != earlier->series.level_digest)
    return;
  if (rows == job.level->size()) {  // nothing has come since
    job.known = saved;
    job.digest = earlier->series.digest;
    return;
  }
  job.kept_digest = Digest().add(job.digest).add("kept").add(earlier->series.digest).text();
  if (saved && known_.contains(job.kept_digest)) {
    job.known = true;
    job.digest = job.kept_digest;
    return;
  }
  job.earlier = std::move(earlier);
}

void compute(BatchJob& job, const BatchPlan& plan, const std::stop_token& stop) {
  job.result = run_series(job.name, job.level, plan, job.earlier, stop);
  const bool kept = std::any_of(job.result.fits.begin(), job.result.fits.end(),
                                [](const FitRow& f) { return f.how == "kept"; });
  job.result.series.digest = kept ? job.kept_digest : job.digest;
  job.result.series.level_digest = job.level_digest;
  job.level = Outcome<Series>();  // as much memory as is needed, and no longer
}

void BatchWork::compute(BatchJob& job) const {
  if (!stopped()) v0::compute(job, plan_, options_.progress.stop);
}

void BatchWork::keep(BatchJob& job) {
  if (stopped()) return;  // it may have been cut short
  const std::lock_guard lock(store_mutex_);
  if (job.known) {
    store_.link(run_.run, job.place, job.name, job.digest);
    ++run_.as_before;
  } else {
    store_.add(run_.run, job.place, job.result);
    known_.insert(job.result.series.digest);
    ++run_.computed;
  }
  ++run_.series;
  if (options_.progress.report) options_.progress.report(run_.series, universe_.size().value_or(0));
}

BatchRun BatchWork::finish(bool complete) {
  run_.stopped = stopped();
  const bool whole = complete && !run_.stopped;
  const bool empty = whole && run_.series == 0;
  store_.end_run(run_.run, whole && !empty);
  if (empty) throw Error(ErrorCode::file_empty, options_.source + ": holds no series");
  return run_;
}

BatchRun run_batch(Universe& universe, const BatchPlan& plan, ResultStore& store,
                   const BatchOptions& options, Crew& crew) {
  BatchWork work(universe, plan, store, options);
  try {
    crew.run(work);
  } catch (...) {
    try {
      (void)work.finish(false);
    } catch (const Error&) {  // a store that takes no more: the first error is told
    }
    throw;
  }
  return work.finish(true);
}

BatchRun run_batch(Universe& universe, const BatchPlan& plan, ResultStore& store,
                   const BatchOptions& options, const Executor& executor) {
  Threads threads(executor);
  return run_batch(universe, plan, store, options, threads);
}

}  // namespace brace::inline v0
