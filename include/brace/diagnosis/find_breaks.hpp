// SPDX-License-Identifier: Apache-2.0
// All kinds of break in one look: mean, variance, parameters; and what they do to persistence.
//
//   auto report = brace::find_breaks(returns);
//   std::cout << report;          // verdict, tests, dates with intervals, segments
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/warning.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/hypothesis/variance_breaks.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

enum class BreakKind { mean, variance, parameters };
[[nodiscard]] std::string_view to_string(BreakKind kind);

struct FindBreaksOptions {
  std::string model{};  // whose constancy is tested; empty: first_model(), since memory that the
                        // model leaves in the mean reads as parameters that change
  double significance = 0.05;   // of the verdict on all kinds together (Holm 1979)
  std::optional<int> number{};  // this many breaks in the mean, whatever the tests say
  std::optional<int>
      bandwidth{};  // Bartlett of this bandwidth instead of the AR spectrum, for comparison
};

struct BreakReport {
  std::string of, unit;        // unit: "percent a day"
  double significance = 0.05;  // of the verdict
  // bai-perron (UDmax) of the mean; cumulative-squares-robust and variance-break of the variance;
  // nyblom (joint) of the parameters; then tests that inform.
  std::vector<TestResult> tests;

  // Of the kinds, adjusted for one another (Holm 1979); absent where the model has no usable fit.
  // The variance counts the smaller p of its two tests, doubled.
  struct Adjusted {
    double mean = 1, variance = 1;
    std::optional<double> parameters;
  } holm;

  struct Found {
    BreakKind kind;
    hypothesis::BreakDate at;
    std::string term{};  // of the model line that takes it up; empty without dates
  };
  std::vector<Found> breaks;  // in order of time

  struct Segment {
    std::size_t first = 0, last = 0;  // rows, of the series without gaps
    std::optional<Timestamp> first_date, last_date;
    std::size_t n = 0;
    double mean = 0, sd = 0;
    std::optional<double> persistence;  // of the model on the segment; absent below 250 values
  };
  // One where there is no break; none between breaks of two kinds within 100 rows, which are one
  // change seen twice.
  std::vector<Segment> segments;
  std::optional<double> persistence;         // of the model on the whole
  std::optional<double> persistence_within;  // of the segments, weighted by their length
  std::string model;

  std::vector<std::string> terms;  // of the breaks
  // First date after the last break; absent where that date may lie almost anywhere, or too few
  // rows follow.
  std::optional<Timestamp> from;
  std::string reading;
  std::vector<std::string> advice;
  std::vector<Warning> warnings;
};

// Mean: Bai and Perron with a long-run variance. Variance: cumulated squares with an AR spectrum,
// iterated, and the likelihood-ratio scan of the model's variance equation, since the first loses
// its power where a change is large (it swells the spectrum) and the second trusts the model.
// Parameters: Nyblom's joint test, dated by the scan where no other break explains it. Where the
// mean breaks, its segments' means are taken out before the rest. A kind is reported where its
// Holm-adjusted p is below `significance`. At least 250 values, else Error.
[[nodiscard]] BreakReport find_breaks(const Series& series, const FindBreaksOptions& options = {},
                                      const Executor& executor = serial());

std::ostream& operator<<(std::ostream& out, const BreakReport& report);

}  // namespace brace::inline v0
BRACE_API_END
