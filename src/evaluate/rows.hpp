// SPDX-License-Identifier: Apache-2.0
// What the tests of this folder ask of their rows.
#pragma once

#include <fmt/format.h>

#include <cstddef>
#include <string>

#include "brace/base/error.hpp"
#include "brace/hypothesis/test_result.hpp"

namespace brace::inline v0 {

inline constexpr std::size_t kFewestRows = 10;

inline void require_rows(const char* test, std::size_t rows, std::size_t fewest = kFewestRows) {
  if (rows < fewest)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("{}: {} rows; at least {} are needed", test, rows, fewest));
}

inline void require_same(const char* test, std::size_t a, std::size_t b) {
  if (a != b)
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: lists of {} and {} rows; give one a row", test, a, b));
}

inline void require_share(const char* test, double p) {
  if (!(p > 0 && p < 1))
    throw Error(ErrorCode::bad_option,
                fmt::format("{}: the share lies between 0 and 1, not at {}", test, p));
}

inline TestResult named_test(std::string test, std::string variant, std::string null,
                             std::size_t rows) {
  TestResult out;
  out.test = std::move(test);
  out.variant = std::move(variant);
  out.null = std::move(null);
  out.observations = rows;
  return out;
}

}  // namespace brace::inline v0
