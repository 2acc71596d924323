// SPDX-License-Identifier: Apache-2.0
// Parameters by the likelihood itself, where the normal law of the estimates does not serve: on few
// rows, on a bound, and next to one.
//
//   if (auto sample = sample_likelihood(fit, seed, executor))  // null where the normal law serves
//     sample->draw(stream, part, theta);
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

#include "brace/base/executor.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/maths/random.hpp"

namespace brace::inline v0 {

// Below so many rows the normal law of the estimates is too rough for the intervals of a volatility
// (docs/coverage.md), and parameters are drawn from the likelihood itself.
inline constexpr std::size_t kFewRows = 500;
// The same where more than this share of draws from the normal law breaks a rule of the model: to
// draw them again would cut the law off.
inline constexpr double kManyRefused = 0.05;

// Parameters by the likelihood times the prior of Jeffreys (1946), the root of the determinant of
// the information, which says nothing of its own, does not depend on the coordinates, and takes the
// edge off places where a parameter drops out (beta where alpha is 0). The information is that of
// the data at hand, which does not grow with persistence p as an expected one does; what it lacks
// is the factor (1 - p^2)^(-1/2) of the reference prior of an autoregression (Berger and Yang
// 1994), without which short samples tell persistence too low. By importance sampling whose
// Student proposals learn from the rounds before, each point weighed against their mixture
// (Cornuet, Marin, Mira and Robert 2012). Where errors are wider than the Hessian's because the law
// is wrong, the log-likelihood is flattened in their ratio (Pauli, Racugno and Ventura 2011).
class LikelihoodSample {
 public:
  LikelihoodSample(const Fit& fit, std::uint64_t seed, const Executor& executor);

  // Whether so many points bear weight that draws from them say something.
  [[nodiscard]] bool usable() const { return effective_ >= kLeastEffective; }
  // How many equally weighted points the sample is worth.
  [[nodiscard]] double effective() const { return effective_; }

  // One of the points of a part, of which there are maths::kRandomStreams, independent but for the
  // proposals: batches of draws show the error of the sample.
  void draw(maths::RandomStream& stream, std::size_t part, std::vector<double>& theta) const;

 private:
  static constexpr double kLeastEffective = 50;
  struct Part {
    std::vector<double> weight_sums;
    std::vector<std::vector<double>> theta;  // in data units
  };
  std::vector<Part> parts_;
  double effective_ = 0;
};

// Null where the normal law serves (enough rows, inside all bounds, few draws refused), and where
// nothing else is to be had: the exact likelihood, or estimates that are no maximum.
[[nodiscard]] std::unique_ptr<LikelihoodSample> sample_likelihood(const Fit& fit,
                                                                  std::uint64_t seed,
                                                                  const Executor& executor);

}  // namespace brace::inline v0
