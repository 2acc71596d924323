// SPDX-License-Identifier: Apache-2.0
// The climb of the joint likelihood. Covered by tests/estimation/estimate_test.cpp, study_test.cpp
// and variance_study_test.cpp.
//
//   starts = those of the family, likeliest first
//   from a few of them: a step or three each, then the highest to their end
//   unless the maximum is beyond doubt (`clear`):
//     from all starts, where few were taken
//     from points scattered between and around them, every second one first with its shape held
//     from beside the top: each coordinate on each of its bounds, and the family's twins
//     on from where a climb stalled above all tops
//   where climbs stall: along the wall next to them; at the kinks in mu around them
//   the highest of top, wall and kink is the Peak
//
// How many points, how many steps and how near is near were set on the 2,000 series of the study in
// docs/estimation.md, where a change of any of them is to be tried again
// (tools/studies/estimation_study.cpp): more of each finds no more tops, fewer miss some.
#include "estimation/joint_climb.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <optional>

#include "base/given_or.hpp"
#include "brace/maths/random.hpp"
#include "estimation/kink_climb.hpp"
#include "estimation/starting_points.hpp"
#include "estimation/wall_climb.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

class JointClimb {
 public:
  explicit JointClimb(Problem& problem)
      : problem_(problem),
        family_(variance_family(problem.model.variance)),
        kinks_(problem),
        walls_(problem) {}

  Peak run() {
    const EstimateOptions& options = problem_.options;
    const Model& model = problem_.model;
    const std::vector<WorkingPoint> all = starting_points(problem_);
    const auto asked = static_cast<std::size_t>(given_or(options.starts, 0, "starts"));
    const bool many = problem_.scaled.observed >= kManyRows;
    // One hill is the rule for garch on many rows.
    const bool one_hill =
        many && problem_.coordinates.size() <= kFewParameters && family_.one_hill(model);
    std::vector<WorkingPoint> points = all;
    const std::size_t polished = one_hill ? kPolishedOfGarch : many ? kPolishedOfMany : all.size();
    points.resize(std::min(all.size(), asked > 0 ? asked : polished));
    starts_ = points.size();
    climb(points, one_hill ? 1 : kFinished);
    if (options.from == ClimbFrom::everywhere && (asked == 0 ? !clear() : asked > all.size())) {
      if (many && asked == 0) {
        starts_ = all.size();
        climb(all, kFinished);
      }
      std::vector<WorkingPoint> more =
          scattered(all, asked > all.size() ? asked - all.size() : kScattered);
      if (!shock_law(model.shocks).shapes.empty())
        for (std::size_t i = 0; i < more.size(); i += 2) more[i] = climbed_at_shape(more[i]);
      starts_ += more.size();
      climb(more, std::max<std::size_t>(1, more.size() / 4));
      if (settled(best_) && asked == 0) climb_beside();
      climb_on();
      kinks_.look(best_, stalled_);
      kinks_.follow();
    } else {
      kinks_.look(best_, stalled_);
    }
    Peak peak{.top = std::move(best_), .coordinates = problem_.coordinates};
    for (const std::optional<Peak>& edge : {kinks_.highest(), walls_.highest()})
      if (edge && (!settled(peak.top) || edge->top.f < peak.top.f)) peak = *edge;
    peak.starts = static_cast<int>(starts_);
    return peak;
  }

