// SPDX-License-Identifier: Apache-2.0
// Executor over a oneTBB arena. Covered by tests/base/base_test.cpp.
#include "brace/base/executor.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include "brace/base/error.hpp"

namespace brace::inline v0 {

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
  arena_->pool.execute([&] { tbb::parallel_for(std::size_t{0}, count, body); });
}

int Executor::threads() const {
  return arena_->pool.max_concurrency();
}

const Executor& serial() {
  static const Executor one(1);
  return one;
}

}  // namespace brace::inline v0
