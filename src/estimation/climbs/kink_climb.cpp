// SPDX-License-Identifier: Apache-2.0
// Covered by tests/estimation/kinks_test.cpp, estimate_test.cpp and variance_study_test.cpp.
//
//   Newton with mu free until the kinks stop it
//   a map: the profile over the mu around, from one filter forward and one recursion backward
//   to the map's lowest place: on a kink with mu held, between two with mu kept between them;
//     the others move along the tangent first, then Newton
//   a map there; until it shows nothing lower
//
// The backward recursion gives the slope of the log-likelihood by what the shock of every row
// leaves behind (VarianceFamily::news_slopes), and so the steps of its slope in mu at all values at
// once: next to mu the profile is a parabola and these terms. On a kink the slopes to both sides
// come from the same numbers, and are the certificate.
#include "estimation/climbs/kink_climb.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "likelihood/lanes/kernels.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Values on each side of mu that a map shows: beyond them its parabola is of no use.
constexpr std::size_t kReach = 60;
// Where a climb with mu free is near enough for a map, and where a step that fails is the kinks'
// doing (both as sqrt(g' H^-1 g)).
constexpr double kNear = 0.3, kRough = 1;
// What a place must promise to be climbed, maps of one climb, and of one that starts near its end.
constexpr double kPromised = 1e-7, kAmongCusps = 0.002;
constexpr int kRounds = 12, kRoundsNear = 3;
// By so much a map is trusted where it is made near the top.
constexpr double kPlainlyLower = 1e-3;
// Steps with mu free after which a climb that crawls begins anew.
constexpr int kStepsToKinks = 40;
// Steps on or between cusps, where a climb that takes more creeps along one.
constexpr int kStepsAmongCusps = 40;
// Rows with one value from which the likelihood is looked at on both sides of it.
constexpr std::size_t kShared = 5;
// Where between two cusps, which have no slopes, the profile is looked at.
constexpr double kBetween[] = {.01, .15, .5, .85, .99};
// On a cusp slopes are taken so far beside it.
constexpr double kBeside = 1e-9;
constexpr int kBisections = 40;
// A shock so small is 0.
constexpr double kOn = 1e-13;

// -H^-1 g along the columns of Z, with eigenvalues of the wrong sign turned.
VectorXd newton_step(const MatrixXd& H, const VectorXd& g, const MatrixXd& Z) {
  if (Z.cols() == 0) return VectorXd::Zero(g.size());
  const maths::Eigensystem of = maths::symmetric_eigen(maths::cross(Z, maths::product(H, Z)));
  const double least = 1e-8 * of.values.cwiseAbs().maxCoeff();
  const VectorXd c = maths::cross(of.vectors, maths::cross(Z, g));
  const VectorXd s = -(c.array() / of.values.array().abs().max(least)).matrix();
  return maths::product(Z, maths::product(of.vectors, s));
}

}  // namespace

// The rows next to mu: what each adds to the profile beyond gradient and curvature.
class KinkClimb::NearRows {
 public:
  NearRows(const KinkClimb& climb, const ScaledParameters& theta, double low, double high) {
    const Model& model = climb.problem_.model;
    const VarianceFamily& family = variance_family(model.variance);
    const ShockLaw& law = shock_law(model.shocks);
    const std::span<const double> all = span_of(theta);
    for (std::size_t i = 0; i < climb.lags_; ++i)
      terms_.push_back(
          {.of = family.rough_news(model, all.subspan(climb.problem_.parts.mean.size()), i)});
    if (law.rough) terms_.push_back({.of = law.rough(all.last(law.shapes.size()))});
    const std::vector<double>& y = climb.problem_.scaled.data.change;
    std::vector<std::pair<double, std::size_t>> near;  // by value
    for (std::size_t t = 0; t < y.size(); ++t)
      if (y[t] >= low && y[t] <= high) near.emplace_back(y[t], t);
    std::sort(near.begin(), near.end());
    for (const auto& [value, t] : near) {
      const double e = value - theta(0);
      for (std::size_t i = 0; i < climb.lags_; ++i)
        if (const double slope = climb.slopes_[t * climb.lags_ + i]; slope != 0)
          terms_[i].add(e, slope, 1, terms_[i].of.at(e));
      // At e = 0 the kernel of a law gives no slope, that of a variance the one of e > 0.
      if (law.rough) {
        const double s = 1 / std::sqrt(climb.path_.h[t]);
        terms_.back().add(e, 1, s, e == 0 ? RoughTerm{} : terms_.back().of.at(s * e));
      }
    }
  }

