// SPDX-License-Identifier: Apache-2.0
// Counts the pieces of a long call for its Progress, from any thread.
//
//   ProgressCounter count(options.progress, jobs.size());
//   if (!count.stopped()) { run(job); count.add(); }
#pragma once

#include <mutex>

#include "brace/base/progress.hpp"

namespace brace::inline v0 {

class ProgressCounter {
 public:
  // `progress` must outlive the counter.
  ProgressCounter(const Progress& progress, std::size_t all) : progress_(progress), all_(all) {}

  [[nodiscard]] bool stopped() const { return progress_.stop.stop_requested(); }

  void add(std::size_t pieces = 1) {
    if (!progress_.report) return;
    const std::lock_guard<std::mutex> lock(mutex_);
    done_ += pieces;
    progress_.report(done_, all_);
  }

 private:
  const Progress& progress_;
  std::size_t all_, done_ = 0;
  std::mutex mutex_;
};

}  // namespace brace::inline v0
