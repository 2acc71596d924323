// SPDX-License-Identifier: Apache-2.0
// How far a long call is, and a way to stop it; every option set of a long call has one.
//
//   std::stop_source stop;
//   auto fits = brace::fit_many(jobs, {.report = show, .stop = stop.get_token()}, executor);
//
// Threads: `report` is never called from two threads at once; a stop may be asked from any.
#pragma once

#include <cstddef>
#include <functional>
#include <stop_token>

namespace brace::inline v0 {

struct Progress {
  // Called when `done` pieces of `all` are, from whichever thread did the last one but never from
  // two at once.
  std::function<void(std::size_t done, std::size_t all)> report{};
  // Pieces that have not begun when a stop is asked for are left out; the call returns what was
  // done and its documentation says what the rest is.
  std::stop_token stop{};
};

}  // namespace brace::inline v0
