// SPDX-License-Identifier: Apache-2.0
// The climb of the exact likelihood of a mean equation. Covered by tests/likelihood/exact_test.cpp
// and tests/search/one_maximum_test.cpp.
//
//   the highest maximum of the models with one lag less is climbed first, whatever it looks like
//   further points: Hannan and Rissanen's, and maxima without a pair of factors, with the pairs
//     that the residuals ask for
//   a glance (four steps) at each; those near a better one or far below are left out
//   each climb: in the coefficients, where valleys are straight; along the edge it meets; to the
//     end in the coordinates whose bounds are the edges; with the roots paired anew where two met
//   where no climb ended well: from coefficients drawn anywhere
//   the maximum is kept for the models that contain this one
//
// Constants were set on the 36 candidates up to orders five of 200 series
// (tests/search/hard_study_test.cpp) and the benchmark of the search, which pays for each of them.
#include "estimation/climbs/exact_climb.hpp"

#include <algorithm>
#include <cmath>

#include "base/given_or.hpp"
#include "brace/maths/random.hpp"
#include "estimation/smaller_models.hpp"
#include "estimation/starting_points.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

class ExactClimb {
 public:
  ExactClimb(Problem& problem, SmallerModels& smaller)
      : problem_(problem),
        smaller_(smaller),
        plain_(problem.model, problem.held_scaled(), Coordinates::Kind::plain),
        newton_{.scoring_steps = kExactScoring,
                .scoring_until = kScoredEnough,
                .damping = true,
                .max_iterations = problem.options.max_iterations} {}

  Peak run() {
    const EstimateOptions& options = problem_.options;
    std::vector<WorkingPoint> points = starting_points(problem_);
    const bool everywhere = options.from == ClimbFrom::everywhere;
    const auto add = [&](const std::vector<ScaledParameters>& more, bool first = false) {
      std::vector<WorkingPoint> feasible;
      for (const ScaledParameters& theta : more)
        feasible.push_back(
            problem_.feasible(problem_.coordinates.working(problem_.with_held(theta))));
      points.insert(first ? points.begin() : points.end(), feasible.begin(), feasible.end());
    };
    if (everywhere && !SmallerModels::help(problem_.model) && arma_terms(problem_.model) > 1)
      add({exact_start(problem_, 0.5), exact_start(problem_, 0)});
    if (everywhere && SmallerModels::help(problem_.model)) {
      const bool gaps = !problem_.data.missing.empty();
      if (auto x = smaller_.highest_contained(problem_))
        points.insert(points.begin(), std::move(*x));
      if (gaps) add(maximum_of_filled(), true);
      // The first is climbed whatever it looks like, and of the others those that a glance shows to
      // lead elsewhere: no model ends below the smaller one at whose maximum it begins.
      climb(points.front());
      if (!gaps) add(smaller_.pairs(problem_, best_.f));
    }
    if (options.starts) {
      const auto asked = static_cast<std::size_t>(given_or(options.starts, 1, "starts"));
      climbed_ = std::max(kClimbed, asked);
      points.resize(std::min(points.size(), asked));
      for (std::uint64_t k = 1; points.size() < asked; ++k)
        points.push_back(anywhere(points.front(), k));
    }
    const int starts = static_cast<int>(points.size());
    const WorkingPoint first = points.front();
    if (best_.x.size() > 0) points.erase(points.begin());
    for (const WorkingPoint& x : likeliest(points)) climb(x);
    // Where no climb ended well (long seasonal factors, whose smaller models are not climbed) a
    // start from elsewhere may.
    int more = 0;
    if (everywhere && !options.starts && best_.x.size() > 0 && arma_terms(problem_.model) > 0)
      for (; more < kMoreStarts && !settled(best_); ++more)
        climb(anywhere(first, static_cast<std::uint64_t>(more) + 1));
    if (everywhere && best_.x.size() > 0) smaller_.keep(problem_, WorkingPoint(best_.x));
    return {.top = std::move(best_),
            .coordinates = problem_.coordinates,
            .kink = {},
            .starts = starts + more};
  }

 private:
  // Starts that are climbed to their end, where none are asked for; the seed of further ones.
  static constexpr std::size_t kClimbed = 4;
  static constexpr std::uint64_t kDraws = 20;
  // So many of them where none ended well.
  static constexpr int kMoreStarts = 4;
  // The exact climb scores until Newton's method doubles the digits, at most so often; then it
  // needs the Hessian, which costs several scoring steps.
  static constexpr int kExactScoring = 12;
  static constexpr double kScoredEnough = 1e-1;
  // Steps in the coefficients themselves before the bounds are brought in: a climb that is not done
  // by then runs along an edge.
  static constexpr int kValleySteps = 16;
  // Rough steps along an edge, and exact ones after them: near an edge each costs as much as forty
  // passes.
  static constexpr int kEdgeSteps = 20, kFinishSteps = 60;
  // Steps of a glance at a start, how far below the best it may lie after them, how near to another
  // it is the same place, and what is no other height.
  static constexpr int kGlance = 4;
  static constexpr double kFarBelow = 25, kSamePlace = 0.02, kSameTop = 1e-6, kHigher = 1e-4,
                          kEdge = 1e-3;
  static constexpr int kScoredAtEdge = 60;
  // Coordinates that change by more when the roots are paired anew are those of other pairs.
  static constexpr double kPairedAnew = 1e-6;

