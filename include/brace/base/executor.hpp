// SPDX-License-Identifier: Apache-2.0
// The Executor: who runs independent pieces of work. Every call that may use threads takes one as
// its last argument.
//
//   brace::Executor two(2);
//   two.for_each(jobs.size(), [&](std::size_t i) { results[i] = run(jobs[i]); });
//
// Threads: one Executor may serve calls from several threads at once.
#pragma once

#include <cstddef>
#include <functional>
#include <memory>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Runs bodies 0 .. count-1, in any order and perhaps at once. Whoever uses it stores results by
// index and sums them in index order, so that no result depends on the number of threads.
class Executor {
 public:
  // With one thread the caller's own does the work. Throws Error (bad_option) below 1.
  explicit Executor(int threads = 1);
  // As many threads as the machine has.
  [[nodiscard]] static Executor all_cores();
  ~Executor();
  Executor(Executor&&) noexcept;
  Executor& operator=(Executor&&) noexcept;

  // Returns when all bodies have run. If one throws, the first exception caught is thrown here.
  void for_each(std::size_t count, const std::function<void(std::size_t)>& body) const;

  // A stream of pieces whose number nobody knows: `next` gives them one at a time until it gives
  // none, `work` runs on several at once, `keep` takes them in their order, one at a time. Not more
  // than `held` pieces are there at once. An exception of any of the three ends the stream and is
  // thrown here.
  using Piece = std::shared_ptr<void>;
  void stream(std::size_t held, const std::function<Piece()>& next,
              const std::function<void(void*)>& work, const std::function<void(void*)>& keep) const;

  [[nodiscard]] int threads() const;

 private:
  struct Arena;  // hides oneTBB
  std::unique_ptr<Arena> arena_;
};

// The caller's own thread: what every call that could use more takes unless it is given another.
[[nodiscard]] const Executor& serial();

}  // namespace brace::inline v0
BRACE_API_END
