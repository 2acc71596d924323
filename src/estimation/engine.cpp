// SPDX-License-Identifier: Apache-2.0
// The estimation engine. It reads as an outline: scale the data, climb, judge, write the estimates,
// put errors to them. Covered by tests/estimation/estimate_test.cpp, reference_test.cpp and
// study_test.cpp.
#include "estimation/engine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/text.hpp"
#include "estimation/climbs/exact_climb.hpp"
#include "estimation/climbs/joint_climb.hpp"
#include "estimation/climbs/placed_on_kinks.hpp"
#include "estimation/problem.hpp"
#include "estimation/smaller_models.hpp"
#include "estimation/standard_errors.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Every parameter is held: nothing to climb.
Peak stay(Problem& problem) {
  Peak peak{.top = {}, .coordinates = problem.coordinates, .kink = {}, .starts = 0};
  peak.top.x.resize(0);
  peak.top.f = problem.value(problem.coordinates, WorkingPoint(peak.top.x));
  if (std::isfinite(peak.top.f)) {
    peak.top.gradient_norm = 0;
    peak.top.stop = maths::NewtonStop::optimum;
  }
  return peak;
}

Peak climbed(Problem& problem, SmallerModels& smaller) {
  if (problem.coordinates.size() == 0) return stay(problem);
  return problem.exact ? climb_exact(problem, smaller) : climb_joint(problem);
}

// The top on the bounds that bind: a step of the quadratic programme meets them to some ten digits,
// and what is then set to 0 would leave a sum beyond its bound.
WorkingPoint on_bounds(const Peak& peak) {
  WorkingPoint x(peak.top.x);
  std::vector<Index> binding;
  for (Index i = 0; i < peak.top.multipliers.size(); ++i)
    if (peak.top.is_active(i)) binding.push_back(i);
  if (binding.empty() || !settled(peak.top)) return x;
  const MatrixXd C = peak.coordinates.constraints().C(binding, Eigen::all);
  const VectorXd d = peak.coordinates.constraints().d(binding);
  return WorkingPoint(x + maths::shortest_solution(C, d - C * x));
}

// Where the climbs ended, as a Fit: status, estimates, errors.
class FitReport {
 public:
  FitReport(Problem& problem, const Peak& peak)
      : problem_(problem),
        peak_(peak),
        x_(on_bounds(peak)),
        theta_(peak.coordinates.scaled(x_)),
        estimates_(problem.to_data(theta_)) {
    const std::vector<std::size_t> kinked = peak.kink ? std::vector<std::size_t>{0} : peak.on_kinks;
    if (!kinked.empty())
      place_on_kinks(problem.model, problem.data, kinked,
                     {estimates_.data(), static_cast<std::size_t>(estimates_.size())});
  }

  void write(Fit& fit) {
    judge(fit.convergence);
    write_estimates(fit);
    if (fit.usable()) write_errors(fit);
  }

 private:
  // Why there is no maximum, where a stop was asked for before there could be one.
  static bool was_stopped(Convergence& c) {
    if (c.stopped)
      c.why = fmt::format("stopped as asked after {}, before any climb had ended",
                          text::plural(static_cast<std::size_t>(c.evaluations), "pass", "passes"));
    return c.stopped;
  }

  void judge(Convergence& c) {
    c.iterations = peak_.top.iterations;
    c.evaluations = problem_.evaluations;
    c.starts = peak_.starts;
    c.stopped = problem_.stopped;
    if (std::isfinite(peak_.top.gradient_norm)) c.gradient_norm = peak_.top.gradient_norm;
    const std::string measured = std::isfinite(peak_.top.gradient_norm)
                                     ? "gradient " + text::significant(peak_.top.gradient_norm, 1)
                                     : std::string("the Hessian is not negative definite");
    if (!settled(peak_.top)) {
      c.status = FitStatus::failed;
      if (was_stopped(c)) return;
      c.why = fmt::format("{} after {} steps from each of {} (asked: below {})", measured,
                          peak_.top.iterations,
                          text::plural(static_cast<std::size_t>(peak_.starts), "start", "starts"),
                          text::significant(kConverged, 1));
      return;
    }
    std::vector<std::string> bounds;
    for (Index i = 0; i < peak_.top.multipliers.size(); ++i)
      if (peak_.top.is_active(i)) {
        const std::string& name =
            peak_.coordinates.constraints().names[static_cast<std::size_t>(i)];
        if (std::find(bounds.begin(), bounds.end(), name) == bounds.end()) bounds.push_back(name);
        active_.push_back(i);
      }
    for (const Coordinates::Edge& edge : peak_.coordinates.at_edge(theta_)) {
      edges_.push_back(edge.parameter);
      const std::string bound = fmt::format("{} inside the unit circle", edge.parameter);
      const auto said = std::find(bounds.begin(), bounds.end(), bound);
      const std::string with_root = fmt::format("{} (root {:.5f})", bound, edge.root);
      if (said == bounds.end())
        bounds.push_back(with_root);
      else
        *said = with_root;
    }
    if (peak_.kink)
      bounds.push_back(
          fmt::format("mu on a kink of the likelihood, which has one at every value of "
                      "the series ({:.6g})",
                      estimates_(0)));
    if (!peak_.on_kinks.empty()) {
      for (const std::size_t j : peak_.on_kinks) c.on_kinks.push_back(problem_.names[j]);
      bounds.push_back(
          fmt::format("{} on kinks of the likelihood, which has one wherever a shock is 0",
                      fmt::join(c.on_kinks, ", ")));
    }
    if (peak_.wall) bounds.push_back(peak_.wall->name);
    if (bounds.empty() && !(peak_.top.gradient_norm < kConverged)) {
      c.status = FitStatus::failed;
      if (was_stopped(c)) return;
      c.why = fmt::format("{}, and no step leads higher (asked: below {})", measured,
                          text::significant(kConverged, 1));
      return;
    }
    c.status = bounds.empty() ? FitStatus::converged : FitStatus::boundary;
    c.why = bounds.empty()
                ? fmt::format("{}, below {}; Hessian negative definite", measured,
                              text::significant(kConverged, 1))
                : fmt::format("the maximum lies on a bound: {}", fmt::join(bounds, "; "));
    if (c.status == FitStatus::boundary && !(peak_.top.gradient_norm < kConverged))
      c.why += fmt::format("; {} is left, which rounding keeps from falling", measured);
    if (problem_.tie) c.why += "; omega from the variance of the sample";
  }

