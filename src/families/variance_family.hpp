// SPDX-License-Identifier: Apache-2.0
// What estimation must know of a variance family beyond its kernel: bounds, starting values,
// persistence, one step ahead, and its own doubts. One entry a family (family_table.hpp), found by
// the variant in the model.
//
//   const VarianceFamily& family = variance_family(model.variance);
//   for (const Bound& bound : family.bounds(model)) std::cout << bound.name;
#pragma once

#include <Eigen/Dense>
#include <algorithm>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "brace/model/model.hpp"
#include "families/shock_law.hpp"

namespace brace::inline v0 {

// sum_j weight_j theta_j <= limit over the variance parameters (index 0 is the first of them).
struct Bound {
  std::string name;  // "alpha1 >= 0"
  std::vector<std::pair<std::size_t, double>> terms;
  double limit;
  bool of_level = false;  // the limit is one for data of unit variance: in other units it is 0
};

// A rule that is no linear bound: on it one parameter of the variance follows from the others.
struct Wall {
  std::string name;  // "phi1 where lambda of lag 2 is 0"
  std::size_t parameter;
  struct Point {
    double value;           // of the parameter
    Eigen::VectorXd slope;  // k: by the parameters of the variance
    Eigen::MatrixXd bend;   // k x k
    double inward;          // 1 where larger values are admitted, -1 where smaller ones are
  };
  // Not a number where it follows from none.
  std::function<Point(std::span<const double> theta)> at;
  // Whether it is a plane, on which the bounds of that parameter are linear too.
  bool plane = false;
};

// A family within another, by the parameters that are held there; its maximum may be that of the
// whole where no step is open to them.
struct ContainedCase {
  std::vector<Held> at;
  std::string corner;  // "d in a corner of the lambdas (every one must be >= 0)"
};

// What follows from the parameters alone; empty where it does not exist.
struct Dynamics {
  std::optional<double> persistence, half_life;  // half-life in rows
  std::optional<double> unconditional_variance;  // mean of h
  std::optional<double> typical_variance;        // where recursions run in another scale than h's
};
// `decay` of the variance at lag `lag`, of a list by lag that grows as it must.
void add_at_lag(std::vector<double>& by_lag, int lag, double decay);
// The largest inverse root of a decay by lag, whose sum is the persistence, gives the half-life.
[[nodiscard]] std::optional<double> half_life_of(const std::vector<double>& decay);

// What a shock leaves behind: in the family's own scale (e^2, |z|, |e|^delta) its size where it is
// positive and where it is negative; one of them is 0 but in expectations.
struct News {
  double plus = 0, minus = 0;
};

// The past of a variance, newest first, as far back as the model reaches.
struct VarianceState {
  std::vector<News> news;
  std::vector<double> h;
  std::vector<double> x;  // a state of the family's own: ln h, a power of h, the long-run component
  void push(const News& new_news, double new_h, double new_x);  // drops the oldest
};

// Parameters as stepping needs them, with the moments of the law that the family asks for.
struct StepRules {
  const Model* model = nullptr;
  std::span<const double> theta;  // variance
  double negative_square = 0.5;   // E z^2 1(z < 0)
  double mean_size = 0;           // E|z|
  News powers;                    // E |z|^delta on either side
};
[[nodiscard]] StepRules step_rules(const Model& model, std::span<const double> theta,
                                   std::span<const double> shape);

// What a filter leaves of each row; e is not a number where the value is missing. `by_log_h` is the
// slope of the row's own term of the log-likelihood by ln h.
struct FilteredRows {
  std::span<const double> e, h, by_log_h;
};

struct VarianceFamily {
  // Bounds for data scaled to unit variance.
  std::vector<Bound> (*bounds)(const Model& model);
  // Starting points for data scaled to unit variance, widely spread; the engine takes the best.
  // Without the coefficients of regressors.
  std::vector<std::vector<double>> (*starts)(const Model& model);
  // Other parameters of the variance under which it is nearly the same, for data of unit variance
  // and without the coefficients of regressors: a hill of their own may rise there.
  std::vector<std::vector<double>> (*twins)(const Model&, std::span<const double> theta);
  // From whose maxima it is climbed where none is found.
  std::vector<ContainedCase> (*cases)();
  // Of shocks to the variance, alone and at once; empty where there is no such number.
  std::optional<double> (*persistence)(const Model& model, std::span<const double> theta,
                                       std::span<const double> shape);
  Dynamics (*dynamics)(const Model& model, std::span<const double> theta,
                       std::span<const double> shape);
  // Mean of h at each of `horizon` steps ahead over what the recursion of expected news gives;
  // empty where it is infinite. And whether it has no closed form beyond the first step.
  std::vector<std::optional<double>> (*mean_factors)(const Model& model,
                                                     std::span<const double> theta,
                                                     std::span<const double> shape,
                                                     std::size_t horizon);
  bool mean_by_paths;
  // h of the next row, before the terms in regressors or with their sum.
  double (*next)(const StepRules& rules, const VarianceState& past, double columns);
  // The state x that goes with an h.
  double (*state)(const StepRules& rules, const VarianceState& past, double h);
  // What a shock leaves behind; e null: in expectation.
  News (*news)(const StepRules& rules, double h, const double* e);
  // The same model for data `scale` times as large: theta in place, and d new / d old (k x k).
  void (*rescale)(const Model& model, double scale, std::span<double> theta, Eigen::MatrixXd& J);
  // How far back news count.
  std::size_t (*reach)(const Model& model);
  // A rule that is no linear bound, where it is broken.
  std::optional<std::string> (*broken)(const Model& model, std::span<const double> theta);
  // The one that is nearest to being broken, where a maximum may lie on it.
  std::optional<Wall> (*wall)(std::span<const double> theta);
  // Where one meets a bound, a plane that holds where they do.
  std::optional<Wall> (*wall_at_bound)(std::span<const double> theta);
  // The slopes by theta of such rules that are met there, none of which may fall; a row each.
  Eigen::MatrixXd (*rules_met)(std::span<const double> theta);
  // Whether the likelihood has a kink in mu at every value of the series, where its maximum may
  // lie, for some parameters; and whether for these.
  bool may_kink;
  bool (*kinks)(const Model& model, std::span<const double> theta);
  // Whether they are cusps so sharp that every mu has a hill of its own.
  bool (*cusps)(const Model& model, std::span<const double> theta);
  // The kinks lie in what a shock leaves behind, one function of e for each lag: of the shock
  // `lag`-th in the list, scaled so that `news_slopes` is the slope of the log-likelihood by it.
  RoughPower (*rough_news)(const Model& model, std::span<const double> theta, std::size_t lag);
  void (*news_slopes)(const Model& model, std::span<const double> theta,
                      std::span<const double> shape, const FilteredRows& rows,
                      std::span<double> slopes);
  // Whether the starts show the highest hill of a model of few parameters on many rows as a rule.
  bool (*one_hill)(const Model& model);
  // Where a coefficient is known worse than this (its standard error), the likelihood may be a
  // ridge with several tops.
  double unknown;
  // What a pass costs beside one of egarch.
  double work;
  // The parameter that moves the variance together with alpha at `alpha`: after falls their sum
  // does (gjr). Empty where there is none.
  std::optional<std::size_t> (*beside_alpha)(const Model& model, std::size_t alpha);
  // Where the coefficient of a regressor begins to be climbed, for data of unit variance.
  double column_start;
  // Whether a maximum on a bound may hide a higher hill inside.
  bool bounds_hide_hills;
  // Whether its level is no factor of the variance: in other units it moves with other parameters.
  bool level_is_bent;
  // Whether x is a recursion of its own, which begins at the presample value and follows from all
  // rows, not from the last ones.
  bool recursive_state;
};
[[nodiscard]] const VarianceFamily& variance_family(const Variance& variance);

// Persistence is kept below one, where the unconditional variance ends.
inline constexpr double kMostPersistence = 1 - 1e-5;
// Least omega for data of unit variance: far below any estimate, above rounding.
inline constexpr double kLeastOmega = 1e-7;

// Pieces that families share.
[[nodiscard]] std::vector<Bound> not_negative(const Model& model, std::size_t from, std::size_t to);
void add_column_bounds(const Model& model, std::vector<Bound>& bounds);

// What most families have in common; one of their own hides it.
struct FamilyDefaults {
  static std::vector<std::vector<double>> twins(const Model&, std::span<const double>) {
    return {};
  }
  static std::vector<ContainedCase> cases() { return {}; }
  static double state(const StepRules&, const VarianceState&, double) { return 0; }
  static std::vector<std::optional<double>> mean_factors(const Model&, std::span<const double>,
                                                         std::span<const double>,
                                                         std::size_t horizon) {
    return std::vector<std::optional<double>>(horizon, 1.0);  // NOLINT: braces would list two
  }
  static constexpr bool kMeanByPaths = false;
  // e^2.
  static News news(const StepRules& rules, double h, const double* e);
  // Omega and the coefficients of regressors are in the unit of e^2.
  static void rescale(const Model& model, double scale, std::span<double> theta,
                      Eigen::MatrixXd& J);
  static std::size_t reach(const Model& model);
  // The moments of the law that a step needs beyond negative_square.
  static void add_moments(const Model&, std::span<const double> /*shape*/, StepRules&) {}
  static std::optional<std::string> broken(const Model&, std::span<const double>) {
    return std::nullopt;
  }
  static std::optional<Wall> wall(std::span<const double>) { return std::nullopt; }
  static std::optional<Wall> wall_at_bound(std::span<const double>) { return std::nullopt; }
  static Eigen::MatrixXd rules_met(std::span<const double>) { return {}; }
  static constexpr bool kMayKink = false;
  static bool kinks(const Model&, std::span<const double>) { return false; }
  static bool cusps(const Model&, std::span<const double>) { return false; }
  static RoughPower rough_news(const Model&, std::span<const double>, std::size_t) { return {}; }
  static void news_slopes(const Model&, std::span<const double>, std::span<const double>,
                          const FilteredRows&, std::span<double>) {}
  static constexpr bool kRecursiveState = false;
  static bool one_hill(const Model&) { return false; }
  static constexpr double kUnknown = 0.1;
  static constexpr bool kBoundsHideHills = false;
  static constexpr double kWork = 1;
  static std::optional<std::size_t> beside_alpha(const Model&, std::size_t) { return {}; }
  static constexpr bool kLevelIsBent = false;
  static constexpr double kColumnStart = 0.02;
};

// x at `lag` rows after t; 0 beyond its end.
[[nodiscard]] inline double value_after(std::span<const double> x, std::size_t t, int lag) {
  const std::size_t at = t + static_cast<std::size_t>(lag);
  return at < x.size() ? x[at] : 0;
}

// Makes room at the front of a fixed-length history by dropping its oldest value.
template <class V>
void push_front(std::vector<V>& newest_first, const V& value) {
  if (newest_first.empty()) return;
  std::copy_backward(newest_first.begin(), newest_first.end() - 1, newest_first.end());
  newest_first.front() = value;
}

}  // namespace brace::inline v0
