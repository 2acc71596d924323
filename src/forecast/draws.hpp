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
#include "families/shock_law.hpp"
#include "forecast/likelihood_sample.hpp"
#include "likelihood/exact_likelihood.hpp"
#include "likelihood/innovations.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "process/stepper.hpp"

namespace brace::inline v0 {

// Shocks of unit variance: of the law, or those that were seen.
class ShockSource {
 public:
  // `residuals` empty: of the law.
  ShockSource(const ShockLaw& law, std::vector<double> residuals)
      : law_(law), residuals_(std::move(residuals)) {}
  // The standardised residuals of a fit with mean 0 and variance 1.
  [[nodiscard]] static std::vector<double> of_fit(const Fit& fit);

  void fill(maths::RandomStream& stream, std::span<const double> shape, std::span<double> z) const;
  // Of paths beside each other, z[step * paths + path]: those of a step do not depend on how many
  // follow. Under a symmetric law half of the paths mirror the others, and means come out right.
  void fill_paths(maths::RandomStream& stream, std::span<const double> shape, std::size_t paths,
                  std::span<double> z) const;

 private:
  const ShockLaw& law_;
  std::vector<double> residuals_;
};

// Where the paths begin, for any parameters: the data filtered once more under them.
// The end of a conditional fit's path. Throws Error (too_few_observations) where a level that the
// next row is a change of is missing.
[[nodiscard]] Past end_of_path(const Fit& fit);

// A filter forgets where it began: of many rows the last ones are enough. Those that give the end
// of the fit's own path to rounding, or all.
struct OriginRows {
  explicit OriginRows(const Fit& fit);
  MeanData data;
  std::vector<unsigned char> counted;
  std::vector<double> levels;  // the last before the origin, newest first
};

class Origin {
 public:
  explicit Origin(const Fit& fit) : Origin(fit, std::make_shared<const OriginRows>(fit)) {}
  Origin(const Fit& fit, std::shared_ptr<const OriginRows> rows);

  // False where the parameters are not admitted.
  bool at(std::span<const double> theta, Past& past);
  // At the estimates, where the presample value is the stored one.
  Past at_estimates();
  [[nodiscard]] const ArmaState& end() const { return end_; }

 private:
  const Fit& fit_;
  std::shared_ptr<const OriginRows> rows_;
  JointLikelihood<double> conditional_;
  JointLikelihood<double>::Path path_;
  std::optional<ExactLikelihood> exact_;  // of fits by it
  ArmaState end_;
};

// A series that the model made, fitted again, and where it ended under the parameters that made it.
struct Refitted {
  Fit fit;
  Past end;
};

// Parameters one after another, for one stream.
class ParameterDraws {
 public:
  virtual ~ParameterDraws() = default;
  // False when none was found that is admitted.
  virtual bool next(std::vector<double>& theta) = 0;
  // What the last draw is of, if it is a refit.
  [[nodiscard]] virtual const Refitted* refitted() const { return nullptr; }
  // Draws that were refused so far.
  [[nodiscard]] std::size_t refused() const { return refused_; }

 protected:
  std::size_t refused_ = 0;
};

// As the method asks, which must not be plug-in; of part `part` of the sample where there is one.
// All that is given must outlive the draws.
[[nodiscard]] std::unique_ptr<ParameterDraws> make_parameter_draws(
    const Fit& fit, ForecastMethod method, const ShockSource& shocks,
    const LikelihoodSample* sample, maths::RandomStream& stream, std::size_t part);

// The share of draws from the normal law of the estimates that break a rule of the model.
[[nodiscard]] double share_refused(const Fit& fit, std::uint64_t seed);

}  // namespace brace::inline v0