 private:
  // Scoring steps from each starting point before they are compared. In the study of
  // docs/estimation.md no step at all misses 3 of 500 maxima, one none.
  static constexpr int kPolish = 1;
  // Where several hills are likely: steps from each guess, how many are climbed to their end, how
  // near to an end (in working coordinates) the same hill is meant, and how far below the highest
  // (in l) a hill is given up.
  static constexpr int kPolishHills = 3;
  static constexpr std::size_t kFinished = 4;
  static constexpr double kSameHill = 0.02, kHopeless = 12;
  // A maximum is beyond doubt where no climb ended at another height (in l), coefficients of the
  // variance are known as well as the family asks and every alpha is so many standard errors from
  // 0; a point on its slope lies at most so far below it.
  static constexpr double kSameTop = 1e-5, kFelt = 2.5, kSlope = 2;
  // Rows from which one hill is the rule, how many starts are polished there, and the most
  // parameters of a model of whose family the starts show that hill.
  static constexpr std::size_t kManyRows = 1000, kPolishedOfMany = 4, kPolishedOfGarch = 3;
  static constexpr Index kFewParameters = 6;
  // More points where the maximum is not beyond doubt: how many, how many steps every second one
  // makes with its shape held, how far their mu lies from the mean in standard deviations and they
  // beyond the starts in distances between two. One in four is climbed to its end.
  static constexpr std::size_t kScattered = 64;
  static constexpr int kShapeSteps = 8;
  static constexpr double kScatterMean = 0.1, kScatterBeyond = 3;
  static constexpr std::uint64_t kScatterSeed = 20;
  // Steps of a climb that may stall on a kink, fewer of one that starts near its end, and of one
  // where a maximum on a wall is known.
  static constexpr int kKinkedSteps = 50, kKinkedStepsNear = 15, kWalledSteps = 10;

  // Whether the starts show one hill and the data know its place: then no more is looked at. On few
  // rows there are many hills, a maximum on a bound or a kink may be a smaller one's, and where
  // shocks hardly move the variance, or what fades is hardly known, the likelihood is a ridge with
  // several tops.
  [[nodiscard]] bool clear() const {
    if (problem_.scaled.observed < kManyRows || !settled(best_) || kinks_.highest() ||
        walls_.highest() || stalled_)
      return false;
    if ((best_.multipliers.array() > 0).any()) return false;
    for (const End& end : ends_)
      if (std::abs(end.f - best_.f) > kSameTop) return false;
    if (!maths::lower_root(best_.hessian)) return false;
    const MatrixXd covariance = maths::inverse_of_positive(best_.hessian);
    const VectorXd errors = covariance.diagonal().cwiseSqrt();
    const auto felt = [&](double sum, double variance) {
      return std::abs(sum) > kFelt * std::sqrt(variance);
    };
    // Falls may move a variance that rises do not.
    const auto falls_are_felt = [&](Index alpha) {
      const std::size_t first = problem_.parts.mean.size();
      const std::optional<std::size_t> gamma =
          family_.beside_alpha(problem_.model, problem_.coordinates.parameter(alpha) - first);
      for (Index c = 0; gamma && c < best_.x.size(); ++c)
        if (problem_.coordinates.parameter(c) == first + *gamma)
          return felt(best_.x(alpha) + best_.x(c),
                      covariance(alpha, alpha) + covariance(c, c) + 2 * covariance(alpha, c));
      return false;
    };
    for (Index c = 0; c < best_.x.size(); ++c) {
      const std::size_t variance = problem_.coordinates.parameter(c) - problem_.parts.mean.size();
      if (variance >= problem_.parts.variance.size()) continue;
      const std::string& name = problem_.parts.variance[variance];
      if (name.starts_with("alpha") && !felt(best_.x(c), covariance(c, c)) && !falls_are_felt(c))
        return false;
      const bool of_level = name == "omega" || name == "sigma2" || name.starts_with("vwith:");
      if (!of_level && name != "delta" && !name.starts_with("gamma") && errors(c) > family_.unknown)
        return false;
    }
    return true;
  }

  // Near the maximum that is known, in standard errors, and as high as its curvature says: the same
  // hill.
  [[nodiscard]] bool on_its_slope(double f, const WorkingPoint& x) const {
    const VectorXd away = x - best_.x;
    const double fall = 0.5 * away.dot(best_.hessian * away);
    return fall < kSlope && std::abs(f - best_.f - fall) < 0.5 * fall;
  }

