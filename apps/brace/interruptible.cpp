// SPDX-License-Identifier: Apache-2.0
// A fit that may be interrupted at a terminal. Covered by tests/tool/terminal_test.cpp.
#include "interruptible.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <csignal>
#include <iostream>

#include "brace/base/text.hpp"

namespace brace::app {
namespace {

volatile std::sig_atomic_t interrupted = 0;

// The handler may do no more than this; the next pass over the data sees it. A second signal finds
// the handler that ends the program.
void (*ending)(int) = SIG_DFL;
void note(int signal) {
  interrupted = 1;
  std::signal(signal, ending);
}

// A fit that takes less is not spoken of; from then on a word each time.
constexpr std::chrono::milliseconds kQuiet{1000}, kBetween{250};

}  // namespace

Interruptible::Interruptible(Progress& progress, bool quiet) {
  if (quiet || ::isatty(STDERR_FILENO) == 0) return;
  active_ = true;
  interrupted = 0;
  progress.stop = stop_.get_token();
  progress.report = [this](std::size_t passes, std::size_t) { report(passes); };
  before_ = std::signal(SIGINT, note);
  ending = before_;
}

Interruptible::~Interruptible() {
  if (!active_) return;
  std::signal(SIGINT, before_);
  if (said_ != start_) std::clog << "\r\033[K" << std::flush;
}

void Interruptible::report(std::size_t passes) {
  if (interrupted != 0) stop_.request_stop();
  const Clock::time_point now = Clock::now();
  if (now - start_ < kQuiet || now - said_ < kBetween) return;
  said_ = now;
  std::clog << fmt::format(
                   "\rfitting: {} passes over the data, {:.0f} s; Ctrl-C keeps the best so far",
                   text::count(passes), std::chrono::duration<double>(now - start_).count())
            << std::flush;
}

}  // namespace brace::app
