// SPDX-License-Identifier: Apache-2.0
// TestResult: what every hypothesis test in Brace returns, with its null in words so that no
// p-value can be read backwards.
//
//   brace::TestResult test = brace::hypothesis::kpss(log_level);
//   std::cout << test;        // null, statistic, p-value, reading
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/date.hpp"
#include "brace/laws/simulated.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct CriticalValues {
  double at_1, at_5, at_10;  // percent
};

struct TestResult {
  std::string test;     // id, such as "adf" (docs/json.md lists them all)
  std::string variant;  // the form of the statistic, such as "t" or "level"
  std::string null;     // the null hypothesis in words
  double statistic = 0;
  std::optional<double> p_value;  // probability, under the null, of a statistic at least as extreme
  std::optional<double>
      p_floor;  // the law is verified to here: p_value equal to it means "smaller"
  std::vector<double> dof;
  std::optional<int> lags;
  std::optional<int> bandwidth;
  std::size_t observations = 0;  // rows used
  std::optional<CriticalValues> critical;
  std::optional<Deterministic> deterministic;
  std::string reading;  // what this outcome means, in a sentence

  // A break found by the test: the row of the last observation before it, and its date.
  struct Break {
    std::size_t row;
    std::optional<Timestamp> date;
  };
  std::optional<Break> break_at;
  std::optional<Break> second_break_at;

  // Whether the null is rejected at 5 %; empty where the test has no p-value.
  [[nodiscard]] std::optional<bool> rejects() const;
};

// Two lines: id, statistic and p-value; then null and reading.
std::ostream& operator<<(std::ostream& out, const TestResult& test);

}  // namespace brace::inline v0
BRACE_API_END
