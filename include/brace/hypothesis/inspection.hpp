// SPDX-License-Identifier: Apache-2.0
// The first look at a series: what it is like, the tests that decide what to do next, and advice.
//
//   std::cout << brace::inspect(returns);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/warning.hpp"
#include "brace/hypothesis/memory.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/tails.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/series/range_volatility.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct InspectOptions {
  // Lags of the portmanteau and ARCH tests; left out: min(10, n/5).
  std::optional<int> lags{};
  // Further lags at which Ljung-Box is made, plain and robust.
  std::vector<int> at{};
  // Open, high, low and close of the series' periods, for range-based volatility.
  std::optional<Bars> bars{};
  // Extreme values listed.
  std::size_t extremes = 6;
};

struct Inspection {
  std::string name, period;  // of the series
  std::optional<Unit> unit;  // and its unit
  Moments moments;
  // mean-zero, symmetry, kurtosis, jarque-bera, ljung-box, ljung-box-robust, mcleod-li, arch-lm
  std::vector<TestResult> tests;
  int lags = 0;  // of those tests
  // P-values of the same null up to each number of lags.
  struct WhitenessRow {
    int lags = 0;
    std::optional<double> values, values_robust, squares;
  };
  std::vector<WhitenessRow> whiteness;  // every number of lags from 1 to max(30, lags), or n/4
  std::vector<ExtremeRow> extremes;
  std::vector<MemoryEstimate>
      memory;                    // of the values and of their sizes |y|; empty below 50 values
  std::vector<TailIndex> tails;  // both, left, right; empty below 100 values
  struct RangeVolatility {
    RangeEstimator estimator;
    double sd;  // percent a period
  };
  std::vector<RangeVolatility> range_volatility;  // empty without bars
  std::optional<double> leverage_p;  // null: returns say nothing about the squares that follow
  std::string reading;               // what the tests say, in a sentence
  std::vector<std::string> advice;   // what to do next and why, a sentence each
  std::vector<Warning> warnings;
};

// For a series that may be modelled, such as returns: on a level with a unit root every one of
// these tests rejects and says nothing, and the advice says so.
[[nodiscard]] Inspection inspect(const Series& series, const InspectOptions& options = {});

// The test of that id. Throws Error (bad_option) where there is none.
[[nodiscard]] const TestResult& test_of(const std::vector<TestResult>& tests, std::string_view id);

// Whether values linger where they are, as levels do and returns do not: by their kind, or, where
// nothing is known of it, by being at least half like the one before (r_1 >= .5). Around which mean
// does not matter.
[[nodiscard]] bool lingers(const Series& series);

// Whether values are told from zero, as returns are: by their kind, or, where nothing is known of
// it, by lying on both sides of zero without lingering there.
[[nodiscard]] bool counts_from_zero(const Series& series);

// What is doubtful about the data themselves, whatever is done with them: a level with a unit root
// (level-modelled), a flat or filled series (zero-returns-many), rows that outweigh all others
// (few-rows-decide). Few passes unless r_1 > .9.
[[nodiscard]] std::vector<Warning> data_warnings(const Series& series);

std::ostream& operator<<(std::ostream& out, const Inspection& inspection);

}  // namespace brace::inline v0
BRACE_API_END
