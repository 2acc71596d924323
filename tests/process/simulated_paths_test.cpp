// SPDX-License-Identifier: Apache-2.0
// Every recursion of the variance stands in a kernel, which filters a series, and in a step, which
// simulates one. Run on a simulated path with the same beginning, the kernel gives the path's own
// variances and shocks: for every family, lag set, mean and law, and with rows missing.
#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "brace/brace.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "process/stepper.hpp"

namespace brace {
namespace {

constexpr std::size_t kRows = 250, kForgotten = 100;

constexpr const char* kVariances[] = {"steady",
                                      "arch",
                                      "arch e1,3",
                                      "garch",
                                      "garch e1,2 h1,3",
                                      "garch e2 h1",
                                      "igarch",
                                      "igarch e1 h1,2",
                                      "gjr",
                                      "gjr e1,2 h2",
                                      "egarch",
                                      "egarch e1,2 h1,2",
                                      "aparch",
                                      "aparch e1 h1,2",
                                      "twocomp",
                                      "longmem",
                                      "ewma"};
constexpr const char* kMeans[] = {"zero",          "const",
                                  "const ar1 ma1", "const ar1,3 ma2 sar5 sma5",
                                  "const risk sd", "zero diff1 ma1"};
constexpr const char* kLaws[] = {"normal", "student", "ged", "skew-student"};

// Where signs matter the news before the sample are one thing by the definition of the likelihood
// (docs/numerics.md: half the square; the power of the level) and another in expectation under the
// law, with which a simulation begins: there the start must be forgotten first.
bool begins_in_its_own_way(const Model& model) {
  return std::holds_alternative<Gjr>(model.variance) ||
         std::holds_alternative<Aparch>(model.variance);
}

// Parameters that describe a process: small ones of the mean, the family's `guess`-th start or the
// one that forgets soonest, the shapes from which estimation starts.
std::vector<double> parameters_of(const Model& model, std::size_t guess) {
  std::vector<double> theta;
  for (const std::string& name : parameter_names(model).mean)
    theta.push_back(name == "mu" ? .1 : name == "risk" ? .15 : name.starts_with("ma") ? -.25 : .3);
  const std::vector<std::vector<double>> starts = variance_family(model.variance).starts(model);
  std::vector<double> shapes;
  for (const ShapeCoordinate& shape : shock_law(model.shocks).shapes)
    shapes.push_back(shape.shape(shape.start));
  std::size_t at = guess % starts.size();
  if (begins_in_its_own_way(model))
    for (std::size_t s = 0; s < starts.size(); ++s)
      if (variance_family(model.variance).persistence(model, starts[s], shapes) <
          variance_family(model.variance).persistence(model, starts[at], shapes))
        at = s;
  theta.insert(theta.end(), starts[at].begin(), starts[at].end());
  theta.insert(theta.end(), shapes.begin(), shapes.end());
  return theta;
}

// The variance before the sample, as a simulation without burn-in begins.
double level_of(const Model& model, std::span<const double> theta) {
  const ParameterNames names = parameter_names(model);
  const std::span<const double> from = theta.subspan(names.mean.size());
  const Dynamics d =
      variance_family(model.variance)
          .dynamics(model, from.first(names.variance.size()), from.subspan(names.variance.size()));
  return d.typical_variance.value_or(d.unconditional_variance.value_or(1));
}

// The path that the kernels make of the values, begun at `level`.
Fit filtered(const Model& model, const std::vector<double>& theta, std::vector<double> values,
             double level) {
  KnownFit known;
  known.model = model;
  const std::vector<std::string> names = parameter_names(model).all();
  known.parameters.resize(names.size());
  for (std::size_t j = 0; j < names.size(); ++j) {
    known.parameters[j].name = names[j];
    known.parameters[j].estimate = theta[j];
  }
  known.presample = level;
  known.likelihood = LikelihoodKind::conditional;
  return restore(std::move(known), std::make_shared<Series>(make_series(std::move(values))));
}

void expect_equal(double is, double want, const std::string& where) {
  EXPECT_NEAR(is, want, 1e-9 * (1 + std::abs(want))) << where;
}

TEST(SimulatedPaths, KernelsGiveTheVariancesOfThePath) {
  std::size_t models = 0;
  for (const char* variance : kVariances)
    for (const char* mean : kMeans)
      for (std::size_t l = 0; l < std::size(kLaws); ++l) {
        // A volatility that does not move is no regressor.
        if (std::string(mean).find("risk") != std::string::npos &&
            std::string(variance) == "steady")
          continue;
        const std::string line = std::string(mean) + " / " + variance + " / " + kLaws[l];
        const Model model = canonical(parse_model(line));
        const std::vector<double> theta = parameters_of(model, models++);
        const Simulated path = simulate_path(model, theta, kRows, {.seed = 3, .burn_in = 0});
        // Levels begin at zero: the row before the first, which differencing takes.
        std::vector<double> values(model.mean.differences.size(), 0.0);
        const std::size_t lost = values.size();
        values.insert(values.end(), path.series.values.begin(), path.series.values.end());
        const Fit fit = filtered(model, theta, std::move(values), level_of(model, theta));
        ASSERT_EQ(fit.variances.size(), kRows + lost) << line;
        for (std::size_t t = begins_in_its_own_way(model) ? kForgotten : 0; t < kRows; ++t) {
          const std::string where = line + ", row " + std::to_string(t);
          expect_equal(fit.variances[lost + t], path.variances[t], where + ": h");
          expect_equal(fit.shocks[lost + t], path.shocks[t], where + ": e");
          if (HasFailure()) return;
        }
      }
  EXPECT_EQ(models, (std::size(kVariances) * std::size(kMeans) - 1) * std::size(kLaws));
}

TEST(SimulatedPaths, KernelsStepOverMissingRowsAsTheStepDoes) {
  const std::vector<std::vector<std::size_t>> patterns{
      {0}, {0, 1, 2}, {140}, {150, 151, 152, 153, 154}, {110, 112, 114, 116, 160}, {kRows - 1}};
  std::size_t models = 0;
  for (const char* variance : kVariances)
    for (const char* mean : {"zero", "const", "const ar1 ma1", "const ar1,3 ma2 sar5 sma5"})
      for (const std::vector<std::size_t>& missing : patterns) {
        const std::string line =
            std::string(mean) + " / " + variance + " / " + kLaws[models % std::size(kLaws)];
        const Model model = canonical(parse_model(line));
        const std::vector<double> theta = parameters_of(model, models++);
        std::vector<double> values =
            simulate(model, theta, kRows, {.seed = 4, .burn_in = 0}).values;
        for (const std::size_t t : missing) values[t] = std::numeric_limits<double>::quiet_NaN();
        const double level = level_of(model, theta);
        const Fit fit = filtered(model, theta, values, level);
        Stepper step(model, theta, Past::before_sample(model, theta, level));
        const double mu = model.mean.constant ? theta[0] : 0;
        for (std::size_t t = 0; t < kRows; ++t) {
          Stepper ahead = step;
          const Stepper::Row row = ahead.expect(mu);
          const std::string where = line + ", row " + std::to_string(t) + ", missing from " +
                                    std::to_string(missing.front());
          const bool here = !std::isnan(values[t]);
          if (t >= kForgotten || !begins_in_its_own_way(model)) {
            expect_equal(fit.variances[t], row.h, where + ": h");
            expect_equal(fit.shocks[t], here ? values[t] - row.mean : 0, where + ": e");
          }
          if (HasFailure()) return;
          if (here)
            step.advance((values[t] - row.mean) / std::sqrt(row.h), mu);
          else
            step.expect(mu);
        }
      }
}

}  // namespace
}  // namespace brace
