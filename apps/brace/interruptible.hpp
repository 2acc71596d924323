// SPDX-License-Identifier: Apache-2.0
// While it lives a long fit says at a terminal what it does, and the first Ctrl-C ends it with the
// best so far; the second ends the program. Elsewhere than at a terminal it does nothing.
//
//   const Interruptible interruptible(options.progress, quiet);
//   Fit fit = estimate(model, series, options);
#pragma once

#include <chrono>
#include <stop_token>

#include "brace/base/progress.hpp"

namespace brace::app {

class Interruptible {
 public:
  Interruptible(Progress& progress, bool quiet);
  ~Interruptible();
  Interruptible(const Interruptible&) = delete;
  Interruptible& operator=(const Interruptible&) = delete;

 private:
  void report(std::size_t passes);
  using Clock = std::chrono::steady_clock;
  std::stop_source stop_;
  Clock::time_point start_ = Clock::now(), said_ = start_;
  void (*before_)(int) = nullptr;
  bool active_ = false;
};

}  // namespace brace::app
