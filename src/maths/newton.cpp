// SPDX-License-Identifier: Apache-2.0
// Constrained Newton with a quadratic programme in each step: Fletcher (1987, chapter 12) for the
// frame, Goldfarb and Idnani (1983) for the programme, scoring first as in Fiorentini, Calzolari
// and Panattoni (1996); damping by Marquardt (1963). Covered by tests/maths/newton_test.cpp.
#include "maths/newton.hpp"
#include "maths/dense.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

namespace brace::inline v0::maths {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Armijo's fraction of the predicted fall that a step must deliver.
constexpr double kSufficientFall = 1e-4;

// f is a sum of thousands of terms: differences below this share of it are rounding, not descent.
constexpr double kRounding = 1e-12;

// Steps damped more than this go nowhere.
constexpr double kMostDamping = 1e6;
// A step that is shortened to less than this share of itself creeps.
constexpr double kCreeping = 1e-2;

struct Point {
  VectorXd x, gradient;
  MatrixXd curvature;
  MatrixXd metric;  // the information matrix, where a Hessian needed it beside
  double f = 0;
  Curvature kind = Curvature::hessian;
};

// The factor of a positive definite matrix near B: B itself when it is, else B with a growing share
// of its own diagonal added, which keeps the step scale-free. `changed` tells which.
Eigen::LLT<MatrixXd> factor(MatrixXd B, bool& changed) {
  Eigen::LLT<MatrixXd> llt = cholesky(B);
  changed = false;
  const VectorXd diagonal = B.diagonal().cwiseAbs().cwiseMax(1e-12 * B.cwiseAbs().maxCoeff());
  for (double share = 1e-8; llt.info() != Eigen::Success && share < 1e12; share *= 10) {
    changed = true;
    B.diagonal() += share * diagonal;
    llt = cholesky(B);
  }
  return llt;
}

class Minimiser {
 public:
  Minimiser(const Objective& objective, const LinearConstraints& constraints,
            const NewtonOptions& options)
      : objective_(objective), constraints_(constraints), options_(options) {}

  NewtonResult run(VectorXd start) {
    Point here;
    here.x = std::move(start);
    evaluate(here, options_.scoring_steps > 0 ? Curvature::information : Curvature::hessian);
    if (!usable(here)) return report(here, NewtonStop::not_finite);
    for (;;) {
      const bool capped = result_.iterations >= options_.max_iterations;
      if (capped && !options_.certificate) return report(here, NewtonStop::iteration_cap);
      QuadraticStep step = propose(here, 0);
      if (here.kind == Curvature::information &&
          std::sqrt(std::max(0.0, -here.gradient.dot(step.s))) < options_.scoring_until) {
        if (!ask_hessian(here)) return report(here, NewtonStop::not_finite);
        step = propose(here, 0);
      }
      result_.gradient_norm = std::numeric_limits<double>::infinity();  // until certified at `here`
      if (here.kind == Curvature::hessian && certified(here, step))
        return report(here, NewtonStop::optimum);
      if (capped) return report(here, NewtonStop::iteration_cap);
      ++result_.iterations;
      if (options_.damping && here.kind == Curvature::hessian && leave_saddle(here, step)) continue;
      if (!(options_.damping ? advance_damped(here, std::move(step)) : advance(here, step.s))) {
        // The information matrix may promise a fall that the function does not keep: ask the
        // Hessian before giving up.
        if (here.kind == Curvature::hessian) return report(here, NewtonStop::no_descent);
        if (!ask_hessian(here)) return report(here, NewtonStop::not_finite);
      }
    }
  }

 private:
  void evaluate(Point& p, Curvature kind) {
    p.kind = kind;
    p.f = objective_.derivatives(p.x, kind, p.gradient, p.curvature);
    ++result_.evaluations;
  }

  // The Hessian at p in the place of the information; false, and p as it was, where the objective
  // does not give it, as one that was asked to stop.
  bool ask_hessian(Point& p) {
    scoring_left_ = false;
    Point next = p;
    evaluate(next, Curvature::hessian);
    if (!usable(next)) return false;
    p = std::move(next);
    return true;
  }

  static bool usable(const Point& p) {
    return std::isfinite(p.f) && p.gradient.allFinite() && p.curvature.allFinite();
  }

  [[nodiscard]] VectorXd slack(const VectorXd& x) const {
    return constraints_.slack(x).cwiseMax(0);
  }

