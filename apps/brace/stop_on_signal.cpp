// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/batch_test.cpp.
#include "stop_on_signal.hpp"

#include <chrono>
#include <csignal>

namespace brace::app {
namespace {

volatile std::sig_atomic_t asked = 0;
void (*ending)(int) = SIG_DFL;

void note(int signal) {
  asked = 1;
  std::signal(signal, ending);
}

}  // namespace

StopOnSignal::StopOnSignal() {
  asked = 0;
  interrupt_before_ = std::signal(SIGINT, note);
  terminate_before_ = std::signal(SIGTERM, note);
  ending = interrupt_before_;
  watch_ = std::jthread([this](const std::stop_token& end) {
    while (!end.stop_requested()) {
      if (asked != 0) stop_.request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
  });
}

StopOnSignal::~StopOnSignal() {
  std::signal(SIGINT, interrupt_before_);
  std::signal(SIGTERM, terminate_before_);
}

}  // namespace brace::app