  // The same point with lag coefficients from anywhere inside, the k-th draw.
  WorkingPoint anywhere(WorkingPoint x, std::uint64_t k) {
    maths::RandomStream stream(kDraws, k);
    const MeanPositions& at = problem_.at;
    const std::size_t last = at.seasonal_ma + problem_.model.mean.seasonal_ma.size();
    for (Eigen::Index i = 0; i < x.size(); ++i)
      if (const std::size_t p = problem_.coordinates.parameter(i); p >= at.ar && p < last)
        x(i) = 2 * stream.uniform() - 1;
    x = problem_.feasible(x);
    // Sparse sets have no bounds of their own: drawn in until they are admitted.
    ScaledParameters theta = problem_.coordinates.scaled(x);
    for (int attempt = 0; attempt < 40 && !problem_.coordinates.admits(theta); ++attempt) {
      for (std::size_t p = at.ar; p < last; ++p) theta(static_cast<Eigen::Index>(p)) *= 0.8;
      x = problem_.coordinates.working(problem_.with_held(theta));
    }
    return x;
  }

  // Every pass over a series with gaps costs many over one without: the hills are looked at where
  // each missing row is the one before it, which leaves the highest where it was or near to it.
  std::vector<ScaledParameters> maximum_of_filled() {
    MeanData filled = problem_.data;
    for (std::size_t t = 0; t < filled.change.size(); ++t)
      if (std::isnan(filled.change[t])) filled.change[t] = filled.filled[t];
    for (std::size_t t = 1; t < filled.level.size(); ++t)
      if (std::isnan(filled.level[t])) filled.level[t] = filled.level[t - 1];
    filled.missing.clear();
    const Problem whole(problem_.model, filled, problem_.options, true);
    const auto top = smaller_.maximum(whole, problem_.model);
    if (!top) return {};
    return {problem_.to_scaled(whole.to_data(top->theta))};
  }

  // The points after a few steps from each, best first: those that lie near to a better one (that
  // climbed to before, if any, among them), or so far below the best that no climb would bring them
  // up, are left out.
  std::vector<WorkingPoint> likeliest(const std::vector<WorkingPoint>& points) {
    const bool first = best_.x.size() == 0;
    if (points.size() < 2 && first) return points;
    struct Seen {
      double f;
      WorkingPoint x;
    };
    std::vector<Seen> seen;
    maths::NewtonOptions glance = newton_;
    glance.max_iterations = kGlance;
    glance.certificate = false;
    for (const WorkingPoint& x : points) {
      const maths::NewtonResult r = in_valley(x, glance);
      if (std::isfinite(r.f)) seen.push_back({r.f, WorkingPoint(r.x)});
    }
    std::stable_sort(seen.begin(), seen.end(),
                     [](const Seen& a, const Seen& b) { return a.f < b.f; });
    std::vector<WorkingPoint> kept;
    if (!first) kept.emplace_back(best_.x);
    for (const Seen& s : seen) {
      if (s.f > (first ? seen.front().f : std::min(best_.f, seen.front().f)) + kFarBelow) break;
      const bool near = std::any_of(kept.begin(), kept.end(),
                                    [&](const WorkingPoint& x) { return same_place(x, s.x); });
      if (!near) kept.push_back(s.x);
      if (kept.size() == climbed_) break;
    }
    if (!first) kept.erase(kept.begin());
    return kept.empty() && first ? points : kept;
  }

  static bool same_place(const VectorXd& x, const VectorXd& y) {
    return (x - y).cwiseAbs().maxCoeff() < kSamePlace;
  }

  // Terms that stand in for one another make long valleys, straight in the coefficients themselves:
  // where a set of lags is full, a climb is made there.
  maths::NewtonResult in_valley(const WorkingPoint& x, const maths::NewtonOptions& how) {
    if (!problem_.coordinates.has_sections())
      return maths::minimise(problem_.objective_in(problem_.coordinates, true),
                             problem_.coordinates.constraints(), x, how);
    maths::NewtonResult r =
        maths::minimise(problem_.objective_in(plain_, true), plain_.constraints(),
                        plain_.working(problem_.coordinates.scaled(x)), how);
    r.x = problem_.coordinates.working(plain_.scaled(WorkingPoint(r.x)));
    // Roots that crowd at the circle may not come back from their coefficients as they were.
    if (std::isfinite(r.f) && problem_.coordinates.margin(WorkingPoint(r.x)).minCoeff() < kEdge) {
      const double there =
                       problem_.value(problem_.coordinates, problem_.feasible(WorkingPoint(r.x))),
                   here = problem_.value(problem_.coordinates, x);
      if (!(there < here)) {
        r.x = x;
        r.f = here;
      }
    }
    return r;
  }