  // A step from the curvature at hand. Where the Hessian is indefinite the information matrix
  // stands in (measured: fewer failures than flipping the signs of eigenvalues), unless the
  // constraints that hold the point back take the bad directions away.
  QuadraticStep propose(Point& p, double damping) {
    const VectorXd room = slack(p.x);
    bool changed = false;
    Eigen::LLT<MatrixXd> llt =
        options_.damping ? damped(p, damping, changed) : factor(p.curvature, changed);
    if (p.kind == Curvature::information || !changed)
      return solve_quadratic(p.gradient, llt, constraints_.C, room);
    if (!options_.damping) llt = factor(metric_of(p), changed);
    QuadraticStep step = solve_quadratic(p.gradient, llt, constraints_.C, room);
    // Adding a multiple of n n' for a constraint that stays active changes nothing along it, so a
    // Hessian made definite in this way still gives the exact Newton step.
    MatrixXd held = p.curvature;
    if (damping > 0) held += damping * metric_of(p);
    const double weight = 10 * p.curvature.cwiseAbs().maxCoeff();
    bool any = false;
    for (const Index i : constraints_.met(p.x))
      if (step.multipliers(i) > 0) {
        held += weight * constraints_.C.row(i).transpose() * constraints_.C.row(i);
        any = true;
      }
    llt = cholesky(held);
    return any && llt.info() == Eigen::Success
               ? solve_quadratic(p.gradient, llt, constraints_.C, room)
               : step;
  }

  // The information matrix at p, computed once; where the objective does not give it, as one that
  // was asked to stop, the sizes of the curvature by coordinate.
  const MatrixXd& metric_of(Point& p) {
    if (p.metric.size() == 0) {
      VectorXd gradient;
      const double f = objective_.derivatives(p.x, Curvature::information, gradient, p.metric);
      ++result_.evaluations;
      if (!std::isfinite(f) || p.metric.rows() != p.x.size() || !p.metric.allFinite())
        p.metric = p.curvature.diagonal().cwiseAbs().cwiseMax(1e-12).asDiagonal();
    }
    return p.metric;
  }

  // The factor of p's curvature with damping. A Hessian is damped by the information matrix, which
  // measures steps whatever the coordinates, and by as much of it as makes it definite.
  // `changed` tells that the Hessian itself is indefinite.
  Eigen::LLT<MatrixXd> damped(Point& p, double damping, bool& changed) {
    MatrixXd B = p.curvature;
    if (p.kind == Curvature::information) {
      B.diagonal() *= 1 + damping;
      return factor(std::move(B), changed);
    }
    Eigen::LLT<MatrixXd> llt = cholesky(B);
    changed = llt.info() != Eigen::Success;
    if (damping == 0 && !changed) return llt;
    double c = std::max(damping, 1e-8);
    for (int attempt = 0; attempt < 40 && c < kMostDamping; ++attempt, c *= 3) {
      llt = cholesky(p.curvature + c * metric_of(p));
      if (llt.info() == Eigen::Success) return llt;
    }
    bool more = false;
    return factor(std::move(B), more);
  }

  // Where the gradient is all but gone and the Hessian is not definite the point is a saddle, from
  // which no step along the gradient leads: goes down along the direction of most negative
  // curvature. False where p is none, or nothing lower is found.
  bool leave_saddle(Point& p, const QuadraticStep& step) {
    if (std::sqrt(std::max(0.0, -p.gradient.dot(step.s))) > options_.gradient_norm * 100)
      return false;
    const MatrixXd Z = free_directions(constraints_.C, constraints_.met(p.x));
    if (Z.cols() == 0) return false;
    const MatrixXd curvature = cross(Z, product(p.curvature, Z));
    if (cholesky(curvature).info() == Eigen::Success) return false;
    const std::optional<Lowest> lowest = lowest_in_metric(
        curvature, cross(Z, product(metric_of(p), Z)) +
                       1e-12 * metric_of(p).trace() * MatrixXd::Identity(Z.cols(), Z.cols()));
    if (!lowest || lowest->value > -1e-8) return false;
    const VectorXd down = product(Z, lowest->vector);
    double length = 3;
    for (int attempt = 0; attempt < 8; ++attempt, length /= 3)
      for (const double sign : {1.0, -1.0}) {
        Point next;
        next.x = p.x + sign * length * down;
        if (!constraints_.admit(next.x)) continue;
        next.f = objective_.value(next.x);
        ++result_.evaluations;
        if (!(next.f < p.f - kRounding * (1 + std::abs(p.f)))) continue;
        evaluate(next, Curvature::hessian);
        if (!usable(next)) continue;
        p = std::move(next);
        return true;
      }
    return false;
  }

