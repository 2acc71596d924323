// SPDX-License-Identifier: Apache-2.0
// TestResult's decision and printing. Covered by tests/hypothesis/hypothesis_test.cpp.
#include "brace/hypothesis/test_result.hpp"

#include <fmt/format.h>

#include <ostream>

#include "brace/base/text.hpp"

namespace brace::inline v0 {

std::optional<bool> TestResult::rejects() const {
  return p_value ? std::optional(*p_value < 0.05) : std::nullopt;
}

std::ostream& operator<<(std::ostream& out, const TestResult& test) {
  return out << fmt::format("{} {}  {}  p {}\n  null: {}; {}\n", test.test, test.variant,
                            text::significant(test.statistic, 4),
                            text::p_value(test.p_value, test.p_floor), test.null, test.reading);
}

}  // namespace brace::inline v0
