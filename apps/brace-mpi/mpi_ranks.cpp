// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/batch_test.cpp.
#include "mpi_ranks.hpp"

#include <mpi.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <thread>

namespace brace::app {
namespace {

enum Tag { kJob = 1, kResult = 2, kEnd = 3 };

// Jobs at a rank at once: one that it computes, and the next.
constexpr int kAtOnce = 2;
// Jobs that may be done and wait for a slower one before them, for each rank.
constexpr std::int64_t kWaiting = 16;
// A rank without work looks again after this long.
constexpr std::chrono::microseconds kPause{100};

std::string take(const MPI_Status& found) {
  int count = 0;
  MPI_Get_count(&found, MPI_BYTE, &count);
  std::string bytes(static_cast<std::size_t>(count), '\0');
  MPI_Recv(bytes.data(), count, MPI_BYTE, found.MPI_SOURCE, found.MPI_TAG, MPI_COMM_WORLD,
           MPI_STATUS_IGNORE);
  return bytes;
}

}  // namespace

struct MpiRanks::Sent {
  std::string bytes;
  MPI_Request request = MPI_REQUEST_NULL;
};

MpiRanks::MpiRanks(int& argc, char**& argv) {
  MPI_Init(&argc, &argv);
  MPI_Comm_rank(MPI_COMM_WORLD, &rank_);
  MPI_Comm_size(MPI_COMM_WORLD, &size_);
  under_way_.assign(static_cast<std::size_t>(size_), 0);
}

MpiRanks::~MpiRanks() {
  if (leads()) {
    // What was sent comes back before the end is told, also after an error.
    while (std::any_of(under_way_.begin(), under_way_.end(), [](int n) { return n > 0; }))
      if (!receive(nullptr)) std::this_thread::sleep_for(kPause);
    for (int to = 1; to < size_; ++to) send(to, kEnd, "");
    while (!sent_.empty()) {
      forget_what_arrived();
      std::this_thread::sleep_for(kPause);
    }
  }
  MPI_Finalize();
}

void MpiRanks::send(int to, int tag, std::string bytes) {
  auto& one = sent_.emplace_back(std::make_unique<Sent>());
  one->bytes = std::move(bytes);
  MPI_Isend(one->bytes.data(), static_cast<int>(one->bytes.size()), MPI_BYTE, to, tag,
            MPI_COMM_WORLD, &one->request);
  // MPI_Test in forget_what_arrived() is its wait, which the checker does not know.
}  // NOLINT(clang-analyzer-optin.mpi.MPI-Checker)

void MpiRanks::forget_what_arrived() {
  std::erase_if(sent_, [](const std::unique_ptr<Sent>& one) {
    int arrived = 0;
    MPI_Test(&one->request, &arrived, MPI_STATUS_IGNORE);
    return arrived != 0;
  });
}

// One result, if one is there. Without `work` it is let go.
bool MpiRanks::receive(BatchWork* work) {
  int there = 0;
  MPI_Status found;
  MPI_Iprobe(MPI_ANY_SOURCE, kResult, MPI_COMM_WORLD, &there, &found);
  if (there == 0) return false;
  const std::string bytes = take(found);
  --under_way_[static_cast<std::size_t>(found.MPI_SOURCE)];
  if (!work) return true;
  BatchJob done = job_from(bytes);
  BatchJob& job = *jobs_.at(done.place);
  job.result = std::move(done.result);
  ready_[done.place] = true;
  return true;
}

int MpiRanks::idlest() const {
  return static_cast<int>(std::min_element(under_way_.begin() + 1, under_way_.end()) -
                          under_way_.begin());
}

void MpiRanks::run(BatchWork& work) {
  std::int64_t kept = 0, taken = 0;
  bool at_end = false;
  const std::int64_t most = kWaiting * (size_ - 1);
  while (true) {
    bool idle = !receive(&work);
    forget_what_arrived();
    // In the order of their places.
    for (auto next = ready_.find(kept + 1); next != ready_.end(); next = ready_.find(kept + 1)) {
      work.keep(*jobs_.at(++kept));
      jobs_.erase(kept);
      ready_.erase(next);
      idle = false;
    }
    const int to = idlest();
    if (!at_end && under_way_[static_cast<std::size_t>(to)] < kAtOnce && taken - kept < most) {
      const std::shared_ptr<BatchJob> job = work.next();
      at_end = !job;
      if (job) {
        work.prepare(*job);
        taken = job->place;
        jobs_[taken] = job;
        if (job->known || work.stopped()) {
          ready_[taken] = true;
        } else {
          send(to, kJob, bytes_of(*job));
          ++under_way_[static_cast<std::size_t>(to)];
          job->level = Outcome<Series>();
        }
      }
      idle = false;
    }
    if (at_end && kept == taken) return;
    if (idle) std::this_thread::sleep_for(kPause);
  }
}

void MpiRanks::serve(const BatchPlan& plan) {
  // The leader decides when a run ends; a launcher sends its signals to all.
  std::signal(SIGINT, SIG_IGN);
  std::signal(SIGTERM, SIG_IGN);
  while (true) {
    int there = 0;
    MPI_Status found;
    MPI_Iprobe(0, MPI_ANY_TAG, MPI_COMM_WORLD, &there, &found);
    if (there == 0) {
      std::this_thread::sleep_for(kPause);
      continue;
    }
    const std::string bytes = take(found);
    if (found.MPI_TAG == kEnd) return;
    BatchJob job = job_from(bytes);
    compute(job, plan);
    job.earlier.reset();
    const std::string back = bytes_of(job);
    MPI_Send(back.data(), static_cast<int>(back.size()), MPI_BYTE, 0, kResult, MPI_COMM_WORLD);
  }
}

}  // namespace brace::app