  // Of minus the log-likelihood at mu + d.
  [[nodiscard]] Term at(double d) {
    Term out{0, 0, 0};
    for (Terms& terms : terms_) terms.add_to(out, d);
    return out;
  }

 private:
  // One power of the rows' shocks: its weight in the log-likelihood, what a shock is multiplied by,
  // and the expansion at mu.
  struct Terms {
    RoughPower of;
    std::vector<double> e{}, weight{}, scale{};  // e ascending
    std::vector<RoughTerm> was{};
    std::vector<double> x{}, power{};  // at mu + d

    void add(double shock, double of_row, double by, const RoughTerm& term) {
      e.push_back(shock);
      weight.push_back(of_row);
      scale.push_back(by);
      was.push_back(term);
    }
    // What no parabola describes: F(e - d) less its expansion at e. A kink steps from -F' to F'.
    void add_to(Term& out, double d) {
      x.resize(e.size());
      power.resize(e.size());
      // An absolute value that d does not pass is its own expansion.
      std::size_t from = 0, to = e.size();
      if (of.power == 1) {
        from = static_cast<std::size_t>(
            std::lower_bound(e.begin(), e.end(), std::min(0.0, d) - kOn) - e.begin());
        to = static_cast<std::size_t>(std::upper_bound(e.begin(), e.end(), std::max(0.0, d) + kOn) -
                                      e.begin());
      }
      for (std::size_t i = from; i < to; ++i)
        x[i] = std::abs(e[i] - d) <= kOn * (1 + std::abs(e[i])) ? 0 : scale[i] * (e[i] - d);
      if (of.power == 1)
        for (std::size_t i = from; i < to; ++i) power[i] = std::abs(x[i]);
      else
        lane_kernels().powers(x.data(), x.size(), of.power, power.data());
      for (std::size_t i = from; i < to; ++i) {
        const bool on = x[i] == 0;
        const double value = (x[i] < 0 ? of.fall : of.rise) * power[i],
                     slope = on ? of.at_zero : of.power * value / x[i], by = scale[i] * d,
                     rest = was[i].slope - was[i].bend * by;
        out.value -=
            weight[i] * (value - was[i].value + was[i].slope * by - 0.5 * was[i].bend * by * by);
        out.left -= weight[i] * scale[i] * (rest - slope);
        out.right -= weight[i] * scale[i] * (rest + (on ? slope : -slope));
      }
    }
  };
  std::vector<Terms> terms_;
};

KinkClimb::KinkClimb(Problem& problem) : problem_(problem) {
  const Model& model = problem.model;
  may_be_ = (variance_family(model.variance).may_kink || shock_law(model.shocks).rough) &&
            problem.coordinates.size() > 1 && problem.coordinates.parameter(0) == 0 &&
            model.mean.constant && arma_terms(model) == 0 && problem.at.regression.size() == 1 &&
            !model.mean.risk;
  if (!may_be_) return;
  if (variance_family(model.variance).may_kink) lags_ = shock_lags(model.variance)->size();
  for (const double v : problem.scaled.data.change)
    if (!std::isnan(v)) values_.push_back(v);
  std::sort(values_.begin(), values_.end());
  values_.erase(std::unique(values_.begin(), values_.end()), values_.end());
}

// Whether there is a kink in mu where the other parameters are these.
bool KinkClimb::kinked(const ScaledParameters& theta) const {
  const std::span<const double> all = span_of(theta);
  const ShockLaw& law = shock_law(problem_.model.shocks);
  return variance_family(problem_.model.variance)
             .kinks(problem_.model, all.subspan(problem_.parts.mean.size())) ||
         (law.kinks && law.kinks(all.last(law.shapes.size())));
}

// Whether a step to either side changes the slope by more than can be told: powers of |e| below
// one, and those so little above it that only rounding tells them from a kink.
bool KinkClimb::has_cusps(const ScaledParameters& theta) const {
  const ShockLaw& law = shock_law(problem_.model.shocks);
  const std::span<const double> shape = span_of(theta).last(law.shapes.size());
  return (std::holds_alternative<Aparch>(problem_.model.variance) && kinked(theta)) ||
         (law.kinks && law.kinks(shape) && shape[0] > 1);
}