  // From beside the highest point, where it is flat and a hill of its own may rise: each coordinate
  // of variance and shocks moved to each of its bounds, and parameters that mean nearly the same.
  void climb_beside() {
    const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
    std::vector<WorkingPoint> points;
    for (Index i = 0; i < bounds.C.rows(); ++i) {
      if (best_.is_active(i) || (bounds.C.row(i).array() != 0).count() != 1) continue;
      Index coordinate = 0;
      bounds.C.row(i).cwiseAbs().maxCoeff(&coordinate);
      if (problem_.coordinates.parameter(coordinate) < problem_.parts.mean.size()) continue;
      WorkingPoint x(best_.x);
      x(coordinate) = bounds.d(i) / bounds.C(i, coordinate);
      points.push_back(inside(x));
    }
    starts_ += points.size();
    if (!points.empty()) climb(points, kFinished);
    points.clear();
    const ScaledParameters top = problem_.coordinates.scaled(WorkingPoint(best_.x));
    const std::span<const double> variance = span_of(top).subspan(problem_.parts.mean.size());
    for (const std::vector<double>& twin : family_.twins(variance)) {
      ScaledParameters theta = top;
      std::copy(twin.begin(), twin.end(), theta.begin() + problem_.first_variance());
      points.push_back(inside(problem_.coordinates.working(problem_.with_held(std::move(theta)))));
    }
    starts_ += points.size();
    if (!points.empty()) climb(points, kFinished);
    if (const std::optional<double> mu = kinks_.other_side_of_a_shared_value(
            problem_.coordinates.scaled(WorkingPoint(best_.x))(0))) {
      WorkingPoint x(best_.x);
      x(0) = *mu;
      ++starts_;
      climb_from(x);
    }
  }

  // The point nearest to x that meets the bounds, which the highest point does but for rounding.
  [[nodiscard]] WorkingPoint inside(const WorkingPoint& x) const {
    const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
    if ((bounds.d - bounds.C * x).minCoeff() >= 0) return x;
    const Eigen::LLT<MatrixXd> identity = maths::cholesky(MatrixXd::Identity(x.size(), x.size()));
    const maths::QuadraticStep step = maths::solve_quadratic(
        best_.x - x, identity, bounds.C, (bounds.d - bounds.C * best_.x).cwiseMax(0));
    return WorkingPoint(best_.x + step.s);
  }

  // A few steps with the shape held where it is: far from a maximum heavy tails explain everything,
  // and a climb that is free to take them does not come back.
  WorkingPoint climbed_at_shape(const WorkingPoint& x) {
    const ScaledParameters theta = problem_.coordinates.scaled(x);
    std::vector<std::optional<double>> held = problem_.held_scaled();
    for (std::size_t j = problem_.names.size() - shock_law(problem_.model.shocks).shapes.size();
         j < problem_.names.size(); ++j)
      held[j] = theta(static_cast<Index>(j));
    const Coordinates at_shape = problem_.make_coordinates(std::move(held));
    if (at_shape.size() == 0) return x;
    const maths::NewtonResult r = maths::minimise(
        problem_.objective_in(at_shape), at_shape.constraints(), at_shape.working(theta),
        {.scoring_steps = kShapeSteps, .max_iterations = kShapeSteps, .certificate = false});
    return std::isfinite(r.f) ? problem_.coordinates.working(at_shape.scaled(WorkingPoint(r.x)))
                              : x;
  }

  // Points between the starts, with other shapes and another mu: the same on every run.
  [[nodiscard]] std::vector<WorkingPoint> scattered(const std::vector<WorkingPoint>& points,
                                                    std::size_t count) const {
    maths::RandomStream u(kScatterSeed, 0);
    const std::vector<ShapeCoordinate>& shapes = shock_law(problem_.model.shocks).shapes;
    const std::size_t first_shape = problem_.names.size() - shapes.size();
    const auto any = [&] {
      return points[static_cast<std::size_t>(u.uniform() * static_cast<double>(points.size()))];
    };
    std::vector<WorkingPoint> more;
    for (std::size_t i = 0; i < count; ++i) {
      // Every second one beyond its two starts, to where the bounds stop it.
      const double share = i % 2 == 0 ? u.uniform() : kScatterBeyond * u.uniform();
      WorkingPoint x(share * any() + (1 - share) * any());
      for (Index c = 0; c < x.size(); ++c) {
        const std::size_t p = problem_.coordinates.parameter(c);
        if (p == 0 && problem_.model.mean.constant) x(c) += kScatterMean * u.normal();
        if (p < first_shape) continue;
        const ShapeCoordinate& shape = shapes[p - first_shape];
        x(c) = shape.low + (shape.high - shape.low) * (.05 + .9 * u.uniform());
      }
      more.push_back(problem_.feasible(x));
    }
    return more;
  }

