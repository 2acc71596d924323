// SPDX-License-Identifier: Apache-2.0
// The climb of the exact likelihood. Covered by tests/model/exact_test.cpp and mean_study_test.cpp.
#include "model/exact_climb.hpp"

#include <algorithm>
#include <cmath>

#include "model/starting_points.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::VectorXd;

// Starts that are climbed from.
constexpr std::size_t kClimbed = 4;
// The exact climb scores until Newton's method doubles the digits, at most so often; then it needs
// the Hessian, which costs several scoring steps.
constexpr int kExactScoring = 12;
constexpr double kScoredEnough = 1e-1;
// Steps in natural coordinates before the bounds are brought in: a climb that is not done by then
// runs along an edge.
constexpr int kValleySteps = 25;
constexpr int kEdgeSteps = 12;
// Steps of a glance at another start, how far below the best it may lie after them, and how near to
// it they are the same.
constexpr int kGlance = 3;
constexpr double kAsHigh = 0.5, kSamePlace = 0.05, kFarBelow = 25;
// How far a model may end below one that it contains, in log-likelihood.
constexpr double kNestedSlack = 1e-5;
// Rough steps of a climb from there.
constexpr int kNestedSteps = 80;
// Exact steps after rough ones: near an edge each costs as much as forty passes.
constexpr int kFinishSteps = 60;

class ExactClimb {
 public:
  explicit ExactClimb(Problem& problem) : problem_(problem) {}

  Peak run() {
    const EstimateOptions& options = problem_.options;
    Starts starts = starting_points(problem_);
    given_ = starts.given;
    const std::size_t most =
        options.starts > 0 ? static_cast<std::size_t>(options.starts) : kClimbed;
    starts.points.resize(std::min(starts.points.size(), most));
    climb(starts.points);
    if (!settled(best_) && !options.start.empty() && options.from == ClimbFrom::everywhere) {
      // The guesses that the given start replaced.
      given_.reset();
      std::vector<VectorXd> more;
      for (const VectorXd& theta : exact_starts(problem_, true))
        more.push_back(problem_.feasible(problem_.chart.working(problem_.with_held(theta))));
      climb(more);
    }
    return {.top = std::move(best_),
            .chart = problem_.chart,
            .kink = {},
            .starts = static_cast<int>(starts.points.size())};
  }

 private:
  // Terms that stand in for one another make long valleys, straight in the coefficients themselves:
  // the climb is made there where a set of lags is full, and ends in the coordinates whose bounds
  // are the edges.
  void climb(const std::vector<VectorXd>& points) {
    const Chart natural(problem_.model, problem_.held_scaled(), Chart::Coordinates::natural);
    const Objective in_natural = problem_.objective_in(natural, true),
                    in_bounded = problem_.objective_in(problem_.chart);
    const NewtonOptions newton{.scoring_steps = kExactScoring,
                               .scoring_until = kScoredEnough,
                               .damping = true,
                               .max_iterations = problem_.options.max_iterations};
    if (!problem_.chart.has_sections()) {
      for (VectorXd x : points) {
        if (settled(best_)) {  // another hill is looked at only where a few steps show it as high
          if (problem_.value(problem_.chart, x) > best_.f + kFarBelow) continue;
          NewtonOptions glance = newton;
          glance.max_iterations = kGlance;
          glance.certificate = false;
          const NewtonResult seen = minimise(in_bounded, problem_.chart.constraints(), x, glance);
          if (seen.f > best_.f + kAsHigh) continue;
          x = seen.x;
          if ((x - best_.x).cwiseAbs().maxCoeff() < kSamePlace) continue;
        }
        keep_better(minimise(in_bounded, problem_.chart.constraints(), x, newton));
        if (settled(best_) && arma_terms(problem_.model) < 2) return;
      }
      return;
    }
    struct Reached {
      double f;
      bool done, given;
      VectorXd x;
    };
    std::vector<Reached> reached;
    NewtonOptions in_valley = newton;
    in_valley.max_iterations = std::min(problem_.options.max_iterations, kValleySteps);
    in_valley.certificate = false;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const NewtonResult r =
          minimise(in_natural, natural.constraints(),
                   natural.working(problem_.chart.natural(points[i])), in_valley);
      reached.push_back(
          {r.f, settled(r), given_ == i, problem_.chart.working(natural.natural(r.x))});
    }
    std::stable_sort(reached.begin(), reached.end(),
                     [](const Reached& a, const Reached& b) { return a.f < b.f; });
    // A climb that stopped at an edge is gone on with where it is the higher; where another has
    // found a maximum, not for long.
    const bool any_done =
        std::any_of(reached.begin(), reached.end(), [](const Reached& r) { return r.done; });
    for (Reached& from : reached) {
      if (!from.done) {
        if (any_done && best_.x.size() > 0) continue;
        NewtonOptions along_the_edge = newton;
        along_the_edge.certificate = false;
        along_the_edge.max_iterations =
            std::min(problem_.options.max_iterations, any_done ? kEdgeSteps : 4 * kEdgeSteps);
        from.x = minimise(problem_.objective_in(problem_.chart, true), problem_.chart.constraints(),
                          from.x, along_the_edge)
                     .x;
      }
      NewtonOptions to_the_end = newton;
      to_the_end.max_iterations =
          std::min(problem_.options.max_iterations, any_done ? kEdgeSteps : kFinishSteps);
      keep_better(minimise(in_bounded, problem_.chart.constraints(), from.x, to_the_end));
      if (settled(best_)) break;
    }
    // Where a smaller model ended nothing less will do: the climb from there is made to its end.
    if (given_ && *given_ < points.size()) {
      const VectorXd& start = points[*given_];
      if (problem_.value(problem_.chart, start) < best_.f - kNestedSlack) {
        NewtonOptions roughly = newton;
        roughly.certificate = false;
        roughly.max_iterations = std::min(problem_.options.max_iterations, kNestedSteps);
        const VectorXd near = minimise(problem_.objective_in(problem_.chart, true),
                                       problem_.chart.constraints(), start, roughly)
                                  .x;
        keep_better(minimise(in_bounded, problem_.chart.constraints(), near, newton));
      }
    }
  }

  void keep_better(NewtonResult r) {
    if (better(r, best_)) best_ = std::move(r);
  }

  Problem& problem_;
  std::optional<std::size_t> given_;
  NewtonResult best_;
};

}  // namespace

Peak climb_exact(Problem& problem) {
  return ExactClimb(problem).run();
}

}  // namespace brace