// Shocks, variances and slopes by news at theta.
bool KinkClimb::filter(const ScaledParameters& theta) {
  if (!problem_.begin_pass()) return false;
  if (lags_ <= 1 && problem_.likelihood->rows_at(span_of(theta), path_.h, slopes_)) return true;
  if (!filter_) filter_.emplace(problem_.model, problem_.scaled.data, Order::value);
  if (!filter_->path(span_of(theta), path_)) return false;
  const std::vector<double>& y = problem_.scaled.data.change;
  slopes_.assign(y.size() * lags_, 0.0);
  if (lags_ == 0) return true;
  const ShockLaw& law = shock_law(problem_.model.shocks);
  const std::span<const double> all = span_of(theta), shape = all.last(law.shapes.size());
  std::vector<double> e(y.size()), by_log_h(y.size());
  for (std::size_t t = 0; t < y.size(); ++t) {
    const bool known = !std::isnan(y[t]);
    e[t] = known ? path_.e[t] : std::numeric_limits<double>::quiet_NaN();
    const double z = path_.e[t] / std::sqrt(path_.h[t]);
    by_log_h[t] = known ? -0.5 - 0.5 * z * law.score(z, shape) : 0;
  }
  variance_family(problem_.model.variance)
      .news_slopes(problem_.model, all.subspan(problem_.parts.mean.size()), shape,
                   {.e = e, .h = path_.h, .by_log_h = by_log_h}, slopes_);
  return true;
}

KinkClimb::Map KinkClimb::map_of(const Here& here) {
  Map map;
  const ScaledParameters theta = problem_.coordinates.scaled(here.x);
  if (!filter(theta)) return map;
  // The others give way along what no bound blocks.
  const maths::LinearConstraints& bounds = problem_.coordinates.constraints();
  std::vector<Index> active = bounds.met(here.x);
  std::erase_if(active, [&](Index i) { return bounds.C.row(i).dot(here.gradient) >= 0; });
  MatrixXd held(static_cast<Index>(active.size()) + 1, here.x.size());
  held.row(0) = VectorXd::Unit(here.x.size(), 0).transpose();
  for (std::size_t i = 0; i < active.size(); ++i)
    held.row(static_cast<Index>(i) + 1) = bounds.C.row(active[i]);
  std::vector<Index> all(static_cast<std::size_t>(held.rows()));
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = static_cast<Index>(i);
  const MatrixXd Z = maths::free_directions(held, all);
  map.to = newton_step(here.hessian, here.gradient, Z);
  map.along = newton_step(here.hessian, here.hessian.col(0), Z);
  const double g = here.gradient(0) + here.hessian.col(0).dot(map.to),
               H = here.hessian(0, 0) + here.hessian.col(0).dot(map.along),
               f = here.f + 0.5 * here.gradient.dot(map.to), mu = theta(0);
  const auto at = static_cast<std::size_t>(std::lower_bound(values_.begin(), values_.end(), mu) -
                                           values_.begin());
  const std::size_t first = at - std::min(at, kReach),
                    last = std::min(values_.size() - 1, at + kReach);
  NearRows rows(*this, theta, values_[first], values_[last]);
  const auto profile = [&](double d) {
    Term out = rows.at(d);
    out.value += f + g * d + 0.5 * H * d * d;
    out.left += g + H * d;
    out.right += g + H * d;
    return out;
  };
  const bool kinks = kinked(theta), cusps = kinks && has_cusps(theta);
  double before = 0;  // the slope to the right of the last value
  for (std::size_t i = first; i <= last; ++i) {
    const double d = values_[i] - mu;
    const Term here_at = profile(d);
    if (kinks && (cusps || (here_at.left <= 0 && here_at.right >= 0)))
      map.places.push_back({values_[i], here_at.value, true});
    if (i > first) {
      double low = values_[i - 1] - mu, high = d;
      if (cusps) {
        Place best{0, std::numeric_limits<double>::infinity(), false, values_[i - 1], values_[i]};
        for (const double share : kBetween) {
          const double c = low + share * (high - low), there = profile(c).value;
          if (there < best.f) best = {mu + c, there, false, values_[i - 1], values_[i]};
        }
        map.places.push_back(best);
      } else if (before < 0 && here_at.left > 0) {  // falls from the one, rises to the other
        for (int k = 0; k < kBisections; ++k) {
          const double c = 0.5 * (low + high);
          (profile(c).left < 0 ? low : high) = c;
        }
        const double c = 0.5 * (low + high);
        map.places.push_back({mu + c, profile(c).value, false, values_[i - 1], values_[i]});
      }
    }
    before = here_at.right;
  }
  std::sort(map.places.begin(), map.places.end(),
            [](const Place& a, const Place& b) { return a.f < b.f; });
  return map;
}

