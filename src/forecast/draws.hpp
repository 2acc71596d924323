// SPDX-License-Identifier: Apache-2.0
// What is uncertain about a forecast: where the paths begin, the shocks to come, and the parameters
// they are made with.
//
//   auto sample = sample_likelihood(fit, seed, executor);
//   auto draws = make_parameter_draws(fit, method, shocks, sample.get(), stream, part);
//   if (draws->next(theta) && origin.at(theta, past)) ...
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "brace/forecast/forecast.hpp"
#include "brace/maths/random.hpp"
#include "model/families.hpp"
#include "model/innovations.hpp"
#include "model/likelihood.hpp"
#include "model/stepper.hpp"

namespace brace {

// Shocks of unit variance: of the law, or those that were seen.
class ShockSource {
 public:
  // `residuals` empty: of the law.
  ShockSource(const ShockLaw& law, std::vector<double> residuals)
      : law_(law), residuals_(std::move(residuals)) {}
  // The standardised residuals of a fit with mean 0 and variance 1.
  [[nodiscard]] static std::vector<double> of_fit(const Fit& fit);

  // One path. Under a symmetric law every second one mirrors the one before it, and means come out
  // right.
  void fill(RandomStream& stream, std::span<const double> shape, std::size_t path,
            std::span<double> z) const;

 private:
  const ShockLaw& law_;
  std::vector<double> residuals_;
};

// Where the paths begin, for any parameters: the data filtered once more under them.
class Origin {
 public:
  explicit Origin(const Fit& fit);

  // False where the parameters are not admitted.
  bool at(std::span<const double> theta, Past& past);
  // At the estimates, where the presample value is the stored one.
  Past at_estimates();
  [[nodiscard]] const ArmaState& end() const { return found_.end; }

 private:
  const Fit& fit_;
  MeanData data_;
  Likelihood<double> conditional_;
  Likelihood<double>::Path path_;
  std::vector<unsigned char> counted_;
  Innovations found_;
  std::vector<double> levels_;
};

// Below so many rows the normal law of the estimates is too rough for the intervals of a volatility
// (docs/coverage.md), and parameters are drawn from the likelihood itself.
inline constexpr std::size_t kFewRows = 500;

// Parameters by the likelihood times the prior of Jeffreys (1946), the root of the determinant of
// the information, which says nothing of its own, does not depend on the coordinates, and takes the
// edge off places where a parameter drops out (beta where alpha is 0). By importance sampling whose
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

  // One of the points of a part, of which there are kRandomStreams, independent but for the
  // proposals: batches of draws show the error of the sample.
  void draw(RandomStream& stream, std::size_t part, std::vector<double>& theta) const;

 private:
  static constexpr double kLeastEffective = 50;
  struct Part {
    std::vector<double> weight_sums;
    std::vector<std::vector<double>> theta;  // in natural units
  };
  std::vector<Part> parts_;
  double effective_ = 0;
};

// Null where the normal law serves: enough rows, the exact likelihood, or estimates that are no
// maximum.
[[nodiscard]] std::unique_ptr<LikelihoodSample> sample_likelihood(const Fit& fit,
                                                                  std::uint64_t seed,
                                                                  const Executor& executor);

// Parameters one after another, for one stream.
class ParameterDraws {
 public:
  virtual ~ParameterDraws() = default;
  // False when none was found that is admitted.
  virtual bool next(std::vector<double>& theta) = 0;
  // Draws that were refused so far.
  [[nodiscard]] std::size_t refused() const { return refused_; }

 protected:
  std::size_t refused_ = 0;
};

// As the method asks, which must not be plug-in; of part `part` of the sample where there is one.
// All that is given must outlive the draws.
[[nodiscard]] std::unique_ptr<ParameterDraws> make_parameter_draws(
    const Fit& fit, ForecastMethod method, const ShockSource& shocks,
    const LikelihoodSample* sample, RandomStream& stream, std::size_t part);

}  // namespace brace
