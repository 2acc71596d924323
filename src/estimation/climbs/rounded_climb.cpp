// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/rounded_kinks_test.cpp.
//
//   every |x| that makes a kink is sqrt(x^2 + r^2): smooth, and as near as r is small
//   Newton for r = 0.3, then for a fifth of it, and so on; each climb starts where the line through
//     the last two ends leads, as the maximum moves in proportion to r
//   at the last r its gradient vanishes: with the slopes x / sqrt(x^2 + r^2), all within [-1, 1],
//     that is the condition of a maximum on kinks (0 is among the subgradients)
//   the terms of the mean are held there, and the others climb the likelihood itself
//
// Smoothing of this kind: Nesterov (2005), section 4; following the path as in Allgower and Georg
// (1990), section 2.1.
#include "estimation/climbs/rounded_climb.hpp"

#include <algorithm>
#include <cmath>
#include <memory>
#include <utility>

#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "likelihood/joint_likelihood.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;

// Of shocks in standard deviations: the first rounding, by what it shrinks, and how many there are.
// The last one, 3e-8, moves the likelihood by a few 1e-6 a hundred rows on kinks.
constexpr double kFirst = 0.3, kFiner = 0.2;
constexpr int kRoundings = 11;
constexpr int kSteps = 60, kSmoothSteps = 10;

}  // namespace

RoundedClimb::RoundedClimb(Problem& problem) : problem_(problem) {
  const Model& model = problem.model;
  may_be_ = (variance_family(model.variance).may_kink || shock_law(model.shocks).rough) &&
            !problem.exact && !problem.parts.mean.empty() && !model.mean.risk;
}

std::optional<RoundedClimb::End> RoundedClimb::climb(const maths::NewtonResult& stalled) {
  if (!may_be_ || !std::isfinite(stalled.f)) return {};
  auto rounded = std::make_unique<PlainLikelihood>(problem_.model, problem_.scaled.data);
  PlainLikelihood& by = *rounded;
  std::unique_ptr<LogLikelihood> itself = std::exchange(problem_.likelihood, std::move(rounded));
  const maths::Objective objective = problem_.objective_in(problem_.coordinates);
  maths::NewtonResult r;
  int steps = 0;
  WorkingPoint x(stalled.x), ahead = x;
  double over = kFirst;
  for (int rounding = 0; rounding < kRoundings; ++rounding, over *= kFiner) {
    const bool first = rounding == 0;
    by.round_kinks(over);
    r = maths::minimise(objective, problem_.coordinates.constraints(), ahead,
                        {.scoring_steps = first ? 2 : 0,
                         .gradient_norm = 0.5 * kConverged,
                         .max_iterations = std::min(kSteps, problem_.options.max_iterations)});
    if (!std::isfinite(r.f)) break;
    steps += r.iterations;
    const WorkingPoint last = first ? WorkingPoint(r.x) : x;
    x = WorkingPoint(r.x);
    ahead = problem_.feasible(WorkingPoint(x + kFiner * (x - last)));
  }
  problem_.likelihood = std::move(itself);
  if (!std::isfinite(r.f) || !settled(r)) return {};
  // Near the end the likelihood itself may be smooth.
  maths::NewtonResult smooth = maths::minimise(
      problem_.objective_in(problem_.coordinates), problem_.coordinates.constraints(), x,
      {.scoring_steps = 0, .max_iterations = kSmoothSteps});
  if (settled(smooth) && smooth.gradient_norm < kConverged && smooth.f < r.f + kConverged)
    return End{.f = smooth.f, .x = x, .hessian = smooth.hessian, .smooth = smooth};
  if (!keep(problem_.coordinates.scaled(x), steps)) return {};
  return End{.f = r.f, .x = std::move(x), .hessian = std::move(r.hessian)};
}

// The maximum of the likelihood itself over the others, with the terms of the mean held at `top`,
// to which so many steps led.
bool RoundedClimb::keep(const ScaledParameters& top, int steps) {
  std::vector<std::optional<double>> held = problem_.held_scaled();
  std::vector<std::size_t> terms;
  for (std::size_t j = 0; j < problem_.parts.mean.size(); ++j)
    if (!held[j]) {
      held[j] = top(static_cast<Index>(j));
      terms.push_back(j);
    }
  if (terms.empty()) return false;
  Coordinates others = problem_.make_coordinates(std::move(held));
  maths::NewtonResult r;
  if (others.size() > 0) {
    r = maths::minimise(problem_.objective_in(others), others.constraints(), others.working(top),
                        {.scoring_steps = 0, .max_iterations = problem_.options.max_iterations});
    if (!settled(r)) return false;
  } else {
    r.x.resize(0);
    r.f = problem_.value(others, WorkingPoint(r.x));
    r.gradient_norm = 0;
    r.stop = maths::NewtonStop::optimum;
    if (!std::isfinite(r.f)) return false;
  }
  r.iterations += steps;
  if (!highest_ || r.f < highest_->top.f)
    highest_ = Peak{.top = std::move(r), .coordinates = std::move(others), .on_kinks = terms};
  return true;
}

}  // namespace brace::inline v0
