// SPDX-License-Identifier: Apache-2.0
// Every variance family and law over many made series: its parameters are found again, robust
// intervals cover, and the unit of the data does not matter.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <boost/math/distributions/chi_squared.hpp>
#include <cmath>

#include "brace/brace.hpp"
#include "likelihood/joint_likelihood.hpp"
#include "model/mean_data.hpp"

namespace brace {
namespace {

struct Process {
  const char* name;
  const char* line;
  std::vector<double> theta;
  std::size_t series = 500;
  // Two components and long memory need more rows: on 2,000 their terms stand in for one another.
  std::size_t rows = 2000;
};
void PrintTo(const Process& p, std::ostream* out) {
  *out << p.line;
}

class FamilyRecovery : public testing::TestWithParam<Process> {};

TEST_P(FamilyRecovery, FindsItsParametersAgain) {
  const Process& process = GetParam();
  const Model model = canonical(parse_model(process.line));
  const std::vector<std::string> names = parameter_names(model).all();
  std::vector<FitJob> jobs;
  for (std::size_t s = 0; s < process.series; ++s)
    jobs.push_back({.model = model,
                    .series = std::make_shared<Series>(
                        simulate(model, process.theta, process.rows, {.seed = 81, .stream = s}))});
  const std::vector<Fit> fits = values_of(fit_many(jobs, {}, Executor::all_cores()));
  const auto usable =
      std::count_if(fits.begin(), fits.end(), [](const Fit& f) { return f.usable(); });
  EXPECT_GE(usable, static_cast<std::ptrdiff_t>(process.series) * 99 / 100);
  // From the truth no climb ends higher: what is found is the maximum, near the truth or not.
  std::vector<FitJob> from_truth(
      jobs.begin(), jobs.begin() + std::min<std::ptrdiff_t>(100, std::ssize(jobs) / 2));
  for (FitJob& job : from_truth) job.options = {.start = process.theta, .from = ClimbFrom::start};
  const std::vector<Fit> near = values_of(fit_many(from_truth, {}, Executor::all_cores()));
  std::size_t lower = 0;
  for (std::size_t s = 0; s < near.size(); ++s)
    lower += fits[s].usable() && near[s].usable() &&
             *near[s].log_likelihood > *fits[s].log_likelihood + 1e-3;
  EXPECT_LE(lower, near.size() / 100);
  // The truth lies in the region of likelihood as often as that says, identified or not: the
  // likelihood ratio is chi-squared.
  const double least =
      boost::math::quantile(boost::math::chi_squared(static_cast<double>(names.size())), .95) / 2;
  double inside = 0;
  for (std::size_t s = 0; s < fits.size(); ++s) {
    const double truth = JointLikelihood<double>(model, mean_data(model, *jobs[s].series))
                             .evaluate(process.theta, Order::value)
                             .log_likelihood;
    inside += *fits[s].log_likelihood - truth < least ? 1 : 0;
  }
  fmt::print("  {:<34} region of likelihood covers {:.1f} %\n", process.line,
             100 * inside / static_cast<double>(fits.size()));
  EXPECT_GT(inside / static_cast<double>(fits.size()), .88);
  for (std::size_t j = 0; j < process.theta.size(); ++j) {
    std::vector<double> errors;
    double covered = 0;
    for (const Fit& fit : fits) {
      const Parameter& p = fit.parameters[j];
      if (!fit.usable() || !p.se) continue;
      errors.push_back(p.estimate - process.theta[j]);
      covered += std::abs(errors.back()) < 1.959964 * *p.se ? 1 : 0;
    }
    const auto n = static_cast<double>(errors.size());
    // Quantiles: a few series in which a parameter is not identified would rule the mean.
    std::sort(errors.begin(), errors.end());
    const auto quantile = [&](double p) { return errors[static_cast<std::size_t>(p * (n - 1))]; };
    const double middle = quantile(.5), spread = (quantile(.84) - quantile(.16)) / 2;
    fmt::print("  {:<34} {:<7} median error {:+.4f}  half-width {:.4f}  95 % covers {:.1f} %\n",
               process.line, names[j], middle, spread, 100 * covered / n);
    // An ewma dies out, so that the last part of each series says little.
    EXPECT_LT(std::abs(middle), (names[j] == "weight" ? .5 : .35) * spread) << names[j];
    EXPECT_GT(covered / n, .88) << names[j];
    if (process.series > 100) {
      EXPECT_LT(covered / n, .99) << names[j];
    }
  }
}

INSTANTIATE_TEST_SUITE_P(
    Families, FamilyRecovery,
    testing::Values(Process{"garch", "const / garch / normal", {.05, .05, .1, .85}},
                    Process{"gjr", "const ar1 / gjr / student", {.05, .2, .05, .04, .1, .86, 7}},
                    Process{"egarch", "zero / egarch / ged", {.01, .15, -.08, .95, 1.4}},
                    Process{"aparch", "zero / aparch / normal", {.05, .08, .4, .88, 1.3}},
                    Process{
                        "twocomp", "zero / twocomp / normal", {.02, .1, .65, .98, .06}, 200, 8000},
                    Process{"igarch", "zero / igarch / student", {.02, .08, 6}},
                    Process{"ewma", "zero / ewma / normal", {.94}},
                    Process{"longmem", "zero / longmem / normal", {.1, .2, .4, .45}, 40, 8000},
                    Process{"skew", "const / garch / skew-student", {0, .05, .1, .85, 7, -.25}},
                    Process{"risk", "const risk sd / garch / normal", {0, .15, .05, .1, .85}}),
    [](const auto& i) { return std::string(i.param.name); });

// A fit of c y is the fit of y in another unit, for every family and law.
TEST(Scale, DoesNotMatterToAnyFamilyOrLaw) {
  Series y = simulate(parse_model("const ar1 / gjr / student"), {.1, .1, .05, .03, .1, .87, 7},
                      1500, {.seed = 17});
  y.companions = {{"x", std::vector<double>(y.size())}};
  for (std::size_t t = 0; t < y.size(); ++t) y.companions[0].values[t] = t % 11 == 0 ? 1 : 0;
  for (const char* line :
       {"const / steady / student", "const / arch e1,2 / normal", "const ar1 / garch / ged",
        "const / igarch / student", "const / gjr / skew-student", "zero / egarch / normal",
        "zero / egarch h1,2 / student", "const / aparch / student", "const / twocomp / normal",
        "const / longmem / normal", "const / ewma / ged", "const risk sd / garch / normal",
        "const risk variance / garch / student", "const / garch vwith x / student",
        "zero / egarch vwith x / normal", "const / aparch vwith x / normal"}) {
    const Fit plain = estimate(line, y);
    ASSERT_TRUE(plain.usable()) << line;
    for (const double c : {1e-6, 1e6}) {
      Series scaled = y;
      for (double& v : scaled.values) v *= c;
      const Fit fit = estimate(line, scaled);
      ASSERT_EQ(fit.convergence.status, plain.convergence.status) << line << ' ' << c;
      const double n = static_cast<double>(fit.n);
      // The same climb in another unit.
      EXPECT_NEAR(*fit.log_likelihood + n * std::log(c), *plain.log_likelihood, 1e-6) << line;
      for (std::size_t t = 0; t < y.size(); t += 100)
        EXPECT_NEAR(fit.variances[t] / (c * c) / plain.variances[t], 1, 1e-6) << line;
      for (std::size_t j = 0; j < fit.parameters.size(); ++j) {
        const Parameter &a = fit.parameters[j], &b = plain.parameters[j];
        // t does not know units, but omega of egarch and what it drags along moves by a constant.
        if (a.t && b.t && a.name != "omega") {
          EXPECT_NEAR(*a.t / *b.t, 1, 1e-4) << line << ' ' << a.name;
        }
      }
      if (fit.persistence) {
        EXPECT_NEAR(*fit.persistence, *plain.persistence, 1e-6) << line;
      }
    }
  }
}

// Normal likelihood, t6 shocks: the sandwich takes the wrong law into account.
TEST(Sandwich, CoversUnderAWrongLaw) {
  const Model made = parse_model("zero / garch / student"), fitted = parse_model("zero / garch");
  for (const std::size_t rows : {std::size_t{1000}, std::size_t{5000}}) {
    constexpr std::size_t kSeries = 600;
    std::vector<FitJob> jobs;
    for (std::size_t s = 0; s < kSeries; ++s)
      jobs.push_back({.model = fitted,
                      .series = std::make_shared<Series>(
                          simulate(made, {.05, .1, .85, 6}, rows, {.seed = 82, .stream = s}))});
    const std::vector<Fit> fits = values_of(fit_many(jobs, {}, Executor::all_cores()));
    const std::vector<double> truth{.05, .1, .85};
    for (std::size_t j = 0; j < 3; ++j) {
      double n = 0, robust = 0, hessian = 0;
      for (const Fit& fit : fits) {
        const Parameter& p = fit.parameters[j];
        if (!fit.usable() || !p.se_robust) continue;
        ++n;
        robust += std::abs(p.estimate - truth[j]) < 1.959964 * *p.se_robust ? 1 : 0;
        hessian += std::abs(p.estimate - truth[j]) < 1.959964 * *p.se_hessian ? 1 : 0;
      }
      fmt::print("  n {} {:<6} sandwich covers {:.1f} %, Hessian {:.1f} %\n", rows,
                 fits[0].parameters[j].name, 100 * robust / n, 100 * hessian / n);
      if (rows == 5000) {
        EXPECT_GE(robust / n, .92) << fits[0].parameters[j].name;
        EXPECT_LE(robust / n, .97) << fits[0].parameters[j].name;
        EXPECT_LT(hessian, robust) << "the Hessian's errors are too small here";
      }
    }
  }
}

}  // namespace
}  // namespace brace
