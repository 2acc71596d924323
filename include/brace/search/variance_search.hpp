// SPDX-License-Identifier: Apache-2.0
// Search over variance equations and shock laws: every combination fitted jointly with its mean
// equation, ranked by a criterion, judged by what it leaves behind.
//
//   brace::VarianceSearch found = brace::search_variances(returns);
//   std::cout << found;    found.best();   // the chosen Fit
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <iosfwd>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/search/search.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct VarianceSearchOptions {
  // Each part with the values that it holds. Mean equations; left out: a constant.
  std::vector<Holding<Mean>> means{};
  // Variance equations; left out: default_variances().
  std::vector<Holding<Variance>> variances{};
  // Laws; left out: all four.
  std::vector<Holding<Shocks>> laws{};

  Criterion criterion = Criterion::bic;

  // In candidates. After a stop those fitted are ranked; Error (stopped) where none was.
  Progress progress{};
};

// steady, arch e1..5, garch and igarch, gjr and egarch of one and two shock lags, aparch, twocomp,
// longmem, ewma: fifteen.
[[nodiscard]] std::vector<Variance> default_variances();

// arch_p is Li-Mak's where the variance is not steady.
struct VarianceCandidate : Scored {
  std::optional<double> persistence, sign_p, law_p;  // law_p: Anderson and Darling's
  double law_p_floor = 0;                            // the least that law_p can be

  // None of the four rejects at 5 % (a test that could not be made does not count).
  [[nodiscard]] bool clean() const;
};

struct VarianceSearch {
  Criterion criterion = Criterion::bic;
  Series series;
  // Best first; those with a root on the unit circle after the others, failed ones last.
  std::vector<VarianceCandidate> candidates;
  // Position of the best clean one, if it lies within 10 of the best of all; else 0.
  std::size_t chosen = 0;
  std::vector<Warning> warnings;

  // The chosen model fitted again, whole.
  [[nodiscard]] Fit best() const;
};

// All are scored by the conditional likelihood, so that they compare. Throws Error for too few
// observations. The result does not depend on the number of threads.
[[nodiscard]] VarianceSearch search_variances(const Series& series,
                                              const VarianceSearchOptions& options = {},
                                              const Executor& executor = serial());

// Verdict, the twelve best, what they leave behind.
std::ostream& operator<<(std::ostream& out, const VarianceSearch& search);

}  // namespace brace::inline v0
BRACE_API_END
