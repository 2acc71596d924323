// SPDX-License-Identifier: Apache-2.0
// The likelihood of one model on one window as a climb sees it: data scaled to one, parameters in
// bounded coordinates, every evaluation counted.
//
//   Problem problem(model, data, options, /*exact=*/false);
//   double f = problem.value(problem.coordinates, x);           // minus the log-likelihood, or
//   infinity
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "brace/estimation/estimate.hpp"
#include "estimation/coordinates.hpp"
#include "likelihood/log_likelihood.hpp"
#include "maths/newton.hpp"
#include "model/lag_product.hpp"
#include "model/mean_data.hpp"

namespace brace::inline v0 {

// The data on the scale on which the optimiser works: changes divided by their standard deviation,
// and centred where a free mu absorbs the centre; regression columns divided by their size.
struct ScaledData {
  MeanData data;
  double centre = 0, scale = 1;
  Eigen::VectorXd column_scales{}, variance_column_scales{};
  std::size_t observed = 0;
};

struct Problem {
  // `by_exact` tells which likelihood. What is given must outlive it.
  Problem(const Model& of, const MeanData& given, const EstimateOptions& how, bool by_exact);

  const Model& model;
  const MeanData& data;  // as given
  const EstimateOptions& options;
  bool exact;
  ParameterNames parts;
  std::vector<std::string> names;  // of all parts
  MeanPositions at;
  ScaledData scaled;
  Eigen::VectorXd units;  // k; what one unit of a scaled parameter of the mean is in the data's
  std::optional<Tie> tie;
  Coordinates coordinates;
  std::unique_ptr<LogLikelihood> likelihood;
  int evaluations = 0;
  bool stopped = false;  // a pass was not made because a stop was asked for

  [[nodiscard]] std::optional<double> held_value(const std::string& name) const;
  // Of every parameter, on the optimiser's scale.
  [[nodiscard]] std::vector<std::optional<double>> held_scaled() const;
  // Where they are held, they take the place of those in theta.
  [[nodiscard]] ScaledParameters with_held(ScaledParameters theta) const;
  [[nodiscard]] Coordinates make_coordinates(std::vector<std::optional<double>> held,
                                             std::optional<Wall> wall = {}) const;
  [[nodiscard]] Eigen::Index first_variance() const {
    return static_cast<Eigen::Index>(parts.mean.size());
  }

  // The same parameters in the other form; and the derivatives of those in the units of the data by
  // the scaled ones, k x k.
  [[nodiscard]] DataParameters to_data(const ScaledParameters& theta) const;
  [[nodiscard]] ScaledParameters to_scaled(const DataParameters& theta) const;
  [[nodiscard]] Eigen::MatrixXd data_by_scaled(const ScaledParameters& theta) const;

  // The point nearest to x that meets the bounds (held parameters may have taken the room of a
  // start). Throws Error (bad_model_line) where there is none.
  [[nodiscard]] WorkingPoint feasible(WorkingPoint x) const;

  // Minus the log-likelihood, infinity where it is not admitted.
  double value(const Coordinates& in, const WorkingPoint& x);
  double value_at(const ScaledParameters& theta);
  // Its slope in one of them; 0 where it has none.
  double slope_in(std::size_t parameter, const ScaledParameters& theta);
  // Counts one more pass over the data and reports it; false where a stop was asked for and none
  // is to be made.
  bool begin_pass();
  // `rough` second derivatives are for steps far from the end.
  [[nodiscard]] maths::Objective objective_in(const Coordinates& in, bool rough = false);

 private:
  // The variance's parameters of `theta` from one unit to the other, in place; d new / d old, k x k
  // of the variance.
  [[nodiscard]] Eigen::MatrixXd rescale_variance(Eigen::VectorXd& theta, bool to_data) const;
  [[nodiscard]] bool may_scale() const;
  [[nodiscard]] Eigen::VectorXd make_units() const;
  [[nodiscard]] std::optional<Tie> make_tie() const;
  double derivatives(const Coordinates& in, bool rough, const WorkingPoint& x,
                     maths::Curvature kind, Eigen::VectorXd& gradient, Eigen::MatrixXd& curvature);
  double derivatives_near_edge(const Coordinates& in, const WorkingPoint& x,
                               const Eigen::VectorXd& margin, Eigen::VectorXd& gradient,
                               Eigen::MatrixXd& curvature);
  Derivatives<double> derivatives_;
};

// Whether a climb ended where no slope is left, or none that the rounding of the likelihood lets it
// follow: next to the unit circle second derivatives keep few digits, and on it, where an AR and an
// MA factor meet, none. Half the square of its norm is what such a point may lie below its top.
inline constexpr double kRounded = 1e-3, kRoundedAtEdge = 0.5;
[[nodiscard]] inline bool settled(const maths::NewtonResult& r) {
  return r.stop != maths::NewtonStop::not_finite &&
         r.gradient_norm < (r.stop == maths::NewtonStop::no_descent ? kRounded
                            : r.stop == maths::NewtonStop::rounding ? kRoundedAtEdge
                                                                    : kConverged);
}
// Whether the one is to be preferred: settled before not, then the lower.
[[nodiscard]] inline bool better(const maths::NewtonResult& r, const maths::NewtonResult& than) {
  return than.x.size() == 0 || (settled(r) && !settled(than)) ||
         (settled(r) == settled(than) && r.f < than.f);
}

// Where a search ended: the highest point, in which coordinates, the mu of the kink on which it
// lies (scaled data), the terms of the mean that kinks hold, or the wall, and how many starts there
// were.
struct Peak {
  struct OnWall {
    std::string name;
    std::vector<std::size_t> parameters;
  };
  maths::NewtonResult top;
  Coordinates coordinates;
  [[nodiscard]] ScaledParameters parameters() const {
    return coordinates.scaled(WorkingPoint(top.x));
  }
  std::optional<double> kink{};
  std::vector<std::size_t> on_kinks{};
  std::optional<OnWall> wall{};
  int starts = 0;
};

}  // namespace brace::inline v0