  // In the coefficients first, and to the end in the coordinates whose bounds are the edges.
  void climb(WorkingPoint x) {
    const maths::Objective in_bounded = problem_.objective_in(problem_.coordinates),
                           rough = problem_.objective_in(problem_.coordinates, true);
    bool done = true;
    if (problem_.coordinates.has_sections()) {
      maths::NewtonOptions valley = newton_;
      valley.max_iterations = std::min(problem_.options.max_iterations, kValleySteps);
      valley.certificate = false;
      const maths::NewtonResult r = in_valley(x, valley);
      done = settled(r);
      x = WorkingPoint(r.x);
      if (best_.x.size() > 0 && settled(best_)) {
        // Where the same hill was climbed before, or a higher one and this one is at its top.
        if (same_place(x, best_.x) && r.f > best_.f - kSameTop) return;
        if (done && r.f > best_.f - kSameTop) return;
      }
      if (!done) {  // it stopped at an edge
        maths::NewtonOptions along_the_edge = newton_;
        along_the_edge.certificate = false;
        along_the_edge.max_iterations = std::min(problem_.options.max_iterations, kEdgeSteps);
        const maths::NewtonResult edge =
            maths::minimise(rough, problem_.coordinates.constraints(), x, along_the_edge);
        if (best_.x.size() > 0 && settled(best_) && edge.f > best_.f - kSameTop) return;
        x = WorkingPoint(edge.x);
      }
    }
    maths::NewtonOptions to_the_end = newton_;
    to_the_end.max_iterations = std::min(problem_.options.max_iterations, kFinishSteps);
    maths::NewtonResult r =
        finished(maths::minimise(in_bounded, problem_.coordinates.constraints(), x, to_the_end));
    if (problem_.coordinates.has_sections() && !settled(r) && std::isfinite(r.f)) {
      // Real roots of two sections may have met, where neither can turn complex: they are paired
      // anew.
      x = problem_.feasible(
          problem_.coordinates.working(problem_.coordinates.scaled(WorkingPoint(r.x))));
      if ((x - r.x).cwiseAbs().maxCoeff() > kPairedAnew) {
        maths::NewtonResult again = finished(
            maths::minimise(in_bounded, problem_.coordinates.constraints(), x, to_the_end));
        if (better(again, r)) r = std::move(again);
      }
    }
    keep_better(std::move(r));
  }

  // Next to the unit circle the Hessian, a difference of gradients that cancel, may lose all its
  // digits: where no step leads on, the information matrix measures what slope is left.
  maths::NewtonResult finished(maths::NewtonResult r) {
    if (settled(r) || r.stop == maths::NewtonStop::not_finite ||
        problem_.coordinates.margin(WorkingPoint(r.x)).minCoeff() > kEdge)
      return r;
    maths::NewtonOptions scoring = newton_;
    scoring.scoring_steps = kScoredAtEdge;
    scoring.scoring_until = 0;
    scoring.max_iterations = kScoredAtEdge;
    scoring.certificate = false;
    maths::NewtonResult on = maths::minimise(problem_.objective_in(problem_.coordinates, true),
                                             problem_.coordinates.constraints(), r.x, scoring);
    if (on.f < r.f) {
      r.x = on.x;
      r.f = on.f;
    }
    VectorXd gradient;
    MatrixXd information;
    const maths::Objective rough = problem_.objective_in(problem_.coordinates, true);
    if (!std::isfinite(
            rough.derivatives(r.x, maths::Curvature::information, gradient, information)))
      return r;
    const Eigen::LLT<MatrixXd> llt = maths::cholesky(information);
    if (llt.info() != Eigen::Success) return r;
    const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
    const maths::QuadraticStep step =
        maths::solve_quadratic(gradient, llt, bounds.C, bounds.slack(r.x).cwiseMax(0));
    r.gradient_norm = std::sqrt(std::max(0.0, -gradient.dot(step.s)));
    if ((step.multipliers.array() > 0).any()) r.stop = maths::NewtonStop::rounding;
    r.gradient = gradient;
    r.hessian = information;
    r.multipliers = step.multipliers;
    return r;
  }

  void keep_better(maths::NewtonResult r) {
    // A point that is no maximum but lies higher than one says that the other is none either. Of
    // seasonal factors, whose hills are not all looked at, a maximum is taken for what it is.
    if (!SmallerModels::help(problem_.model)) {
      if (better(r, best_)) best_ = std::move(r);
      return;
    }
    const bool any = best_.x.size() > 0;
    const bool shown_to_be_none = any && settled(best_) && !settled(r) && r.f < best_.f - kHigher,
               is_none = any && settled(r) && !settled(best_) && best_.f < r.f - kHigher;
    if (shown_to_be_none || (!is_none && better(r, best_))) best_ = std::move(r);
  }

  Problem& problem_;
  SmallerModels& smaller_;
  Coordinates plain_;
  maths::NewtonOptions newton_;
  maths::NewtonResult best_;
  std::size_t climbed_ = kClimbed;
};

}  // namespace

Peak climb_exact(Problem& problem, SmallerModels& smaller) {
  return ExactClimb(problem, smaller).run();
}

}  // namespace brace::inline v0
