// SPDX-License-Identifier: Apache-2.0
// The exact fit over many made series: mean error, coverage of its intervals, and that nothing
// fails. Seeds are fixed; bands are four Monte Carlo errors wide, or those that the header
// promises.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "brace/brace.hpp"

namespace brace {
namespace {

constexpr std::size_t kSeries = 2000, kRows = 500;

struct Process {
  const char* name;
  const char* line;
  std::vector<double> theta;
};
void PrintTo(const Process& p, std::ostream* out) {
  *out << p.line;
}

class Recovery : public testing::TestWithParam<Process> {};

TEST_P(Recovery, OfParametersAndCoverageOfTheirIntervals) {
  const Model model = canonical(parse_model(GetParam().line));
  const std::vector<double>& truth = GetParam().theta;
  const std::vector<std::string> names = parameter_names(model).all();
  std::vector<FitJob> jobs;
  for (std::size_t s = 0; s < kSeries; ++s) {
    FitJob job{.model = model,
               .series = std::make_shared<Series>(
                   simulate(model, truth, kRows, {.seed = 52, .stream = s}))};
    job.options.hessian_errors_only = true;
    jobs.push_back(std::move(job));
  }
  const std::vector<Fit> fits = values_of(fit_many(jobs, {}, Executor::all_cores()));
  const auto failed =
      std::count_if(fits.begin(), fits.end(), [](const Fit& f) { return !f.usable(); });
  EXPECT_EQ(failed, 0);
  for (std::size_t j = 0; j < truth.size(); ++j) {
    double n = 0, sum = 0, squares = 0, covered = 0;
    for (const Fit& fit : fits) {
      const Parameter& p = fit.parameters[j];
      if (!fit.usable() || !p.se) continue;
      const double error = p.estimate - truth[j];
      ++n;
      sum += error;
      squares += error * error;
      covered += std::abs(error) < 1.959964 * *p.se ? 1 : 0;
    }
    const double bias = sum / n, sd = std::sqrt(squares / n - bias * bias);
    fmt::print("  {:<26} {:<6} bias {:+.4f}  sd {:.4f}  95 % interval covers {:.1f} %\n",
               GetParam().line, names[j], bias, sd, 100 * covered / n);
    EXPECT_GT(n, .98 * kSeries) << names[j] << " lies at an edge too often";
    if (GetParam().name == std::string("ar1") && names[j] == "ar1") {
      // Marriott and Pope (1954): the mean is estimated too.
      const double known = -(1 + 3 * truth[j]) / static_cast<double>(kRows);
      EXPECT_NEAR(bias, known, 4 * sd / std::sqrt(n));
    } else if (names[j] != "sigma2") {
      // sigma2 is its maximum likelihood value, which k estimated terms pull down by k / n.
      EXPECT_LT(std::abs(bias), .25 * sd) << names[j];
    } else {
      const double known = -truth[j] * static_cast<double>(truth.size() - 1) / kRows;
      EXPECT_NEAR(bias, known, 4 * sd / std::sqrt(n) + .25 * sd);
    }
    EXPECT_GE(covered / n, .93) << names[j];
    EXPECT_LE(covered / n, .97) << names[j];
  }
}

INSTANTIATE_TEST_SUITE_P(Models, Recovery,
                         testing::Values(Process{"ar1", "const ar1", {1, .6, 1}},
                                         Process{"ma1", "const ma1", {1, -.5, 1}},
                                         Process{"arma11", "const ar1 ma1", {1, .7, .3, 1}},
                                         Process{"sparse", "const ar1,9 ma4", {1, .4, .3, .3, 1}},
                                         Process{"difference", "diff1 ar1,2", {.4, -.3, 1}},
                                         Process{
                                             "seasonal", "diff1 diff12 ma1 sma12", {-.4, -.5, 1}}),
                         [](const auto& i) { return std::string(i.param.name); });

// Every candidate of the 36 on each demo series has a maximum, and none ends below one that it
// contains: returns as they are, where many run along the unit circle to imitate a season of the
// hour or month, and as they would be modelled (by the day; differenced, the season in harmonics).
TEST(Candidates, OfTheDemoSeriesAllConvergeAndNestedOnesDoNotFallBehind) {
  const std::string data = std::string(BRACE_SOURCE_DIR) + "/data/";
  const Series kelp =
      log_returns(read_series(data + "kelp-fibre.csv", {.value = "settle", .drop_zero = "volume"}));
  const Series hours = read_series(data + "ferry-freight.csv"),
               months = read_series(data + "lamp-oil.csv");
  const Series ferry_by_hour = log_returns(hours), lamp_returns = log_returns(months),
               ferry = log_returns(regroup(hours, Clock::day, Aggregate::last)),
               lamp = log_level(months);
  SearchOptions plain{.differences = 0, .walk = SearchOptions::Walk::full}, season = plain;
  season.differences = 1;
  season.constant = SearchOptions::Constant::always;
  season.kept = parse_model("const harmonics 12:3").mean;
  for (const auto& [y, options] :
       {std::pair{&kelp, &plain}, std::pair{&ferry_by_hour, &plain},
        std::pair{&lamp_returns, &plain}, std::pair{&ferry, &plain}, std::pair{&lamp, &season}}) {
    const Search found = search(*y, *options, Executor::all_cores());
    ASSERT_EQ(found.candidates.size(), 36u);
    const MeanCandidate* grid[6][6] = {};
    for (const MeanCandidate& c : found.candidates) {
      EXPECT_TRUE(c.status == FitStatus::converged || c.status == FitStatus::boundary)
          << to_string(c.model) << ": " << to_string(c.status);
      grid[c.model.mean.ar.size()][c.model.mean.ma.size()] = &c;
    }
    for (int p = 0; p < 6; ++p)
      for (int q = 0; q < 6; ++q) {
        ASSERT_TRUE(grid[p][q]->log_likelihood);
        if (p > 0) {
          EXPECT_GE(*grid[p][q]->log_likelihood, *grid[p - 1][q]->log_likelihood - 1e-4)
              << to_string(grid[p][q]->model);
        }
        if (q > 0) {
          EXPECT_GE(*grid[p][q]->log_likelihood, *grid[p][q - 1]->log_likelihood - 1e-4)
              << to_string(grid[p][q]->model);
        }
      }
  }
}

// Awkward data: whatever comes back, its status is earned or it is refused.
TEST(MeanStudy, AwkwardSeriesAreNeverWrongSilently) {
  std::size_t usable = 0, refused = 0;
  for (std::size_t s = 0; s < 24; ++s) {
    Series y =
        simulate(parse_model("const ar1"), {0, .98, 1}, 20 + 30 * s, {.seed = 9, .stream = s});
    if (s % 4 == 1)
      for (std::size_t t = 0; t < y.size(); t += 3)
        y.values[t] = std::numeric_limits<double>::quiet_NaN();
    if (s % 4 == 2) y.values[y.size() / 2] = 1e4;
    if (s % 4 == 3)
      for (double& v : y.values) v = std::round(v) * 1e-6;
    for (const char* line : {"const ar1 ma1", "const ar1,9", "const trend ar1,2 ma1,2",
                             "diff1 ma1..3", "diff1 diff12 ma1 sma12", "const ar1 sar12 sma12"}) {
      try {
        const Fit fit = estimate(line, y);
        if (!fit.usable()) continue;
        ++usable;
        EXPECT_TRUE(std::isfinite(*fit.log_likelihood)) << line;
        EXPECT_LT(*fit.convergence.gradient_norm, kConverged) << line;
        for (const Parameter& p : fit.parameters) {
          EXPECT_TRUE(std::isfinite(p.estimate)) << line << ' ' << p.name;
          if (p.se) {
            EXPECT_TRUE(std::isfinite(*p.se) && *p.se > 0) << line << ' ' << p.name;
          }
        }
      } catch (const Error& error) {
        EXPECT_TRUE(error.code() == ErrorCode::too_few_observations ||
                    error.code() == ErrorCode::constant_series)
            << line << ": " << error.what();
        ++refused;
      }
    }
  }
  fmt::print("  144 awkward fits: {} usable, {} refused as too short\n", usable, refused);
  // Five say `failed`; the bound is what was measured, to be raised and not lowered.
  EXPECT_GE(usable + refused, 139u);
}

}  // namespace
}  // namespace brace
