// SPDX-License-Identifier: Apache-2.0
// A word on the terminal while nothing else is said for more than a second: "forecast: 3 s". It
// goes as soon as anything is written to standard output or standard error.
//
//   const Waiting waiting("forecast", wanted);     // until it goes
#pragma once

#include <chrono>
#include <condition_variable>
#include <mutex>
#include <ostream>
#include <streambuf>
#include <string>
#include <thread>

namespace brace::app {

class Waiting {
 public:
  // Does nothing unless `wanted` and standard error is a terminal.
  Waiting(std::string what, bool wanted);
  ~Waiting();
  Waiting(const Waiting&) = delete;
  Waiting& operator=(const Waiting&) = delete;

 private:
  using Clock = std::chrono::steady_clock;

  // Tells of every write to a stream, and hands it on.
  class Ear : private std::streambuf {
   public:
    Ear(std::ostream& stream, Waiting& of);
    ~Ear() override;
    Ear(const Ear&) = delete;
    Ear& operator=(const Ear&) = delete;

   private:
    int_type overflow(int_type c) override;
    std::streamsize xsputn(const char* text, std::streamsize count) override;
    int sync() override;

    std::ostream& stream_;
    std::streambuf* target_;
    Waiting& of_;
  };

  void someone_writes();
  void watch();

  std::string what_;
  bool wanted_, shown_ = false, over_ = false;
  Clock::time_point start_ = Clock::now(), last_ = start_;
  std::mutex mutex_;
  std::condition_variable wake_;
  Ear out_, log_, errors_;
  std::thread watch_;  // last: it uses all of the above
};

}  // namespace brace::app
