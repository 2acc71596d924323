// SPDX-License-Identifier: Apache-2.0
// Executor over a oneTBB arena. Covered by tests/base/base_test.cpp.
#include "brace/base/executor.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>

#include "brace/base/error.hpp"

#if defined(__SANITIZE_THREAD__)
#include <sanitizer/tsan_interface.h>
#endif

namespace brace::inline v0 {
namespace {

// A thread that takes work sees what was written before it was given. The scheduler sees to that,
// but its library is compiled without the checks of the thread sanitizer, which would take each
// hand-over for a race.
#if defined(__SANITIZE_THREAD__)
void give(void* work) {
  __tsan_release(work);
}
void take(void* work) {
  __tsan_acquire(work);
}
#else
void give(void* /*work*/) {}
void take(void* /*work*/) {}
#endif

}  // namespace

struct Executor::Arena {
  explicit Arena(int threads) : pool(threads) {}
  tbb::task_arena pool;
};

Executor::Executor(int threads) {
  if (threads < 1)
    throw Error(ErrorCode::bad_option, fmt::format("threads = {}: must be 1 or more", threads));
  arena_ = std::make_unique<Arena>(threads);
}
Executor Executor::all_cores() {
  Executor out;
  out.arena_ = std::make_unique<Arena>(int{tbb::task_arena::automatic});
  return out;
}
Executor::~Executor() = default;
Executor::Executor(Executor&&) noexcept = default;
Executor& Executor::operator=(Executor&&) noexcept = default;

void Executor::for_each(std::size_t count, const std::function<void(std::size_t)>& body) const {
  if (arena_->pool.max_concurrency() == 1) {
    for (std::size_t i = 0; i < count; ++i) body(i);
    return;
  }
  char begun = 0, done = 0;
  give(&begun);
  arena_->pool.execute([&] {
    tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) {
      take(&begun);
      body(i);
      give(&done);
    });
  });
  take(&done);
}

void Executor::stream(std::size_t held, const std::function<Piece()>& next,
                      const std::function<void(void*)>& work,
                      const std::function<void(void*)>& keep) const {
  if (arena_->pool.max_concurrency() == 1) {
    while (const Piece piece = next()) {
      work(piece.get());
      keep(piece.get());
    }
    return;
  }
  using Mode = tbb::filter_mode;
  char read = 0, kept = 0;  // each of the serial ends goes on where another thread left it
  give(&read);
  give(&kept);
  arena_->pool.execute([&] {
    tbb::parallel_pipeline(
        std::max<std::size_t>(held, 1),
        tbb::make_filter<void, Piece>(Mode::serial_in_order, [&](tbb::flow_control& control) {
          take(&read);
          Piece piece = next();
          give(&read);
          give(piece.get());
          if (!piece) control.stop();
          return piece;
        }) & tbb::make_filter<Piece, Piece>(Mode::parallel, [&](Piece piece) {
          take(piece.get());
          work(piece.get());
          give(piece.get());
          return piece;
        }) & tbb::make_filter<Piece, void>(Mode::serial_in_order, [&](const Piece& piece) {
          take(piece.get());
          take(&kept);
          keep(piece.get());
          give(&kept);
        }));
  });
  take(&read);
  take(&kept);
}

int Executor::threads() const {
  return arena_->pool.max_concurrency();
}

const Executor& serial() {
  static const Executor one(1);
  return one;
}

}  // namespace brace::inline v0
