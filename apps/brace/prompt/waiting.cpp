// SPDX-License-Identifier: Apache-2.0
// Covered by tests/prompt/help_test.cpp.
#include "prompt/waiting.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <iostream>

namespace brace::app {
namespace {

constexpr std::chrono::milliseconds kQuiet{1000}, kBetween{250};

// Past the streams, which tell of what others write.
void write_to_terminal(const std::string& text) {
  if (::write(STDERR_FILENO, text.data(), text.size()) < 0) return;  // a word that may be lost
}

}  // namespace

Waiting::Ear::Ear(std::ostream& stream, Waiting& of)
    : stream_(stream), target_(of.wanted_ ? stream.rdbuf(this) : nullptr), of_(of) {}

Waiting::Ear::~Ear() {
  if (target_) stream_.rdbuf(target_);
}

Waiting::Ear::int_type Waiting::Ear::overflow(int_type c) {
  of_.someone_writes();
  return traits_type::eq_int_type(c, traits_type::eof())
             ? traits_type::not_eof(c)
             : target_->sputc(traits_type::to_char_type(c));
}

std::streamsize Waiting::Ear::xsputn(const char* text, std::streamsize count) {
  of_.someone_writes();
  return target_->sputn(text, count);
}

int Waiting::Ear::sync() {
  return target_->pubsync();
}

Waiting::Waiting(std::string what, bool wanted)
    : what_(std::move(what)),
      wanted_(wanted && ::isatty(STDERR_FILENO) != 0),
      out_(std::cout, *this),
      log_(std::clog, *this),
      errors_(std::cerr, *this) {
  if (wanted_) watch_ = std::thread([this] { watch(); });
}

Waiting::~Waiting() {
  if (!wanted_) return;
  {
    const std::lock_guard lock(mutex_);
    over_ = true;
  }
  wake_.notify_all();
  watch_.join();
  someone_writes();
}

void Waiting::someone_writes() {
  const std::lock_guard lock(mutex_);
  if (shown_) write_to_terminal("\r\033[K");
  shown_ = false;
  last_ = Clock::now();
}

void Waiting::watch() {
  std::unique_lock lock(mutex_);
  while (!wake_.wait_for(lock, kBetween, [this] { return over_; })) {
    const Clock::time_point now = Clock::now();
    if (now - last_ < kQuiet) continue;
    shown_ = true;
    write_to_terminal(
        fmt::format("\r{}: {:.0f} s", what_, std::chrono::duration<double>(now - start_).count()));
  }
}

}  // namespace brace::app