  // ---- Writing the result, in the units of the data ----

  void write_estimates(Fit& fit) const {
    fit.estimated = static_cast<int>(peak_.coordinates.size()) + (peak_.kink ? 1 : 0) +
                    static_cast<int>(peak_.on_kinks.size()) +
                    (peak_.wall ? static_cast<int>(peak_.wall->parameters.size()) : 0) +
                    (problem_.tie ? 1 : 0);
    for (std::size_t j = 0; j < problem_.names.size(); ++j) {
      Parameter p;
      p.name = problem_.names[j];
      p.estimate = estimates_(static_cast<Index>(j));
      if (const auto held = problem_.held_value(p.name)) {
        p.estimate = *held;
        p.held = true;
      }
      fit.parameters.push_back(std::move(p));
    }
    for (const Index i : active_) mark_pinned(fit, i);
    if (peak_.kink) fit.parameters[0].at_bound = true;
    for (const std::size_t j : peak_.on_kinks) fit.parameters[j].at_bound = true;
    if (peak_.wall)
      for (const std::size_t j : peak_.wall->parameters) fit.parameters[j].at_bound = true;
    for (Parameter& p : fit.parameters)
      if (std::find(edges_.begin(), edges_.end(), p.name) != edges_.end()) p.at_bound = true;
  }

  // A bound on one coordinate pins its parameter, which then sits on it exactly.
  void mark_pinned(Fit& fit, Index constraint) const {
    const auto row = peak_.coordinates.constraints().C.row(constraint);
    if ((row.array() != 0).count() != 1) return;
    Index at = 0;
    row.cwiseAbs().maxCoeff(&at);
    Parameter& p = fit.parameters[peak_.coordinates.pinned_parameter(at)];
    p.at_bound = true;
    if (peak_.coordinates.constraints().d(constraint) == 0) p.estimate = 0;
  }

  void write_errors(Fit& fit) {
    // Bounds on sums may pin a parameter between them.
    const MatrixXd Z = maths::free_directions(peak_.coordinates.constraints().C, active_);
    for (Index i = 0; i < peak_.coordinates.size(); ++i)
      if (Z.cols() == 0 || Z.row(i).norm() < 1e-10)
        fit.parameters[peak_.coordinates.pinned_parameter(i)].at_bound = true;
    const Maximum maximum{.coordinates = peak_.coordinates,
                          .x = x_,
                          .theta = theta_,
                          .hessian = peak_.top.hessian,
                          .free = Z,
                          .likelihood = *problem_.likelihood,
                          .data_by_scaled = problem_.data_by_scaled(theta_),
                          .of_few_rows = fits_few_rows(problem_.model, problem_.scaled.data)};
    if (problem_.tie)
      write_targeted_errors(problem_.model, problem_.scaled.data, *problem_.tie,
                            problem_.held_scaled(), maximum, fit);
    else
      brace::write_errors(maximum, problem_.options.hessian_errors_only, fit);
  }

  Problem& problem_;
  const Peak& peak_;
  WorkingPoint x_;
  ScaledParameters theta_;
  DataParameters estimates_;
  std::vector<Index> active_;       // constraints that bind
  std::vector<std::string> edges_;  // parameters of factors at the unit circle
};

}  // namespace

void run_engine(const Model& model, const MeanData& data, const EstimateOptions& options, Fit& fit,
                SmallerModels& smaller) {
  Problem problem(model, data, options, fit.exact);
  const Peak peak = climbed(problem, smaller);
  FitReport(problem, peak).write(fit);
}

}  // namespace brace::inline v0
