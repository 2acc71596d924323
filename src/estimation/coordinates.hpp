// SPDX-License-Identifier: Apache-2.0
// The engine's working coordinates: held parameters left out, 1/nu for nu, and for full sets of AR
// or MA lags the partial autocorrelations of their sections, factors of degree two, so that
// stationarity and invertibility are plain bounds and each bound is a root on the unit circle.
//
//   Coordinates coordinates(model, held_values);
//   ScaledParameters theta = coordinates.scaled(x);
#pragma once

#include <Eigen/Dense>
#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "brace/model/model.hpp"
#include "estimation/parameters.hpp"
#include "families/variance_family.hpp"
#include "maths/newton.hpp"

namespace brace::inline v0 {

// Partial autocorrelations of an AR factor are kept this far inside the unit circle, where the
// process ceases to be stationary. An MA factor may come nearer: its likelihood is flat there, and
// how near a root comes at a given bound depends on the other root of its section.
inline constexpr double kMostPartial = 0.9999, kMostPartialOfMa = 1 - 1e-5;
// Beyond this an estimate counts as pinned at the edge.
inline constexpr double kEdgePartial = 0.999;

// A parameter that follows from others:  theta_p = level (1 - sum weight_j theta_j).
struct Tie {
  std::size_t parameter;
  double level;
  std::vector<std::pair<std::size_t, double>> weights;  // (parameter, weight)
  [[nodiscard]] double share(const ScaledParameters& theta) const {
    double left = 1;
    for (const auto& [j, weight] : weights) left -= weight * theta(static_cast<Eigen::Index>(j));
    return left;
  }
};

class Coordinates {
 public:
  enum class Kind {
    bounded,  // sections where a set has all its lags: edges are bounds, cancelling terms lie on
              // lines
    plain,    // the coefficients themselves, in which valleys are straighter; edges are walls
  };

  // `held` has an entry a parameter: its value where it is held, in the unit of the scaled data.
  Coordinates(const Model& model, std::vector<std::optional<double>> held,
              Kind kind = Kind::bounded, std::optional<Tie> tie = {},
              std::optional<Wall> wall = {});

  // Whether any set is worked on by its sections.
  [[nodiscard]] bool has_sections() const {
    return std::any_of(factors_.begin(), factors_.end(),
                       [](const LagFactor& f) { return f.sections; });
  }

  [[nodiscard]] Eigen::Index size() const { return static_cast<Eigen::Index>(free_.size()); }
  [[nodiscard]] const maths::LinearConstraints& constraints() const { return constraints_; }

  [[nodiscard]] ScaledParameters scaled(const WorkingPoint& x) const;       // size() -> k
  [[nodiscard]] WorkingPoint working(const ScaledParameters& theta) const;  // k -> size()
  [[nodiscard]] Eigen::MatrixXd jacobian(const WorkingPoint& x) const;      // k x size()

  // Whether sparse AR and MA sets, which have no bounds of their own, are stationary and
  // invertible.
  [[nodiscard]] bool admits(const ScaledParameters& theta) const;

  // Second derivatives by x of a function with gradient g and Hessian H by theta.
  [[nodiscard]] Eigen::MatrixXd pull_hessian(const WorkingPoint& x, const Eigen::VectorXd& g,
                                             const Eigen::MatrixXd& H) const;

  // How far each working coordinate may move before a root of its section meets the unit circle, at
  // most 1.
  [[nodiscard]] Eigen::VectorXd margin(const WorkingPoint& x) const;

  // A factor whose largest |partial autocorrelation| exceeds kEdgePartial: the last parameter of
  // its set and the modulus of the root nearest to the unit circle.
  struct Edge {
    std::string parameter;
    double root;
  };
  [[nodiscard]] std::vector<Edge> at_edge(const ScaledParameters& theta) const;

  // Of which factor's sections coordinate i is one.
  enum class Section { none, ar, ma };
  [[nodiscard]] Section section(Eigen::Index i) const;

  // The bounds on which an MA factor has a root at one in its power of B: by constraint.
  [[nodiscard]] std::vector<Eigen::Index> ma_root_at_one() const;

  // Index into the model's parameters of working coordinate i.
  [[nodiscard]] std::size_t parameter(Eigen::Index i) const {
    return free_[static_cast<std::size_t>(i)];
  }
  // The parameter that a bound on coordinate i pins: of a set in sections, the last.
  [[nodiscard]] std::size_t pinned_parameter(Eigen::Index i) const;

 private:
  // One AR or MA set, plain or seasonal: coefficients `first` .. `first + lags.size() - 1` of
  // theta.
  struct LagFactor {
    Lags lags;
    std::size_t first;
    double sign;    // +1 for AR; an MA polynomial 1 + sum ma B^j has coefficients -ma
    int step = 1;   // greatest common divisor of the lags
    bool sections;  // its working coordinates are the partial autocorrelations of its sections
    bool single;    // one lag: its coefficient is the partial autocorrelation in its power of B
    [[nodiscard]] double most() const { return sign > 0 ? kMostPartial : kMostPartialOfMa; }
    Eigen::Index at = 0;  // first working coordinate, where all of it is free
  };
  [[nodiscard]] std::vector<double> sections_of(const WorkingPoint& x, const LagFactor& f) const;
  // Coefficients of theta by power of B^step.
  [[nodiscard]] static std::vector<double> dense(const ScaledParameters& theta, const LagFactor& f);
  [[nodiscard]] std::optional<std::vector<double>> partials_from(const ScaledParameters& theta,
                                                                 const LagFactor& f) const;
  // The parameter on the wall, and where the others put it.
  [[nodiscard]] std::size_t on_wall() const { return first_variance_ + wall_->parameter; }
  [[nodiscard]] Wall::Point wall_at(const ScaledParameters& theta) const;
  void build_constraints(const Model& model);

  std::vector<std::string> names_;
  std::vector<std::optional<double>> held_;
  std::optional<Tie> tie_;
  std::optional<Wall> wall_;
  std::vector<std::size_t> free_;  // parameter of each working coordinate
  std::vector<LagFactor> factors_;
  std::size_t first_variance_ = 0, variances_ = 0, first_shape_ = 0;
  Shocks shocks_;
  maths::LinearConstraints constraints_;
};

}  // namespace brace::inline v0
