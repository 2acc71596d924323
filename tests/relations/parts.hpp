// SPDX-License-Identifier: Apache-2.0
// The random series of the relations, a part of them a test: 200 in all, 20,000 with
// BRACE_SERIES=2500.
//
//   each([](const MadeRows& rows, std::uint64_t number) { ... });
#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <functional>

#include "support/dressed.hpp"

namespace brace::test {

inline constexpr std::uint64_t kSeed = 2028, kParts = 8;

inline std::uint64_t series_in_a_part() {
  const char* asked = std::getenv("BRACE_SERIES");
  return asked ? std::strtoull(asked, nullptr, 10) : 25;
}

// Relations that take many fits are tried on one series in so many.
inline bool has_turn(std::uint64_t number, std::uint64_t one_in) {
  return number % one_in == 0;
}

class OnEachSeries : public testing::TestWithParam<std::uint64_t> {
 protected:
  static void each(const std::function<void(const MadeRows&, std::uint64_t)>& test) {
    const std::uint64_t first = GetParam() * series_in_a_part();
    for (std::uint64_t s = first; s < first + series_in_a_part(); ++s) {
      const MadeRows rows = made_rows(kSeed, s);
      SCOPED_TRACE(fmt::format("series {} of seed {}: {}", s, kSeed, rows.kind));
      test(rows, s);
      if (HasFatalFailure()) return;
    }
  }
};

}  // namespace brace::test
