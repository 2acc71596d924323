// SPDX-License-Identifier: Apache-2.0
// The estimation engine. It reads as an outline: scale the data, climb, judge, write the estimates,
// put errors to them. Covered by tests/model/estimate_test.cpp, reference_test.cpp and
// study_test.cpp.
#include "model/engine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "brace/base/text.hpp"
#include "model/exact_climb.hpp"
#include "model/joint_climb.hpp"
#include "model/problem.hpp"
#include "model/smaller_models.hpp"
#include "model/standard_errors.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Every parameter is held: nothing to climb.
Peak stay(Problem& problem) {
  Peak peak{.top = {}, .chart = problem.chart, .kink = {}, .starts = 0};
  peak.top.x.resize(0);
  peak.top.f = problem.value(problem.chart, peak.top.x);
  if (std::isfinite(peak.top.f)) {
    peak.top.gradient_norm = 0;
    peak.top.stop = NewtonStop::optimum;
  }
  return peak;
}

// One model on one window, from data to Fit.
class Engine {
 public:
  Engine(const Model& model, const MeanData& data, const EstimateOptions& options, bool exact,
         SmallerModels& smaller)
      : problem_(model, data, options, exact),
        peak_(problem_.chart.size() == 0 ? stay(problem_)
              : exact                    ? climb_exact(problem_, smaller)
                                         : climb_joint(problem_)) {}

  void run(Fit& fit) {
    judge(fit.convergence);
    write_estimates(fit);
    if (fit.usable()) write_errors(fit);
  }

 private:
  void judge(Convergence& c) {
    c.iterations = peak_.top.iterations;
    c.evaluations = problem_.evaluations;
    c.starts = peak_.starts;
    if (std::isfinite(peak_.top.gradient_norm)) c.gradient_norm = peak_.top.gradient_norm;
    theta_ = peak_.chart.natural(peak_.top.x);
    const std::string measured = std::isfinite(peak_.top.gradient_norm)
                                     ? "gradient " + text::significant(peak_.top.gradient_norm, 1)
                                     : std::string("the Hessian is not negative definite");
    if (!settled(peak_.top)) {
      c.status = FitStatus::failed;
      c.why = fmt::format("{} after {} steps from each of {} (asked: below {})", measured,
                          peak_.top.iterations,
                          text::plural(static_cast<std::size_t>(peak_.starts), "start", "starts"),
                          text::significant(kConverged, 1));
      return;
    }
    std::vector<std::string> bounds;
    for (Index i = 0; i < peak_.top.multipliers.size(); ++i)
      if (peak_.top.is_active(i)) {
        const std::string& name = peak_.chart.constraints().names[static_cast<std::size_t>(i)];
        if (std::find(bounds.begin(), bounds.end(), name) == bounds.end()) bounds.push_back(name);
        active_.push_back(i);
      }
    for (const Chart::Edge& edge : peak_.chart.at_edge(theta_)) {
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
                      *peak_.kink * problem_.scaled.scale + problem_.scaled.centre));
    if (peak_.wall) bounds.push_back(peak_.wall->name);
    if (bounds.empty() && !(peak_.top.gradient_norm < kConverged)) {
      c.status = FitStatus::failed;
      c.why = fmt::format("{}, and no step leads higher (asked: below {})", measured,
                          text::significant(kConverged, 1));
      return;
    }
    c.status = bounds.empty() ? FitStatus::converged : FitStatus::boundary;
    c.why = bounds.empty()
                ? fmt::format("{}, below {}; Hessian negative definite", measured,
                              text::significant(kConverged, 1))
                : fmt::format("the maximum lies on a bound: {}", fmt::join(bounds, "; "));
    if (problem_.tie) c.why += "; omega from the variance of the sample";
  }

  // ---- Writing the result, in the units of the data ----

  void write_estimates(Fit& fit) const {
    fit.estimated = static_cast<int>(peak_.chart.size()) + (peak_.kink ? 1 : 0) +
                    (peak_.wall ? 1 : 0) + (problem_.tie ? 1 : 0);
    const VectorXd natural = problem_.convert(theta_, false);
    for (std::size_t j = 0; j < problem_.names.size(); ++j) {
      Parameter p;
      p.name = problem_.names[j];
      p.estimate = natural(static_cast<Index>(j)) + (p.name == "mu" ? problem_.scaled.centre : 0);
      if (const auto held = problem_.held_value(p.name)) {
        p.estimate = *held;
        p.held = true;
      }
      fit.parameters.push_back(std::move(p));
    }
    for (const Index i : active_) mark_pinned(fit, i);
    if (peak_.kink) fit.parameters[0].at_bound = true;
    if (peak_.wall) fit.parameters[peak_.wall->parameter].at_bound = true;
    for (Parameter& p : fit.parameters)
      if (std::find(edges_.begin(), edges_.end(), p.name) != edges_.end()) p.at_bound = true;
  }

  // A bound on one coordinate pins its parameter, which then sits on it exactly.
  void mark_pinned(Fit& fit, Index constraint) const {
    const auto row = peak_.chart.constraints().C.row(constraint);
    if ((row.array() != 0).count() != 1) return;
    Index at = 0;
    row.cwiseAbs().maxCoeff(&at);
    Parameter& p = fit.parameters[peak_.chart.pinned_parameter(at)];
    p.at_bound = true;
    if (peak_.chart.constraints().d(constraint) == 0) p.estimate = 0;
  }

  void write_errors(Fit& fit) {
    // Bounds on sums may pin a parameter between them.
    const MatrixXd Z = free_directions(peak_.chart.constraints().C, active_);
    for (Index i = 0; i < peak_.chart.size(); ++i)
      if (Z.cols() == 0 || Z.row(i).norm() < 1e-10)
        fit.parameters[peak_.chart.pinned_parameter(i)].at_bound = true;
    Maximum maximum{.chart = peak_.chart,
                    .x = peak_.top.x,
                    .theta = theta_,
                    .hessian = peak_.top.hessian,
                    .free = Z,
                    .surface = *problem_.surface,
                    .to_natural = {}};
    (void)problem_.convert(theta_, false, &maximum.to_natural);
    if (problem_.tie)
      write_targeted_errors(problem_.model, problem_.scaled.data, *problem_.tie,
                            problem_.held_scaled(), maximum, fit);
    else
      brace::write_errors(maximum, problem_.options.hessian_errors_only, fit);
  }

  Problem problem_;
  Peak peak_;
  VectorXd theta_;                  // natural, scaled data
  std::vector<Index> active_;       // constraints that bind
  std::vector<std::string> edges_;  // parameters of factors at the unit circle
};

}  // namespace

void run_engine(const Model& model, const MeanData& data, const EstimateOptions& options, Fit& fit,
                SmallerModels& smaller) {
  Engine(model, data, options, fit.exact, smaller).run(fit);
}

}  // namespace brace
