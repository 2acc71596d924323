// SPDX-License-Identifier: Apache-2.0
// Scores of whole forecast distributions.
//
//   double s = brace::crps(paths, outcome);            // of simulated values
//   brace::DensityScore d = brace::score_density(ahead.next, outcome);
//   brace::BerkowitzTest b = brace::berkowitz(transforms);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <span>

#include "brace/base/api.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/test_result.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Continuous ranked probability score, smaller is better (Gneiting and Raftery 2007, equation 21):
// of a normal forecast in closed form, and of equally likely values, which are sorted in place.
[[nodiscard]] double crps_normal(double actual, double mean, double sd);
// The same of a Student law of that mean and standard deviation with nu > 2 degrees of freedom:
// E|X - y| less half of the law's mean difference, both in closed form.
[[nodiscard]] double crps_student(double actual, double mean, double sd, double nu);
[[nodiscard]] double crps(std::span<double> values, double actual);

// A forecast of the next row held against it: F(actual) and ln f(actual) of the mixture, and its
// continuous ranked probability score: in closed form for a single normal or Student law, else by
// some hundred of its quantiles.
struct DensityScore {
  double transform = 0, log_score = 0, crps = 0;
};
[[nodiscard]] DensityScore score_density(const NextRow& next, double actual);

// Null: the transforms are independent and uniform, so that their normal quantiles are N(0, 1)
// without memory. Berkowitz (2001, section 2): a normal AR(1) by exact likelihood; `all`: mean 0,
// variance 1 and no memory, chi2(3); `memory` alone, chi2(1). Throws Error (too_few_observations)
// for fewer than 10.
struct BerkowitzTest {
  double mean = 0, variance = 0, ar1 = 0, log_likelihood = 0;
  TestResult all, memory;
};
[[nodiscard]] BerkowitzTest berkowitz(std::span<const double> transforms);

}  // namespace brace::inline v0
BRACE_API_END