KinkClimb::Steps KinkClimb::steps_at(double mu, const ScaledParameters& theta) {
  Steps steps;
  if (!filter(theta)) return steps;
  const ShockLaw& law = shock_law(problem_.model.shocks);
  const VarianceFamily& family = variance_family(problem_.model.variance);
  const std::span<const double> all = span_of(theta),
                                variance = all.subspan(problem_.parts.mean.size());
  const std::vector<double>& y = problem_.scaled.data.change;
  for (std::size_t t = 0; t < y.size(); ++t) {
    if (y[t] != mu) continue;
    for (std::size_t i = 0; i < lags_; ++i)
      steps.of_variance +=
          slopes_[t * lags_ + i] * family.rough_news(problem_.model, variance, i).at(0).slope;
    if (law.rough)
      steps.of_law += law.rough(all.last(law.shapes.size())).at(0).slope / std::sqrt(path_.h[t]);
  }
  return steps;
}

bool KinkClimb::derivatives_at(Here& here) {
  here.f = problem_.objective_in(problem_.coordinates)
               .derivatives(here.x, maths::Curvature::hessian, here.gradient, here.hessian);
  return std::isfinite(here.f) && here.gradient.allFinite() && here.hessian.allFinite();
}

// With mu held on the kink; where the likelihood falls to both sides of it, it is a maximum.
std::optional<KinkClimb::Here> KinkClimb::climb_kink(const Place& place, const WorkingPoint& from,
                                                     int most_steps) {
  std::vector<std::optional<double>> held = problem_.held_scaled();
  held[0] = place.mu;
  Coordinates coordinates = problem_.make_coordinates(held);
  ScaledParameters start = problem_.coordinates.scaled(from);
  start(0) = place.mu;
  maths::NewtonResult r = maths::minimise(
      problem_.objective_in(coordinates), coordinates.constraints(), coordinates.working(start),
      {.scoring_steps = 0, .gradient_norm = 0.5 * kConverged, .max_iterations = most_steps});
  if (!std::isfinite(r.f)) return std::nullopt;
  const ScaledParameters top = coordinates.scaled(WorkingPoint(r.x));
  Here here{.x = problem_.coordinates.working(top), .f = 0, .gradient = {}, .hessian = {}};
  if (!derivatives_at(here)) return std::nullopt;
  if (!settled(r) || (highest_ && !(r.f < highest_->top.f))) return here;
  // At e = 0 the kernel of the variance gives the slope of e > 0, to the left of mu; that of the
  // law the middle of both.
  const Steps steps = steps_at(place.mu, top);
  double left = here.gradient(0) + steps.of_law,
         right = here.gradient(0) - steps.of_law - 2 * steps.of_variance;
  if (has_cusps(top)) {
    const auto beside = [&](double side) {
      ScaledParameters theta = top;
      theta(0) = place.mu + side * kBeside * (1 + std::abs(place.mu));
      return problem_.slope_in(0, theta);
    };
    left = beside(-1);
    right = beside(1);
  }
  if (left < 0 && right > 0)
    highest_ = Peak{.top = std::move(r), .coordinates = std::move(coordinates), .kink = place.mu};
  return here;
}

// With mu kept between two values.
std::optional<KinkClimb::Here> KinkClimb::climb_between(const Place& place,
                                                        const WorkingPoint& from, int most_steps,
                                                        maths::NewtonResult& result) {
  maths::LinearConstraints bounds = problem_.coordinates.constraints();
  const Index m = bounds.C.rows(), k = bounds.C.cols();
  bounds.C.conservativeResize(m + 2, k);
  bounds.d.conservativeResize(m + 2);
  bounds.C.bottomRows(2).setZero();
  bounds.C(m, 0) = -1;
  bounds.C(m + 1, 0) = 1;
  bounds.d(m) = -std::nextafter(place.left, place.right);
  bounds.d(m + 1) = std::nextafter(place.right, place.left);
  bounds.names.insert(bounds.names.end(), 2, "mu");
  result = maths::minimise(
      problem_.objective_in(problem_.coordinates), bounds, from,
      {.scoring_steps = 0, .gradient_norm = 0.5 * kConverged, .max_iterations = most_steps});
  if (!std::isfinite(result.f)) return std::nullopt;
  const bool at_an_end = result.multipliers(m) > 0 || result.multipliers(m + 1) > 0;
  result.multipliers.conservativeResize(m);
  if (at_an_end) {
    result.stop = maths::NewtonStop::iteration_cap;
    result.gradient_norm = std::numeric_limits<double>::infinity();
  }
  return Here{.x = WorkingPoint(result.x),
              .f = result.f,
              .gradient = result.gradient,
              .hessian = result.hessian};
}

