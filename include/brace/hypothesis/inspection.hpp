// SPDX-License-Identifier: Apache-2.0
// The first look at a series: moments, and the tests that decide what to do next.
//
//   std::cout << brace::inspect(returns);
#pragma once

#include <iosfwd>
#include <vector>

#include "brace/base/warning.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/series.hpp"

namespace brace {

struct Inspection {
  std::string name, unit, period;  // of the series
  Moments moments;
  std::vector<TestResult>
      tests;            // mean-zero, jarque-bera, ljung-box, ljung-box-robust, mcleod-li, arch-lm
  std::string reading;  // what the tests say, in a sentence
  std::vector<Warning> warnings;
};

// `lags` of the portmanteau and ARCH tests; 0 takes min(10, n/5). For a series that may be
// modelled, such as returns: on a level with a unit root every one of these tests rejects and says
// nothing.
[[nodiscard]] Inspection inspect(const Series& series, int lags = 0);

// What is doubtful about the data themselves, whatever is done with them: a level with a unit root
// (level-modelled), a flat or filled series (zero-returns-many). One pass unless r_1 > .9.
[[nodiscard]] std::vector<Warning> data_warnings(const Series& series);

std::ostream& operator<<(std::ostream& out, const Inspection& inspection);

}  // namespace brace
