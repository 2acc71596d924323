// SPDX-License-Identifier: Apache-2.0
// Volatilities to come as refits tell them: how far a forecast of ln h was off where the truth is
// known, on series made by the model and fitted again, in units of the spread that the forecast
// itself expected. The estimates carry that over to the sample at hand (a studentised bootstrap,
// Davison and Hinkley 1997, section 5.2, for a prediction as in Beran 1990). Percentiles of the
// refits alone cover too little, because the spread of paths is nearly in proportion to an alpha
// that is itself uncertain.
//
//   const auto own = LogVolatilityOf(model, columns, options, paths).of(fit, stream);
//   StudentisedPaths drawn(fit, *own, columns, options, count);
//   drawn.replace(refitted, shocks, stream, cloud, first, count);   // variances of those paths
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "forecast/paths.hpp"
#include "process/admissible.hpp"

namespace brace::inline v0 {

// Of ln h at each step and, at the end, of ln of the total over the horizon: its mean at the
// estimates, and its standard deviation by the shocks to come and by the estimates' errors.
struct LogVolatility {
  std::vector<double> mean, sd;
};

// The shocks are those that each fit saw.
class LogVolatilityOf {
 public:
  // By so many paths: many of the fit that is forecast, whose error nothing averages out, few of
  // each refit.
  static constexpr std::size_t kOfTheFit = 4096, kOfARefit = 64;
  LogVolatilityOf(const Model& model, const Columns& columns, const ForecastOptions& options,
                  std::size_t paths);

  // Empty where the errors of the estimates are not known, or paths leave the range of numbers.
  [[nodiscard]] std::optional<LogVolatility> of(const Fit& fit, maths::RandomStream& stream);
  // The spread by parameters drawn from the likelihood: on few rows, where estimates on a bound
  // have no standard error.
  [[nodiscard]] std::optional<LogVolatility> of(const Fit& fit, const LikelihoodSample& sample,
                                                maths::RandomStream& stream);

 private:
  // The mean of ln h over the first `count` of the scratch paths from there.
  bool mean_from(std::span<const double> theta, const Past& start, const ShockSource& shocks,
                 maths::RandomStream stream, std::size_t count, std::vector<double>& mean);

  std::size_t horizon_, paths_;
  std::optional<double> first_variance_;
  AdmissionRules rules_;
  PathMaker maker_;
  Cloud scratch_;
};

class StudentisedPaths {
 public:
  // All that is given must outlive it.
  StudentisedPaths(const Fit& fit, const LogVolatility& own, const Columns& columns,
                   const ForecastOptions& options, std::size_t paths_a_draw);

  // Gives paths first .. first + count - 1 the variances that this refit tells; their returns stay.
  // False, and nothing changed, where it tells none.
  [[nodiscard]] bool replace(const Refitted& refitted, const ShockSource& shocks,
                             maths::RandomStream& stream, Cloud& cloud, std::size_t first,
                             std::size_t count);

 private:
  std::vector<double> estimate_;
  std::optional<double> first_variance_;
  const LogVolatility& own_;
  LogVolatilityOf spread_;
  PathMaker maker_;
  Cloud truth_;
};

}  // namespace brace::inline v0