KinkClimb::End KinkClimb::climb(const WorkingPoint& from, int most_steps,
                                std::optional<double> known) {
  maths::NewtonOptions near;
  near.scoring_steps = 2;
  near.gradient_norm = kNear;
  near.rough_below = kRough;
  near.max_iterations = std::min(most_steps, kStepsToKinks);
  const maths::Objective objective = problem_.objective_in(problem_.coordinates);
  maths::NewtonResult r =
      maths::minimise(objective, problem_.coordinates.constraints(), from, near);
  const auto end_of = [](maths::NewtonResult result) {
    End end{.f = result.f, .x = WorkingPoint(result.x), .hessian = result.hessian, .smooth = {}};
    end.smooth = std::move(result);
    return end;
  };
  if (!std::isfinite(r.f) || !r.gradient.allFinite() || !r.hessian.allFinite()) return end_of(r);
  const bool rough = kinked(problem_.coordinates.scaled(WorkingPoint(r.x))) ||
                     shock_law(problem_.model.shocks).rough;
  if (!rough) {
    r = maths::minimise(objective, problem_.coordinates.constraints(), r.x,
                        {.scoring_steps = 0, .max_iterations = most_steps});
    if (!kinked(problem_.coordinates.scaled(WorkingPoint(r.x)))) return end_of(r);
  }
  Here here{.x = WorkingPoint(r.x), .f = r.f, .gradient = r.gradient, .hessian = r.hessian};
  End best = end_of(r);
  best.f = settled(r) ? r.f : std::numeric_limits<double>::infinity();
  const double stalled = r.f;
  int steps = r.iterations;  // of all climbs so far
  // On a kink, or in the interval between two values, by its middle.
  const auto key = [](const Place& p) { return p.kink ? p.mu : 0.5 * (p.left + p.right); };
  std::set<double> seen;
  bool cusps = has_cusps(problem_.coordinates.scaled(here.x));
  Map map = map_of(here);
  const int rounds = problem_.options.from == ClimbFrom::near_start ? kRoundsNear : kRounds;
  for (int round = 0; round < rounds; ++round) {
    const auto go = std::find_if(map.places.begin(), map.places.end(),
                                 [&](const Place& p) { return !seen.contains(key(p)); });
    // Among cusps a map errs by more: places that it shows to be a little lower are climbed too.
    if (go == map.places.end() || !(go->f < best.f + (cusps ? kAmongCusps : -kPromised))) break;
    const bool is_near = round > 0 || r.gradient_norm < kRough;
    // Among cusps a map cannot tell how high a climb from here would lead.
    if (known && !cusps && is_near && !std::isfinite(best.f)) {
      const bool same = highest_ && go->kink && highest_->kink == go->mu;
      if (go->f > *known + kPlainlyLower || (same && std::abs(go->f - *known) < kPlainlyLower)) {
        End end = end_of(std::move(r));
        end.f = same ? *known : go->f;
        end.known = true;
        return end;
      }
    }
    seen.insert(key(*go));
    WorkingPoint there(here.x + map.to + (go->mu - here.x(0)) * map.along);
    there = problem_.feasible(there);
    there(0) = go->mu;
    maths::NewtonResult result;
    const int allowed = cusps ? std::min(most_steps, kStepsAmongCusps) : most_steps;
    const std::optional<Here> now =
        go->kink ? climb_kink(*go, there, allowed) : climb_between(*go, there, allowed, result);
    if (!now) break;
    bool higher = false;
    if (go->kink) {
      higher = highest_ && highest_->kink == go->mu && now->f < best.f &&
               std::abs(highest_->top.f - now->f) <= 1e-9 * (1 + std::abs(now->f));
      if (higher) {
        highest_->top.iterations += steps;
        best = {.f = now->f, .x = now->x, .hessian = now->hessian, .on_kink = true, .smooth = {}};
      }
    } else {
      steps += result.iterations;
      higher = settled(result) && result.f < best.f;
      result.iterations = steps;
      if (higher) best = end_of(std::move(result));
    }
    if (cusps && !higher) continue;  // the map at the best end is the one to go by
    here = *now;
    cusps = has_cusps(problem_.coordinates.scaled(here.x));
    map = map_of(here);
  }
  if (!std::isfinite(best.f)) best.f = stalled;
  return best;
}

std::optional<double> KinkClimb::other_side_of_a_shared_value(double mu) const {
  if (!may_be_) return {};
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

}  // namespace brace::inline v0