  // A few scoring steps from each point show which hills are high; so many of them are climbed to
  // the end.
  void climb(const std::vector<WorkingPoint>& points, std::size_t finished) {
    const maths::Objective objective = problem_.objective_in(problem_.coordinates);
    const int steps = finished > 1 ? kPolishHills : kPolish;
    std::vector<std::pair<double, WorkingPoint>> ranked;
    for (const WorkingPoint& x : points) {
      if (points.size() == 1) {
        ranked.emplace_back(0, x);
        break;
      }
      maths::NewtonResult r =
          maths::minimise(objective, problem_.coordinates.constraints(), x,
                          {.scoring_steps = steps, .max_iterations = steps, .certificate = false});
      ranked.emplace_back(r.f, std::move(r.x));
    }
    std::stable_sort(ranked.begin(), ranked.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::size_t climbed = 0;
    const bool kinked = kinks_.may_be();
    for (const bool damped : {false, true}) {
      if (damped && kinked) {
        kinks_.look(best_, stalled_);
        if (kinks_.highest()) break;
        climbed = 0;
      }
      for (const auto& [f, x] : ranked) {
        // What climbs to a kink stalls there, from every start.
        if ((found() || (kinked && !damped)) &&
            (climbed >= finished || f > ranked.front().first + kHopeless))
          break;
        const auto same = [&x = x](const End& end) {
          return (x - end.x).cwiseAbs().maxCoeff() < kSameHill;
        };
        if (settled(best_) && std::any_of(ends_.begin(), ends_.end(), same)) continue;
        if (clear() && on_its_slope(f, x)) continue;
        maths::NewtonOptions newton;
        newton.scoring_steps = 2;
        newton.damping = damped;
        const int kinked_steps =
            problem_.options.from == ClimbFrom::near_start ? kKinkedStepsNear : kKinkedSteps;
        newton.max_iterations = walls_.highest() && !damped ? kWalledSteps
                                : kinked && !damped         ? kinked_steps
                                                            : problem_.options.max_iterations;
        newton.max_iterations = std::min(newton.max_iterations, problem_.options.max_iterations);
        maths::NewtonResult r =
            maths::minimise(objective, problem_.coordinates.constraints(), x, newton);
        ends_.push_back({r.f, r.x});
        ++climbed;
        keep_better(std::move(r));
      }
      if (found()) break;
    }
  }

  [[nodiscard]] bool found() const { return settled(best_) || walls_.highest(); }

  // On from where a climb stalled above all maxima that were found.
  void climb_on() {
    if (kinks_.may_be() || !stalled_ || !found()) return;
    const double on_wall = walls_.highest() ? walls_.highest()->top.f : best_.f,
                 highest = settled(best_) ? std::min(best_.f, on_wall) : on_wall;
    if (!(stalled_->f < highest - kSameTop)) return;
    climb_from(WorkingPoint(stalled_->x));
  }

  void climb_from(const WorkingPoint& x) {
    keep_better(maths::minimise(
        problem_.objective_in(problem_.coordinates), problem_.coordinates.constraints(), x,
        {.damping = true, .max_iterations = problem_.options.max_iterations}));
  }

  void keep_better(maths::NewtonResult r) {
    if (!settled(r) && std::isfinite(r.f)) {
      walls_.climb(r);
      if (!stalled_ || r.f < stalled_->f) stalled_ = r;
    }
    if (better(r, best_)) best_ = std::move(r);
  }

  Problem& problem_;
  const VarianceFamily& family_;
  maths::NewtonResult best_;
  struct End {
    double f;
    VectorXd x;
  };
  std::vector<End> ends_;  // of climbs
  std::size_t starts_ = 0;
  // The highest climb that stalled.
  std::optional<maths::NewtonResult> stalled_;
  KinkClimb kinks_;
  WallClimb walls_;
};

}  // namespace

Peak climb_joint(Problem& problem) {
  return JointClimb(problem).run();
}

}  // namespace brace::inline v0
