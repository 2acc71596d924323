// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/estimate_test.cpp and variance_study_test.cpp.
//
//   the values of the series nearest to the stalled mu, by the likelihood there with the other
//     parameters as they are
//   from the likeliest: mu held on the value, the others climbed
//   a maximum where the likelihood falls to both sides of it; from there again, a few rounds
#include "estimation/kink_climb.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

// Values of the series next to a stalled mu that are looked at as kinks, the likeliest of them that
// are climbed, and how often the look goes on from a higher one.
constexpr std::size_t kKinksSeen = 48, kKinks = 8;
constexpr int kKinkRounds = 4;
// How far beside a kink its slopes are taken, and by how many times its bend a slope must be too
// steep for a maximum before no climb is worth while.
constexpr double kBeside = 1e-9, kPlainly = 2;
// A kink whose likelihood is so little below that of a smooth maximum is climbed to its end; around
// where a climb stalled, one that is so little below the highest.
constexpr double kNearKink = 0.03, kNearStall = 0.1;
// Rows with one value from which the likelihood is looked at on both sides of it.
constexpr std::size_t kShared = 5;
// How much lower a kink must be than a smooth maximum.
constexpr double kLower = 1e-5;

// What is left of the curvature in mu at the maximum where the others give way.
double give_of_mu(const maths::NewtonResult& best) {
  const MatrixXd& H = best.hessian;
  const VectorXd column = maths::solve_symmetric(H, VectorXd(VectorXd::Unit(H.rows(), 0)));
  return 1 / (H(0, 0) * column(0));
}

}  // namespace

bool KinkClimb::may_be() const {
  return (variance_family(problem_.model.variance).may_kink ||
          shock_law(problem_.model.shocks).kinks) &&
         problem_.coordinates.size() > 1 && problem_.coordinates.parameter(0) == 0 &&
         problem_.model.mean.constant && arma_terms(problem_.model) == 0 &&
         problem_.at.regression.size() == 1;
}

void KinkClimb::look(const maths::NewtonResult& best, std::optional<maths::NewtonResult>& stalled) {
  if (!may_be()) return;
  const ClimbFrom from = problem_.options.from;
  if (stalled && !(settled(best) && stalled->f > best.f + kNearStall)) {
    const double below = settled(best) ? std::min(stalled->f, best.f) : stalled->f;
    const bool found =
        climb(problem_.coordinates.scaled(WorkingPoint(stalled->x)), below + kLower, kKinksSeen);
    if (found && from != ClimbFrom::near_start) follow();
    stalled.reset();
  }
  // From one given point a smooth maximum is the answer: no kink beside it is asked for.
  if (settled(best) && from == ClimbFrom::everywhere &&
      at(problem_.coordinates.scaled(WorkingPoint(best.x))))
    (void)climb(problem_.coordinates.scaled(WorkingPoint(best.x)), best.f - kLower, kKinks,
                give_of_mu(best));
}

void KinkClimb::follow() {
  if (!highest_) return;
  for (int round = 1; round < kKinkRounds; ++round)
    if (!climb(highest_->parameters(), highest_->top.f, kKinksSeen)) return;
}

std::optional<double> KinkClimb::other_side_of_a_shared_value(double mu) const {
  if (!may_be()) return {};
  double next = std::numeric_limits<double>::infinity();
  std::size_t rows = 0;
  for (const double v : problem_.scaled.data.change) {
    if (std::abs(v - mu) < std::abs(next - mu)) {
      next = v;
      rows = 0;
    }
    if (v == next) ++rows;
  }
  if (rows < kShared || next == mu) return {};
  return 2 * next - mu;
}

// Whether there is a kink in mu where the other parameters are these.
bool KinkClimb::at(const ScaledParameters& theta) const {
  const std::span<const double> all = span_of(theta);
  const std::span<const double> from_variance = all.subspan(problem_.parts.mean.size());
  const ShockLaw& law = shock_law(problem_.model.shocks);
  return variance_family(problem_.model.variance).kinks(problem_.model, from_variance) ||
         (law.kinks && law.kinks(all.last(law.shapes.size())));
}

// Of the `seen` values next to mu the likeliest few, the others climbed to their end with mu held
// there. True when one is a maximum, and its f below `below` and that of kinks found before. Next
// to a smooth maximum the slopes at a value, of which `give` is left where the others give way,
// show whether it can be one.
bool KinkClimb::climb(const ScaledParameters& from, double below, std::size_t seen,
                      std::optional<double> give) {
  if (highest_) below = std::min(below, highest_->top.f);
  std::vector<double> values;
  for (const double v : problem_.scaled.data.change)
    if (!std::isnan(v)) values.push_back(v);
  std::sort(values.begin(), values.end());
  values.erase(std::unique(values.begin(), values.end()), values.end());
  seen = std::min(seen, values.size());
  std::partial_sort(
      values.begin(), values.begin() + static_cast<std::ptrdiff_t>(seen), values.end(),
      [&](double a, double b) { return std::abs(a - from(0)) < std::abs(b - from(0)); });
  std::vector<std::pair<double, double>> ranked;  // f, mu
  for (std::size_t i = 0; i < seen; ++i) {
    ScaledParameters there = from;
    there(0) = values[i];
    if (const double f = problem_.value_at(there); f < below + (give ? kNearKink : kNearStall))
      ranked.emplace_back(f, values[i]);
  }
  std::sort(ranked.begin(), ranked.end());
  ranked.resize(std::min(ranked.size(), kKinks));
  bool found = false;
  for (const auto& [f, mu] : ranked) {
    std::vector<std::optional<double>> held = problem_.held_scaled();
    held[0] = mu;
    Coordinates coordinates = problem_.make_coordinates(held);
    ScaledParameters start = from;
    start(0) = mu;
    const auto slope_beside = [&, mu = mu](ScaledParameters theta, double side) {
      theta(0) = mu + side * kBeside * (1 + std::abs(mu));
      return problem_.slope_in(0, theta);
    };
    if (give) {
      const double left = slope_beside(start, -1), right = slope_beside(start, 1);
      if (*give * std::abs(left + right) > kPlainly * (right - left)) continue;
    }
    maths::NewtonOptions newton;
    newton.max_iterations = problem_.options.max_iterations;
    maths::NewtonResult r =
        maths::minimise(problem_.objective_in(coordinates), coordinates.constraints(),
                        coordinates.working(start), newton);
    if (!settled(r) || !(r.f < below)) continue;
    const ScaledParameters top = coordinates.scaled(WorkingPoint(r.x));
    if (!(slope_beside(top, -1) < 0 && slope_beside(top, 1) > 0)) continue;
    below = r.f;
    highest_ = Peak{.top = std::move(r), .coordinates = std::move(coordinates), .kink = mu};
    found = true;
    if (problem_.options.from == ClimbFrom::near_start) break;
  }
  return found;
}

}  // namespace brace::inline v0