  // First- and second-order conditions at p, given the step's multipliers.
  bool certified(const Point& p, const QuadraticStep& step) {
    std::vector<Index> active;
    const VectorXd room = slack(p.x);
    for (Index i = 0; i < step.multipliers.size(); ++i)
      if (step.multipliers(i) > 0) active.push_back(i);
    const MatrixXd Z = free_directions(constraints_.C, active);
    const Eigen::LLT<MatrixXd> llt = cholesky(cross(Z, product(p.curvature, Z)));
    if (Z.cols() > 0 && llt.info() != Eigen::Success) return false;
    // A constraint that the step runs into is not yet met with equality: nothing is certain here.
    for (const Index i : active)
      if (room(i) > rounding_at(constraints_.d(i))) return false;
    const VectorXd g = cross(Z, p.gradient);
    result_.gradient_norm = Z.cols() == 0 ? 0 : std::sqrt(std::max(0.0, g.dot(llt.solve(g))));
    result_.multipliers = step.multipliers;
    return result_.gradient_norm < options_.gradient_norm;
  }

  [[nodiscard]] bool last_step() const {
    return !options_.certificate && result_.iterations == options_.max_iterations;
  }

  [[nodiscard]] Curvature next_kind() const {
    return scoring_left_ && result_.iterations < options_.scoring_steps ? Curvature::information
                                                                        : Curvature::hessian;
  }

  // Moves p along s by the full step or, where that does not lower f enough, by a shorter one.
  bool advance(Point& p, const VectorXd& s) {
    const double slope = p.gradient.dot(s);
    const double floor = kRounding * (1 + std::abs(p.f));
    const auto enough = [&](double f, double share) {
      return f <= p.f + kSufficientFall * share * slope + floor;
    };
    Point next;
    next.x = p.x + s;
    if (last_step()) {  // its derivatives would not be looked at
      next.f = objective_.value(next.x);
      ++result_.evaluations;
      if (std::isfinite(next.f) && enough(next.f, 1)) {
        p.x = next.x;
        p.f = next.f;
        return true;
      }
    } else {
      evaluate(next, next_kind());
      if (usable(next) && enough(next.f, 1)) {
        p = std::move(next);
        return true;
      }
    }
    if (p.kind == Curvature::hessian && std::sqrt(std::max(0.0, -slope)) < options_.rough_below)
      return false;
    double share = 1, f = next.f;
    for (int halvings = 0; halvings < 40; ++halvings) {
      // The minimum of the parabola through f, its slope and the last trial, kept within [.1, .5].
      const double parabola = -slope * share / (2 * ((f - p.f) / share - slope));
      share *=
          std::isfinite(f) && std::isfinite(parabola) ? std::clamp(parabola / share, .1, .5) : .5;
      const VectorXd x = p.x + share * s;
      f = objective_.value(x);
      ++result_.evaluations;
      if (std::isfinite(f) && enough(f, share) && f < p.f) {
        p.x = share < kCreeping && p.kind == Curvature::hessian ? lowest_of_stiffer(p, x, f) : x;
        evaluate(p, next_kind());
        return usable(p);
      }
    }
    return false;
  }

  // On a narrow ridge a whole step runs along it into a bound, and the little of it that may be taken
  // moves nothing across: a few steps of a curvature with a share of its largest diagonal added,
  // which bends the step away from the ridge. The lowest point of these and of `x`, where f is `f`.
  VectorXd lowest_of_stiffer(const Point& p, VectorXd x, double f) {
    const VectorXd room = slack(p.x);
    MatrixXd held = p.curvature;
    const double size = p.curvature.cwiseAbs().maxCoeff();
    for (const Index i : constraints_.met(p.x))
      held += 10 * size * constraints_.C.row(i).transpose() * constraints_.C.row(i);
    for (const double added : {1e-8, 1e-6, 1e-4, 1e-2}) {
      const Eigen::LLT<MatrixXd> llt =
          cholesky(held + added * size * MatrixXd::Identity(held.rows(), held.cols()));
      if (llt.info() != Eigen::Success) continue;
      const VectorXd there = p.x + solve_quadratic(p.gradient, llt, constraints_.C, room).s;
      const double value = objective_.value(there);
      ++result_.evaluations;
      if (std::isfinite(value) && value < f) {
        x = there;
        f = value;
      }
    }
    return x;
  }

