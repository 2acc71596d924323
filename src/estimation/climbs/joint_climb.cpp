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
//   where there is no top at all: from those of the families that this one contains
//   where climbs stall: along the wall next to them; a likelihood with kinks has climbs of its own
//   the highest of top, wall and kink is the Peak
//
// How many points, how many steps and how near is near were set on the 2,000 series of the study in
// docs/estimation.md, where a change of any of them is to be tried again
// (tools/studies/estimation_study.cpp): more of each finds no more tops, fewer miss some.
#include "estimation/climbs/joint_climb.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <optional>

#include "base/given_or.hpp"
#include "estimation/climbs/kink_climb.hpp"
#include "estimation/climbs/more_points.hpp"
#include "estimation/climbs/rounded_climb.hpp"
#include "estimation/climbs/wall_climb.hpp"
#include "estimation/starting_points.hpp"
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
  // From which contained models it climbs too.
  enum class Contained { all, none };
  explicit JointClimb(Problem& problem, Contained contained = Contained::all)
      : problem_(problem),
        from_contained_(contained),
        family_(variance_family(problem.model.variance)),
        kinks_(problem),
        rounded_(problem),
        walls_(problem) {}

  Peak run() {
    const EstimateOptions& options = problem_.options;
    const std::vector<WorkingPoint> starts = starting_points(problem_);
    const auto asked = static_cast<std::size_t>(given_or(options.starts, 0, "starts"));
    climb_likeliest(starts, asked);
    if (options.from == ClimbFrom::everywhere) {
      if (asked == 0 && family_.bounds_hide_hills && clear()) climb_off_bounds(starts.front());
      if (asked == 0 ? !clear() : asked > starts.size()) look_further(starts, asked);
      if (!certain_but_for_rows() && from_contained_ == Contained::all) climb_from_cases();
    }
    // Next to a kink the slope does not fall, and only kinks that are rounded show the maximum.
    const bool slope_left = settled(best_) && !(best_.gradient_norm < kConverged);
    if (slope_left && rounded_.may_be()) climb_rounded(maths::NewtonResult(best_));
    return highest_of_all();
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
  // Of a case that the family contains, on many rows where there is a maximum: its hills are few.
  static constexpr int kStartsOfACase = 2;
  // A maximum is beyond doubt where no climb ended at another height (in l), coefficients of the
  // variance are known as well as the family asks and every alpha is so many standard errors from
  // 0, or on that bound where other terms move the variance; a point on its slope lies at most so
  // far below it.
  static constexpr double kSameTop = 1e-5, kFelt = 2.5, kSlope = 2;
  // About a second and a half of one core (egarch / student on 5,000 rows).
  static constexpr double kMostWork = 4e8;
  // What a step of a climb costs beside a pass in lanes, in rows.
  static constexpr double kBesideLanes = 1000;
  // Rows from which one hill is the rule, how many starts are polished there, and the most
  // parameters of a model of whose family the starts show that hill.
  static constexpr std::size_t kManyRows = 1000, kPolishedOfMany = 4, kPolishedOfGarch = 3;
  static constexpr Index kFewParameters = 6;
  // More points where the maximum is not beyond doubt: how many (few where nothing but the rows is
  // in doubt, and of a large model that is contained), and how many steps every second one makes
  // with its shape held. One in four is climbed to its end.
  static constexpr std::size_t kScattered = 64, kFewScattered = 16;
  static constexpr int kShapeSteps = 8;
  // Steps of a climb where a maximum on a wall is known.
  static constexpr int kWalledSteps = 10;
  // A step that fails is the doing of kinks where it promised less (sqrt(g' H^-1 g)).
  static constexpr double kRough = 1;
  // What a bound holds has no more variance. By so much kinks may lift a point above its parabola.
  static constexpr double kNoVariance = 1e-12, kKinkRise = 0.1;

  [[nodiscard]] bool many_rows() const { return problem_.scaled.observed >= kManyRows; }

  // So many of the starts as are asked for, or as the family and the rows need.
  void climb_likeliest(std::vector<WorkingPoint> starts, std::size_t asked) {
    // One hill is the rule for garch on many rows.
    const bool one_hill = many_rows() && problem_.coordinates.size() <= kFewParameters &&
                          family_.one_hill(problem_.model);
    const std::size_t polished = one_hill      ? kPolishedOfGarch
                                 : many_rows() ? kPolishedOfMany
                                               : starts.size();
    starts.resize(std::min(starts.size(), asked > 0 ? asked : polished));
    starts_ = starts.size();
    climb(starts, one_hill ? 1 : kFinished);
  }

  // Where the maximum is not beyond doubt, or more starts are asked for than there are.
  void look_further(const std::vector<WorkingPoint>& starts, std::size_t asked) {
    if (many_rows() && asked == 0) {
      starts_ = starts.size();
      climb(starts, kFinished);
    }
    const bool large = problem_.coordinates.size() >= kFewParameters;
    const bool few =
        (large && from_contained_ == Contained::none) || (!many_rows() && certain_but_for_rows());
    const std::size_t scatter = few ? kFewScattered : kScattered;
    std::vector<WorkingPoint> more =
        scattered(problem_, starts, asked > starts.size() ? asked - starts.size() : scatter);
    if (!shock_law(problem_.model.shocks).shapes.empty())
      for (std::size_t i = 0; i < more.size() && !spent(); i += 2)
        more[i] = climbed_at_shape(more[i]);
    starts_ += more.size();
    // Among cusps the first steps tell nothing of a hill: all starts are climbed as they are.
    if (family_.bounds_hide_hills)
      for (std::size_t i = 0; i < starts.size() && !spent(); ++i) climb({starts[i]}, 1);
    climb(more, std::max<std::size_t>(1, more.size() / 4));
    if (asked == 0 && from_contained_ == Contained::all) climb_from_contained();
    if (settled(best_) && asked == 0) climb_beside();
    climb_on();
  }

  // Of tops, kinks and walls.
  [[nodiscard]] Peak highest_of_all() {
    Peak peak{.top = std::move(best_), .coordinates = problem_.coordinates};
    const auto below = [&](const Peak& edge) {
      return edge.top.f < peak.top.f + (peak.top.gradient_norm < kConverged ? 0 : kConverged);
    };
    for (const std::optional<Peak>& edge : {kinks_.highest(), rounded_.highest(), walls_.highest()})
      if (edge && (!settled(peak.top) || below(*edge))) peak = *edge;
    peak.starts = static_cast<int>(starts_);
    return peak;
  }

  // Whether the starts show one hill and the data know its place: then no more is looked at. On few
  // rows there are many hills, and where shocks hardly move the variance, or what fades is hardly
  // known, the likelihood is a ridge with several tops. A maximum on a bound or a kink is as
  // certain as one inside (docs/estimation.md).
  [[nodiscard]] bool clear() const { return many_rows() && certain_but_for_rows(); }
  [[nodiscard]] bool certain_but_for_rows() const {
    if (!highest_ || walls_.highest() || stalled_) return false;
    // Of a family with several hills by nature a lower one is explained by the bounds that it lies
    // on, or by cusps where the highest has none.
    const maths::LinearConstraints& constraints = problem_.coordinates.constraints();
    const std::vector<Index> bounds = constraints.met(highest_->x);
    const bool cusped = among_cusps(highest_->x);
    for (const End& end : ends_)
      if (std::abs(end.f - highest_->f) > kSameTop &&
          !(family_.bounds_hide_hills &&
            (constraints.met(end.x) != bounds || among_cusps(end.x) != cusped)))
        return false;
    // There every mu has a hill of its own, and four starts see four of them.
    if (cusped || tails_explain_all(highest_->x)) return false;
    return variance_is_known(highest_->x, highest_->hessian);
  }

  [[nodiscard]] bool among_cusps(const VectorXd& x) const {
    const ScaledParameters theta = problem_.coordinates.scaled(WorkingPoint(x));
    return family_.cusps(problem_.model, span_of(theta).subspan(problem_.parts.mean.size()));
  }

  // Starts may have agreed on nothing but tails as heavy as they may be.
  [[nodiscard]] bool tails_explain_all(const VectorXd& x) const {
    const std::vector<ShapeCoordinate>& shapes = shock_law(problem_.model.shocks).shapes;
    const std::size_t first = problem_.names.size() - shapes.size();
    for (Index c = 0; c < x.size(); ++c)
      if (const std::size_t p = problem_.coordinates.parameter(c); p >= first)
        if (const ShapeCoordinate& shape = shapes[p - first];
            shape.high_explains_all && shape.high - x(c) <= maths::rounding_at(shape.high))
          return true;
    return false;
  }

  // A hill inside may be higher than the one that a bound cuts off: from the maximum with what lies
  // on a bound of the variance moved to where a start has it.
  void climb_off_bounds(const WorkingPoint& start) {
    const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
    WorkingPoint x(highest_->x);
    bool moved = false;
    for (const Index i : bounds.met(x)) {
      if ((bounds.C.row(i).array() != 0).count() != 1) continue;
      Index coordinate = 0;
      bounds.C.row(i).cwiseAbs().maxCoeff(&coordinate);
      x(coordinate) = start(coordinate);
      moved = true;
    }
    if (!moved) return;
    ++starts_;
    climb({brought_inside(problem_, x, WorkingPoint(highest_->x))}, 1);
  }

  // What a bound holds is known to be there; the others by their standard errors given that.
  [[nodiscard]] bool variance_is_known(const VectorXd& x, const MatrixXd& hessian) const {
    const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
    const MatrixXd Z = maths::free_directions(bounds.C, bounds.met(x));
    const MatrixXd of_free = maths::cross(Z, maths::product(hessian, Z));
    if (Z.cols() == 0 || !maths::lower_root(of_free)) return false;
    const MatrixXd covariance = maths::sandwich(Z, maths::inverse_of_positive(of_free));
    const auto on_bound = [&](Index c) { return covariance(c, c) <= kNoVariance; };
    const auto felt = [&](double sum, double variance) {
      return variance > kNoVariance && std::abs(sum) > kFelt * std::sqrt(variance);
    };
    // Falls may move a variance that rises do not.
    const auto falls_are_felt = [&](Index alpha) {
      const std::size_t first = problem_.parts.mean.size();
      const std::optional<std::size_t> gamma =
          family_.beside_alpha(problem_.model, problem_.coordinates.parameter(alpha) - first);
      for (Index c = 0; gamma && c < x.size(); ++c)
        if (problem_.coordinates.parameter(c) == first + *gamma)
          return felt(x(alpha) + x(c),
                      covariance(alpha, alpha) + covariance(c, c) + 2 * covariance(alpha, c));
      return false;
    };
    // The sign of the same shock may move a variance that its size does not (egarch).
    const auto gamma_is_felt = [&](const std::string& alpha) {
      const std::string gamma = "gamma" + alpha.substr(5);
      for (Index c = 0; c < x.size(); ++c)
        if (problem_.names[problem_.coordinates.parameter(c)] == gamma)
          return felt(x(c), covariance(c, c));
      return false;
    };
    bool any_news = false, has_news = false;
    for (Index c = 0; c < x.size(); ++c) {
      const std::size_t variance = problem_.coordinates.parameter(c) - problem_.parts.mean.size();
      if (variance >= problem_.parts.variance.size()) continue;
      const std::string& name = problem_.parts.variance[variance];
      const bool alpha = name.starts_with("alpha"), gamma = name.starts_with("gamma");
      has_news = has_news || alpha;
      if (alpha || gamma) {
        const bool moves = felt(x(c), covariance(c, c)) || (alpha && falls_are_felt(c));
        any_news = any_news || moves;
        if (alpha && !moves && !on_bound(c) && !gamma_is_felt(name)) return false;
      }
      const bool of_level = name == "omega" || name == "sigma2" || name.starts_with("vwith:");
      if (!of_level && name != "delta" && !gamma && std::sqrt(covariance(c, c)) > family_.unknown)
        return false;
    }
    // Where no shock moves the variance nothing says how it fades.
    return any_news || !has_news;
  }

  // Near the maximum that is known, in standard errors, and as high as its curvature says: the same
  // hill.
  [[nodiscard]] bool on_its_slope(double f, const WorkingPoint& x) const {
    const VectorXd away = x - highest_->x;
    const double fall = 0.5 * away.dot(highest_->hessian * away);
    return fall < kSlope &&
           std::abs(f - highest_->f - fall) < 0.5 * fall + (kinks_.may_be() ? kKinkRise : 0);
  }

  // From beside the highest point.
  void climb_beside() {
    const auto climb_all = [&](const std::vector<WorkingPoint>& points) {
      starts_ += points.size();
      if (!points.empty()) climb(points, kFinished);
    };
    climb_all(on_each_bound(problem_, best_, WorkingPoint(highest_->x)));
    // A hill of another kind is not seen from its foot: each to its end.
    for (const WorkingPoint& x :
         twins_of(problem_, WorkingPoint(best_.x), WorkingPoint(highest_->x)))
      climb_all({x});
    if (const std::optional<double> mu = kinks_.other_side_of_a_shared_value(
            problem_.coordinates.scaled(WorkingPoint(best_.x))(0))) {
      WorkingPoint x(best_.x);
      x(0) = *mu;
      ++starts_;
      climb_from(x);
    }
  }

  // From the maxima of the models that this one contains, so that it does not end below them.
  void climb_from_contained() {
    for (const Model& model : contained_models(problem_.model)) {
      if (spent()) return;
      const std::vector<std::string> names = parameter_names(model).all();
      const bool holds_more = std::any_of(
          problem_.model.held.begin(), problem_.model.held.end(), [&](const Held& held) {
            return std::find(names.begin(), names.end(), held.name) == names.end();
          });
      if (!holds_more) climb_from_maximum_of(model, names);
    }
  }

  // The maximum of the other, where there is one; from so many starts.
  std::optional<Peak> climb_from_maximum_of(const Model& model,
                                            const std::vector<std::string>& names,
                                            std::optional<int> starts = {}) {
    EstimateOptions options = problem_.options;
    options.start.clear();  // which has the others too
    if (starts) options.starts = starts;
    Problem inner(model, problem_.data, options, problem_.exact);
    // Those with a lag less are climbed from their own starts alone: all of theirs would be many.
    const bool same_lags = model.variance == problem_.model.variance;
    Peak peak = JointClimb(inner, same_lags ? Contained::all : Contained::none).run();
    problem_.evaluations += inner.evaluations;
    problem_.stopped = problem_.stopped || inner.stopped;
    if (peak.top.x.size() == 0 || !std::isfinite(peak.top.f)) return {};
    const ScaledParameters top = peak.parameters();
    // What the contained model has not is 0, but for shapes.
    auto theta = all_equal<ScaledParameters>(static_cast<Index>(problem_.names.size()), 0);
    const std::vector<ShapeCoordinate>& shapes = shock_law(problem_.model.shocks).shapes;
    const std::size_t first_shape = problem_.names.size() - shapes.size();
    for (std::size_t j = 0; j < problem_.names.size(); ++j) {
      const auto same = std::find(names.begin(), names.end(), problem_.names[j]);
      if (same != names.end())
        theta(static_cast<Index>(j)) = top(same - names.begin());
      else if (j >= first_shape)
        theta(static_cast<Index>(j)) = shapes[j - first_shape].shape(shapes[j - first_shape].plain);
    }
    ++starts_;
    climb({problem_.feasible(problem_.coordinates.working(theta))}, 1);
    return peak;
  }

  // Where there is no maximum yet, as among the curved walls of longmem, or doubt: from those of
  // the families that this one contains, which may be where walls meet.
  void climb_from_cases() {
    for (const auto& [at, corner] : family_.cases()) {
      const auto is_held = [&](const Held& held) {
        return problem_.held_value(held.name).has_value();
      };
      if (std::any_of(at.begin(), at.end(), is_held)) continue;
      Model model = problem_.model;
      model.held.insert(model.held.end(), at.begin(), at.end());
      const std::optional<Peak> peak = climb_from_maximum_of(
          model, problem_.names,
          found() && many_rows() ? std::optional(kStartsOfACase) : std::nullopt);
      if (peak && !(found() && highest() <= peak->top.f + kSameTop))
        walls_.keep_corner(*peak, at, corner);
    }
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
      if (found_beyond_tails() && spent()) break;
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
      for (const auto& [f, x] : ranked) {
        if (found_beyond_tails() &&
            (climbed >= finished || f > ranked.front().first + kHopeless || spent()))
          break;
        const auto same = [&x = x](const End& end) {
          return (x - end.x).cwiseAbs().maxCoeff() < kSameHill;
        };
        if (highest_ && std::any_of(ends_.begin(), ends_.end(), same)) continue;
        if (clear() && on_its_slope(f, x)) {
          continue;
        }
        if (kinked && !damped) {
          climb_over_kinks(x);
          ++climbed;
          continue;
        }
        maths::NewtonOptions newton;
        newton.scoring_steps = 2;
        newton.damping = damped;
        newton.rough_below = rounded_.may_be() ? kRough : 0;
        newton.max_iterations = walls_.highest() && !damped
                                    ? std::min(kWalledSteps, problem_.options.max_iterations)
                                    : problem_.options.max_iterations;
        maths::NewtonResult r =
            maths::minimise(objective, problem_.coordinates.constraints(), x, newton);
        ++climbed;
        if (rounded_.may_be() && !settled(r) && climb_rounded(r)) continue;
        ends_.push_back({r.f, r.x});
        keep_better(std::move(r));
      }
      if (found()) break;
    }
  }

  [[nodiscard]] bool found() const { return highest_ || walls_.highest(); }
  [[nodiscard]] double highest() const {
    return std::min(highest_ ? highest_->f : INFINITY,
                    walls_.highest() ? walls_.highest()->top.f : INFINITY);
  }
  // A maximum on a wall where tails explain all hides others: the search is not over before it has
  // seen the rest.
  [[nodiscard]] bool found_beyond_tails() const {
    return highest_ ||
           (walls_.highest() &&
            !tails_explain_all(problem_.coordinates.working(walls_.highest()->parameters())));
  }
  // Whether looking for another hill has cost as much as it may: rows times second derivatives
  // times evaluations, so that it does not depend on the machine.
  [[nodiscard]] bool spent() const {
    const auto k = static_cast<double>(problem_.names.size());
    const double cost = problem_.likelihood->work(), beside = cost < 1 ? kBesideLanes : 0,
                 rows = static_cast<double>(problem_.scaled.observed) + beside;
    return cost * family_.work * pairs_of_lags(problem_.model) *
               static_cast<double>(problem_.evaluations) * rows * k * k >
           kMostWork;
  }

  void climb_over_kinks(const WorkingPoint& x) {
    KinkClimb::End end = kinks_.climb(x, problem_.options.max_iterations,
                                      highest_ ? std::optional(highest_->f) : std::nullopt);
    if (!end.known && !end.on_kink && !settled(end.smooth) && climb_rounded(end.smooth)) return;
    ends_.push_back({end.f, end.x});
    if (end.known) return;
    if (end.on_kink) {
      if (!highest_ || end.f < highest_->f) highest_ = Top{end.f, end.x, std::move(end.hessian)};
    } else {
      keep_better(std::move(end.smooth));
    }
  }

  // On from where kinks stopped a climb; false where that leads to no maximum.
  bool climb_rounded(const maths::NewtonResult& stalled) {
    std::optional<RoundedClimb::End> end = rounded_.climb(stalled);
    if (!end) return false;
    ends_.push_back({end->f, end->x});
    if (end->smooth)
      keep_better(std::move(*end->smooth));
    else if (!highest_ || end->f < highest_->f)
      highest_ = Top{end->f, end->x, std::move(end->hessian)};
    return true;
  }

  // On from where a climb stalled above all maxima that were found.
  void climb_on() {
    if (!stalled_ || !found()) return;
    if (!(stalled_->f < highest() - kSameTop)) return;
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
    if (settled(best_) && (!highest_ || best_.f < highest_->f))
      highest_ = Top{best_.f, best_.x, best_.hessian};
  }

  Problem& problem_;
  Contained from_contained_;
  const VarianceFamily& family_;
  maths::NewtonResult best_;
  struct End {
    double f;
    VectorXd x;
  };
  std::vector<End> ends_;  // of climbs
  // The highest maximum, smooth or on a kink, with the curvature of the smooth part.
  struct Top {
    double f;
    VectorXd x;
    MatrixXd hessian;
  };
  std::optional<Top> highest_;
  std::size_t starts_ = 0;
  // The highest climb that stalled.
  std::optional<maths::NewtonResult> stalled_;
  KinkClimb kinks_;
  RoundedClimb rounded_;
  WallClimb walls_;
};

}  // namespace

Peak climb_joint(Problem& problem) {
  return JointClimb(problem).run();
}

}  // namespace brace::inline v0
