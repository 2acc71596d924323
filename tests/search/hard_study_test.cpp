// SPDX-License-Identifier: Apache-2.0
// Two hundred hard series, all 36 orders each: does a fit reach the best that is found from the
// terms of any other candidate? Three quarters of an hour on two cores, so labelled `long`:
//   ctest --test-dir build/release -L long
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <iostream>
#include <memory>

#include "brace/brace.hpp"
#include "brace/estimation/estimate.hpp"
#include "support/hard_series.hpp"

namespace brace {
namespace {

constexpr std::uint64_t kSeriesOfPart = 10;

class HardStudy : public testing::TestWithParam<std::uint64_t> {};

TEST_P(HardStudy, FitsReachTheBestFoundFromAnyOtherTerms) {
  const Executor executor = Executor::all_cores();
  std::size_t fits = 0, below = 0, below_contained = 0, failed = 0, apart = 0;
  double worst = 0;
  for (std::uint64_t s = GetParam() * kSeriesOfPart; s < (GetParam() + 1) * kSeriesOfPart; ++s) {
    const auto series = std::make_shared<const Series>(hard_series(s));
    const Search found = search(*series,
                                {.differences = 0,
                                 .constant = SearchOptions::Constant::always,
                                 .walk = SearchOptions::Walk::full},
                                executor);
    const std::size_t n = found.candidates.size();
    std::vector<FitJob> jobs, crossed;
    const auto shared = share_smaller_models();
    for (const MeanCandidate& c : found.candidates) {
      FitJob job{.model = c.model, .series = series};
      job.options.hessian_errors_only = true;
      job.smaller = shared;
      jobs.push_back(std::move(job));
    }
    const std::vector<Fit> alone = values_of(fit_many(jobs, {}, executor));
    std::vector<std::size_t> of;
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t j = 0; j < n; ++j) {
        if (i == j || !alone[j].usable()) continue;
        const std::vector<std::string> had = parameter_names(alone[j].model).all();
        const std::vector<double> terms = alone[j].estimates();
        FitJob job = jobs[i];
        job.options.from = ClimbFrom::start;
        for (const std::string& name : parameter_names(job.model).all()) {
          const auto at = std::find(had.begin(), had.end(), name);
          job.options.start.push_back(
              at == had.end() ? 0 : terms[static_cast<std::size_t>(at - had.begin())]);
        }
        crossed.push_back(std::move(job));
        of.push_back(i);
      }
    std::vector<double> best(n, -1e300);
    const std::vector<Fit> others = values_of(fit_many(crossed, {}, executor));
    for (std::size_t k = 0; k < others.size(); ++k)
      if (others[k].usable()) best[of[k]] = std::max(best[of[k]], *others[k].log_likelihood);
    for (std::size_t i = 0; i < n; ++i) {
      ++fits;
      if (!alone[i].usable()) {
        ++failed;
        continue;
      }
      const double height = *alone[i].log_likelihood;
      const auto& candidate = found.candidates[i];
      apart += std::abs(candidate.log_likelihood.value_or(0) - height) > 1e-6;
      below += height < best[i] - 1e-3;
      worst = std::max(worst, best[i] - height);
      const Mean& mean = alone[i].model.mean;
      for (std::size_t j = 0; j < n; ++j) {
        const Mean& small = alone[j].model.mean;
        below_contained += alone[j].usable() && small.ar.size() <= mean.ar.size() &&
                           small.ma.size() <= mean.ma.size() &&
                           height < *alone[j].log_likelihood - 1e-3;
      }
    }
  }
  std::cout << fmt::format(
      "{} fits: {} below the best from other terms (by {:.3f} at most), {} pairs below a contained "
      "model, {} failed, {} unlike their search\n",
      fits, below, worst, below_contained, failed, apart);
  EXPECT_EQ(apart, 0u) << "fit and search are one function of line and rows";
  EXPECT_LE(below_contained, 2u);
  EXPECT_LE(static_cast<double>(failed), .01 * static_cast<double>(fits));
  EXPECT_LE(static_cast<double>(below), .06 * static_cast<double>(fits));
}

INSTANTIATE_TEST_SUITE_P(Parts, HardStudy, testing::Range<std::uint64_t>(0, 20));

}  // namespace
}  // namespace brace