  // Moves p by the step or, where that does not lower f enough, by more and more damped ones. The
  // damping that served is where the next step begins.
  bool advance_damped(Point& p, QuadraticStep step) {
    if (damping_ > 0) step = propose(p, damping_);
    for (int attempt = 0; attempt < 30; ++attempt) {
      const double enough =
          p.f + kSufficientFall * p.gradient.dot(step.s) + kRounding * (1 + std::abs(p.f));
      Point next;
      next.x = p.x + step.s;
      // A step of scoring is nearly always taken, and its derivatives cost little more than the
      // value: they are worked out at once. A Hessian costs many.
      const bool at_once = attempt == 0 && next_kind() == Curvature::information && !last_step();
      if (at_once) {
        evaluate(next, Curvature::information);
      } else {
        next.f = objective_.value(next.x);
        ++result_.evaluations;
      }
      if (std::isfinite(next.f) && next.f <= enough) {
        damping_ = damping_ > 1e-4 ? damping_ / 10 : 0;
        if (last_step()) {
          p.x = next.x;
          p.f = next.f;
          return true;
        }
        if (!at_once) evaluate(next, next_kind());
        if (usable(next)) {
          p = std::move(next);
          return true;
        }
      }
      damping_ = damping_ == 0 ? 1e-3 : 10 * damping_;
      if (damping_ > kMostDamping) break;
      step = propose(p, damping_);
    }
    return false;
  }

  NewtonResult report(const Point& p, NewtonStop stop) {
    result_.stop = stop;
    result_.x = p.x;
    result_.f = p.f;
    result_.gradient = p.gradient;
    result_.hessian = p.curvature;
    if (result_.multipliers.size() == 0)
      result_.multipliers = VectorXd::Zero(constraints_.C.rows());
    if (options_.certificate && p.kind != Curvature::hessian) {
      VectorXd gradient;
      MatrixXd hessian;
      if (std::isfinite(objective_.derivatives(p.x, Curvature::hessian, gradient, hessian)))
        result_.hessian = hessian;
      ++result_.evaluations;
    }
    return std::move(result_);
  }

  const Objective& objective_;
  const LinearConstraints& constraints_;
  const NewtonOptions& options_;
  NewtonResult result_;
  bool scoring_left_ = true;
  double damping_ = 0;
};

}  // namespace

VectorXd LinearConstraints::slack(const VectorXd& x) const {
  return d - C * x;
}

bool LinearConstraints::admit(const VectorXd& x) const {
  return (slack(x).array() >= 0).all();
}

std::vector<Index> LinearConstraints::met(const VectorXd& x) const {
  const VectorXd room = slack(x);
  std::vector<Index> rows;
  for (Index i = 0; i < room.size(); ++i)
    if (room(i) <= rounding_at(d(i))) rows.push_back(i);
  return rows;
}

MatrixXd free_directions(const MatrixXd& C, const std::vector<Index>& active) {
  const Index k = C.cols();
  if (active.empty()) return MatrixXd::Identity(k, k);
  MatrixXd rows(static_cast<Index>(active.size()), k);
  for (std::size_t i = 0; i < active.size(); ++i)
    rows.row(static_cast<Index>(i)) = C.row(active[i]);
  const Eigen::FullPivLU<MatrixXd> lu(rows);
  return lu.rank() == k ? MatrixXd(k, 0) : MatrixXd(lu.kernel());
}

