// SPDX-License-Identifier: Apache-2.0
// Climbs of a likelihood that has a kink in mu at every mu = y_t (egarch, aparch with delta up to
// 1, ged with nu at 1): its maximum may lie on one, where no gradient vanishes, or between two.
//
//   KinkClimb kinks(problem);
//   const KinkClimb::End end = kinks.climb(x);   // a smooth maximum, or a kink that is named
//   if (kinks.highest()) ...                     // the highest maximum on a kink so far
#pragma once

#include <optional>
#include <vector>

#include "estimation/problem.hpp"
#include "likelihood/joint_likelihood.hpp"

namespace brace::inline v0 {

class KinkClimb {
 public:
  explicit KinkClimb(Problem& problem);

  // Whether this model's likelihood may have kinks that are looked for.
  [[nodiscard]] bool may_be() const { return may_be_; }

  // Where a climb ended: the point in all working coordinates and, unless it lies on a kink, the
  // result of the climb there (a maximum or where it stalled).
  struct End {
    double f;
    WorkingPoint x;
    Eigen::MatrixXd hessian;  // of the smooth part
    bool on_kink = false;
    bool known = false;  // no maximum of its own: that of a kink known, or a lower one
    maths::NewtonResult smooth;
  };
  // With mu free to where the kinks stop it, then from map to map (kink_climb.cpp). What a map
  // shows to lie below `known`, the f of the highest maximum so far, is not climbed to its end.
  End climb(const WorkingPoint& from, int most_steps, std::optional<double> known);

  // Where many rows have one value, the likelihood rises steeply to both sides of it and has a top
  // on each: the mu as far on the other side, where the value next to mu is such a one.
  [[nodiscard]] std::optional<double> other_side_of_a_shared_value(double mu) const;

  [[nodiscard]] const std::optional<Peak>& highest() const { return highest_; }

 private:
  // A kink, or a place between two neighbouring values, with the f that the map gives it.
  struct Place {
    double mu, f;
    bool kink;
    double left = 0, right = 0;
  };
  // The profile over mu next to a point; how the other coordinates follow.
  struct Map {
    std::vector<Place> places;  // lowest f first
    Eigen::VectorXd to, along;  // at the same mu, and for one unit of mu
  };
  struct Here {
    WorkingPoint x;
    double f;
    Eigen::VectorXd gradient;
    Eigen::MatrixXd hessian;
  };
  struct Term {
    double value, left, right;  // slopes to either side, of the minimised function
  };
  class NearRows;

  [[nodiscard]] bool kinked(const ScaledParameters& theta) const;
  [[nodiscard]] bool has_cusps(const ScaledParameters& theta) const;
  bool filter(const ScaledParameters& theta);
  [[nodiscard]] Map map_of(const Here& here);
  // The slopes of the log-likelihood by |e| of the rows whose value is mu.
  struct Steps {
    double of_variance = 0, of_law = 0;
  };
  [[nodiscard]] Steps steps_at(double mu, const ScaledParameters& theta);
  std::optional<Here> climb_kink(const Place& place, const WorkingPoint& from, int most_steps);
  std::optional<Here> climb_between(const Place& place, const WorkingPoint& from, int most_steps,
                                    maths::NewtonResult& result);
  [[nodiscard]] bool derivatives_at(Here& here);

  Problem& problem_;
  bool may_be_ = false;
  std::size_t lags_ = 0;
  std::vector<double> values_;  // of the series, each once, in order
  std::optional<JointLikelihood<double>> filter_;
  JointLikelihood<double>::Path path_;
  std::vector<double> slopes_;  // by row and lag
  std::optional<Peak> highest_;
};

}  // namespace brace::inline v0
