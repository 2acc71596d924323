// SPDX-License-Identifier: Apache-2.0
// The likelihood of one model on one window as a climb sees it: data scaled to one, parameters in
// bounded coordinates, every evaluation counted.
//
//   Problem problem(model, data, options, /*exact=*/false);
//   double f = problem.value(problem.chart, x);           // minus the log-likelihood, or infinity
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "brace/maths/newton.hpp"
#include "brace/model/estimate.hpp"
#include "model/chart.hpp"
#include "model/lag_product.hpp"
#include "model/mean_data.hpp"
#include "model/surface.hpp"

namespace brace {

// The data on the scale on which the optimiser works: changes divided by their standard deviation,
// and centred where a free mu absorbs the centre; regression columns divided by their size.
struct Scaled {
  MeanData data;
  double centre = 0, scale = 1;
  Eigen::VectorXd column_scales{}, variance_column_scales{};
  std::size_t observed = 0;
};

struct Problem {
  // `exact` tells which likelihood. What is given must outlive it.
  Problem(const Model& model, const MeanData& data, const EstimateOptions& options, bool exact);

  const Model& model;
  const MeanData& data;  // as given
  const EstimateOptions& options;
  bool exact;
  ParameterNames parts;
  std::vector<std::string> names;  // of all parts
  MeanPositions at;
  Scaled scaled;
  Eigen::VectorXd units;  // k
  std::optional<Tie> tie;
  Chart chart;
  std::unique_ptr<Surface> surface;
  int evaluations = 0;

  [[nodiscard]] std::optional<double> held_value(const std::string& name) const;
  // Of every parameter, on the optimiser's scale.
  [[nodiscard]] std::vector<std::optional<double>> held_scaled() const;
  // Where they are held, they take the place of those in theta.
  [[nodiscard]] Eigen::VectorXd with_held(Eigen::VectorXd theta) const;
  [[nodiscard]] Chart make_chart(std::vector<std::optional<double>> held,
                                 std::optional<Wall> wall = {}) const;
  [[nodiscard]] Eigen::Index first_variance() const {
    return static_cast<Eigen::Index>(parts.mean.size());
  }

  // Parameters on the optimiser's scale in natural units or, with `back`, the other way round; and
  // the derivatives of the one by the other.
  [[nodiscard]] Eigen::VectorXd convert(Eigen::VectorXd theta, bool back,
                                        Eigen::MatrixXd* derivatives = nullptr) const;

  // The point nearest to x that meets the bounds (held parameters may have taken the room of a
  // start). Throws Error (bad_model_line) where there is none.
  [[nodiscard]] Eigen::VectorXd feasible(Eigen::VectorXd x) const;

  // Minus the log-likelihood, infinity where it is not admitted: at working coordinates, and at
  // natural parameters of the scaled data.
  double value(const Chart& in, const Eigen::VectorXd& x);
  double value_at(const Eigen::VectorXd& theta);
  // Its slope in one of them; 0 where it has none.
  double slope_in(std::size_t parameter, const Eigen::VectorXd& theta);
  // `rough` second derivatives are for steps far from the end.
  [[nodiscard]] Objective objective_in(const Chart& in, bool rough = false);

 private:
  [[nodiscard]] bool may_scale() const;
  [[nodiscard]] Eigen::VectorXd make_units() const;
  [[nodiscard]] std::optional<Tie> make_tie() const;
  double derivatives(const Chart& in, bool rough, const Eigen::VectorXd& x, Curvature kind,
                     Eigen::VectorXd& gradient, Eigen::MatrixXd& curvature);
  double derivatives_near_edge(const Chart& in, const Eigen::VectorXd& x,
                               const Eigen::VectorXd& room, Eigen::VectorXd& gradient,
                               Eigen::MatrixXd& curvature);
  Derivatives<double> derivatives_;
};

// Whether a climb ended where no slope is left, or none that the rounding of the likelihood lets it
// follow: next to the unit circle second derivatives keep few digits, and on it, where an AR and an
// MA factor meet, none. Half the square of its norm is what such a point may lie below its top.
inline constexpr double kRounded = 1e-3, kRoundedAtEdge = 0.5;
[[nodiscard]] inline bool settled(const NewtonResult& r) {
  return r.stop != NewtonStop::not_finite &&
         r.gradient_norm < (r.stop == NewtonStop::no_descent ? kRounded
                            : r.stop == NewtonStop::rounding ? kRoundedAtEdge
                                                             : kConverged);
}
// Whether the one is to be preferred: settled before not, then the lower.
[[nodiscard]] inline bool better(const NewtonResult& r, const NewtonResult& than) {
  return than.x.size() == 0 || (settled(r) && !settled(than)) ||
         (settled(r) == settled(than) && r.f < than.f);
}

// Where a search ended: the highest point, in which coordinates, the mu of the kink on which it
// lies (scaled data) or the wall, and how many starts there were.
struct Peak {
  struct OnWall {
    std::string name;
    std::size_t parameter;
  };
  NewtonResult top;
  Chart chart;
  std::optional<double> kink{};
  std::optional<OnWall> wall{};
  int starts = 0;
};

}  // namespace brace
