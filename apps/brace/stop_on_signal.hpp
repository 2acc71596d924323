// SPDX-License-Identifier: Apache-2.0
// While it lives the first SIGINT or SIGTERM asks for a stop; the second ends the program.
//
//   StopOnSignal stop;
//   options.progress.stop = stop.token();
#pragma once

#include <stop_token>
#include <thread>

namespace brace::app {

class StopOnSignal {
 public:
  StopOnSignal();
  ~StopOnSignal();
  StopOnSignal(const StopOnSignal&) = delete;
  StopOnSignal& operator=(const StopOnSignal&) = delete;

  [[nodiscard]] std::stop_token token() const { return stop_.get_token(); }

 private:
  std::stop_source stop_;
  void (*interrupt_before_)(int);
  void (*terminate_before_)(int);
  std::jthread watch_;  // a handler may not ask for a stop itself
};

}  // namespace brace::app