namespace {

QuadraticStep active_set_step(const VectorXd& g, const Eigen::LLT<MatrixXd>& B, const MatrixXd& C,
                              const VectorXd& slack) {
  QuadraticStep out;
  out.s = -B.solve(g);
  out.multipliers = VectorXd::Zero(C.rows());
  std::vector<Index> active;
  std::vector<double> u;  // multipliers of `active`
  bool settled = false;
  // What counts as a violation: more than rounding in quantities of the size of the unconstrained
  // step.
  const VectorXd tolerance = 1e-13 * (C.cwiseAbs() * out.s.cwiseAbs() + slack);
  for (int guard = 0; guard < 100 * (1 + static_cast<int>(C.rows())); ++guard) {
    // The constraint violated most.
    Index worst = -1;
    double most = 0;
    for (Index i = 0; i < C.rows(); ++i) {
      if (std::find(active.begin(), active.end(), i) != active.end()) continue;
      const double over = C.row(i).dot(out.s) - slack(i);
      if (over > tolerance(i) && over > most) {
        most = over;
        worst = i;
      }
    }
    if (worst < 0 || settled) break;
    double u_worst = 0;
    for (;;) {  // take partial steps, dropping blocking constraints, until `worst` holds with
                // equality
      const auto m = static_cast<Index>(active.size());
      const VectorXd n = -C.row(worst).transpose();  // the method's sign: n's >= -slack
      MatrixXd N(n.size(), m);
      for (Index j = 0; j < m; ++j)
        N.col(j) = -C.row(active[static_cast<std::size_t>(j)]).transpose();
      const VectorXd Bn = B.solve(n);
      VectorXd z = Bn, r(m);
      if (m > 0) {
        const MatrixXd BN = B.solve(N);
        r = solve_symmetric(cross(N, BN), cross(N, Bn));
        z -= BN * r;
      }
      const double curvature = z.dot(n);
      const double violation = C.row(worst).dot(out.s) - slack(worst);
      // Length at which the constraint is met, and length at which a multiplier would turn
      // negative.
      const double full = curvature > 1e-14 * n.dot(Bn) ? violation / curvature
                                                        : std::numeric_limits<double>::infinity();
      double partial = std::numeric_limits<double>::infinity();
      std::size_t blocking = 0;
      for (std::size_t j = 0; j < active.size(); ++j) {
        const double rj = r(static_cast<Index>(j));
        if (rj > 0 && u[j] / rj < partial) {
          partial = u[j] / rj;
          blocking = j;
        }
      }
      const double t = std::min(full, partial);
      if (!std::isfinite(t)) {  // no step helps: the violation was rounding, since s = 0 is allowed
        settled = true;
        break;
      }
      if (std::isfinite(full)) out.s += t * z;
      for (std::size_t j = 0; j < active.size(); ++j) u[j] -= t * r(static_cast<Index>(j));
      u_worst += t;
      if (t == full) {
        active.push_back(worst);
        u.push_back(u_worst);
        break;
      }
      active.erase(active.begin() + static_cast<std::ptrdiff_t>(blocking));
      u.erase(u.begin() + static_cast<std::ptrdiff_t>(blocking));
    }
  }
  for (std::size_t j = 0; j < active.size(); ++j) {
    out.multipliers(active[j]) = u[j];
    // A bound on one coordinate is met to the last digit.
    const auto row = C.row(active[j]);
    if ((row.array() != 0).count() != 1) continue;
    Index at = 0;
    row.cwiseAbs().maxCoeff(&at);
    out.s(at) = slack(active[j]) / row(at);
  }
  return out;
}

// The share of s that keeps every constraint, 1 where all of it does.
double share_inside(const VectorXd& s, const MatrixXd& C, const VectorXd& slack) {
  double share = 1;
  const double size = s.cwiseAbs().maxCoeff();
  for (Index i = 0; i < C.rows(); ++i) {
    const double over = C.row(i).dot(s);
    // Rounding in quantities of the size of the step is no violation, nor is that of a coordinate
    // which stays while others move: coordinates are of size one, and a step of any length may not
    // leave its bounds by more than their rounding.
    const auto row = C.row(i).cwiseAbs();
    const double of_others = std::min(1e-13 * row.sum() * size, 1e-13);
    if (over > slack(i) + 1e-9 * (row.dot(s.cwiseAbs()) + slack(i)) + of_others)
      share = std::min(share, slack(i) / over);
  }
  return share;
}

}  // namespace

QuadraticStep solve_quadratic(const VectorXd& g, const Eigen::LLT<MatrixXd>& B, const MatrixXd& C,
                              const VectorXd& slack) {
  // No step is allowed, so the best one does not go up.
  const auto sound = [&](const QuadraticStep& step) {
    return share_inside(step.s, C, slack) == 1 && g.dot(step.s) <= 0;
  };
  QuadraticStep out = active_set_step(g, B, C, slack);
  if (sound(out)) return out;
  // A curvature that is all but singular has cost the method its digits: a little of the diagonal
  // gives them back, at the price of a shorter step.
  const MatrixXd plain = B.reconstructedMatrix();
  for (double share = 1e-10; share < 1; share *= 100) {
    MatrixXd stiffer = plain;
    stiffer.diagonal().array() += share * plain.diagonal().maxCoeff();
    const Eigen::LLT<MatrixXd> llt = cholesky(stiffer);
    if (llt.info() != Eigen::Success) continue;
    out = active_set_step(g, llt, C, slack);
    if (sound(out)) return out;
  }
  out.s *= g.dot(out.s) <= 0 ? share_inside(out.s, C, slack) : 0;
  return out;
}

NewtonResult minimise(const Objective& objective, const LinearConstraints& constraints,
                      VectorXd start, const NewtonOptions& options) {
  return Minimiser(objective, constraints, options).run(std::move(start));
}

}  // namespace brace::inline v0::maths
