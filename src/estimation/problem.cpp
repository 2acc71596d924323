// SPDX-License-Identifier: Apache-2.0
// The likelihood on the optimiser's scale. Covered by tests/estimation/estimate_test.cpp.
#include "estimation/problem.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

#include "brace/base/error.hpp"
#include "brace/model/model_line.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// Next to the unit circle, and the step of differences there as a share of the distance to it.
constexpr double kNearEdge = 0.01, kEdgeStep = 0.003;

// The sum of f over values that are present: four sums side by side, since an addition need not
// wait for the one before it.
template <class F>
double sum_over(const std::vector<double>& values, F&& f) {
  const auto at = [&](std::size_t t) { return std::isnan(values[t]) ? 0 : f(values[t]); };
  double a = 0, b = 0, c = 0, d = 0;
  std::size_t t = 0;
  for (; t + 4 <= values.size(); t += 4) {
    a += at(t);
    b += at(t + 1);
    c += at(t + 2);
    d += at(t + 3);
  }
  for (; t < values.size(); ++t) a += at(t);
  return a + b + (c + d);
}

// Values around their mean, or around a mu that is held: of a size that is that of the shocks.
ScaledData scale_data(const MeanData& data, bool centre, std::optional<double> mu, bool scale,
                      std::size_t pure_columns) {
  ScaledData s{.data = data};
  s.observed = static_cast<std::size_t>(std::count_if(data.change.begin(), data.change.end(),
                                                      [](double v) { return !std::isnan(v); }));
  const auto n = static_cast<double>(s.observed);
  // Levels that fill a gap between differences would have to be tilted by the centre: left alone.
  if (centre && (data.lost == 0 || data.missing.empty()))
    s.centre = mu ? *mu : sum_over(data.change, [](double v) { return v; }) / n;
  if (scale)
    s.scale = std::sqrt(
        sum_over(data.change, [&](double v) { return (v - s.centre) * (v - s.centre); }) / n);
  const double per_scale = 1 / s.scale;
  for (double& v : s.data.change) v = (v - s.centre) * per_scale;
  for (double& v : s.data.filled) v = (v - s.centre) * per_scale;
  for (double& v : s.data.level) v *= per_scale;
  s.column_scales = Eigen::VectorXd::Ones(data.columns.cols());
  for (auto j = static_cast<Index>(pure_columns); j < data.columns.cols(); ++j) {
    s.column_scales(j) = data.columns.col(j).norm() / std::sqrt(n);
    s.data.columns.col(j) /= s.column_scales(j);
  }
  s.variance_column_scales = Eigen::VectorXd::Ones(data.variance_columns.cols());
  for (Index j = 0; j < data.variance_columns.cols(); ++j)
    if (const double size = data.variance_columns.col(j).norm() / std::sqrt(n); size > 0) {
      s.variance_column_scales(j) = size;
      s.data.variance_columns.col(j) /= size;
    }
  return s;
}

}  // namespace

Problem::Problem(const Model& of, const MeanData& given, const EstimateOptions& how, bool by_exact)
    : model(of),
      data(given),
      options(how),
      exact(by_exact),
      parts(parameter_names(of)),
      names(parts.all()),
      at(mean_positions(of)),
      scaled(scale_data(given, of.mean.constant, held_value("mu"), may_scale(),
                        of.mean.constant ? 1 : 0)),
      units(make_units()),
      tie(make_tie()),
      coordinates(make_coordinates(held_scaled())),
      likelihood(make_log_likelihood(of, scaled.data, by_exact)) {}

std::optional<double> Problem::held_value(const std::string& name) const {
  for (const Held& held : model.held)
    if (held.name == name) return held.value;
  return std::nullopt;
}

// A level that is held is a number on the optimiser's scale only where nothing else moves it.
bool Problem::may_scale() const {
  return !variance_family(model.variance).level_is_bent ||
         std::none_of(model.held.begin(), model.held.end(), [](const Held& h) {
           return h.name == "omega" || h.name.starts_with("vwith:");
         });
}

MatrixXd Problem::rescale_variance(VectorXd& theta, bool to_data) const {
  const Index first = first_variance(), count = static_cast<Index>(parts.variance.size()),
              columns = static_cast<Index>(model.variance_regressors.size());
  MatrixXd J;
  auto of_columns = theta.segment(first + count - columns, columns);
  if (!to_data) of_columns.array() *= scaled.variance_column_scales.array();
  variance_family(model.variance)
      .rescale(model, to_data ? scaled.scale : 1 / scaled.scale,
               {theta.data() + first, static_cast<std::size_t>(count)}, J);
  if (to_data) of_columns.array() /= scaled.variance_column_scales.array();
  return J;
}

DataParameters Problem::to_data(const ScaledParameters& theta) const {
  DataParameters out(theta);
  (void)rescale_variance(out, true);
  out.array() *= units.array();
  if (model.mean.constant) out(0) += scaled.centre;
  return out;
}

ScaledParameters Problem::to_scaled(const DataParameters& theta) const {
  ScaledParameters out(theta);
  if (model.mean.constant) out(0) -= scaled.centre;
  (void)rescale_variance(out, false);
  out.array() /= units.array();
  return out;
}

MatrixXd Problem::data_by_scaled(const ScaledParameters& theta) const {
  VectorXd moved = theta;
  const MatrixXd of_variance = rescale_variance(moved, true);
  const Index first = first_variance(), count = of_variance.rows(),
              columns = static_cast<Index>(model.variance_regressors.size());
  MatrixXd J = units.asDiagonal();
  J.block(first, first, count, count) = of_variance;
  for (Index c = 0; c < columns; ++c)
    J.row(first + count - columns + c) /= scaled.variance_column_scales(c);
  return J;
}

// 1 for those of the variance, which are rescaled by their family.
VectorXd Problem::make_units() const {
  VectorXd u = VectorXd::Ones(static_cast<Index>(names.size()));
  for (std::size_t j = 0; j < at.regression.size(); ++j)
    u(static_cast<Index>(at.regression[j])) =
        scaled.scale / scaled.column_scales(static_cast<Index>(j));
  if (model.mean.risk == RiskTerm::variance) u(static_cast<Index>(at.count) - 1) = 1 / scaled.scale;
  return u;
}

Coordinates Problem::make_coordinates(std::vector<std::optional<double>> held,
                                      std::optional<Wall> wall) const {
  return {model, std::move(held), Coordinates::Kind::bounded, tie, std::move(wall)};
}

// Omega of a targeted variance; on the optimiser's scale the sample's variance is 1.
std::optional<Tie> Problem::make_tie() const {
  if (!options.target_variance) return std::nullopt;
  const bool gjr = std::holds_alternative<Gjr>(model.variance);
  const auto refuse = [&](const char* why) {
    throw Error(ErrorCode::bad_option,
                fmt::format("'{}': no variance targeting, since {}", to_string(model), why));
  };
  if (!gjr && !std::holds_alternative<Arch>(model.variance) &&
      !std::holds_alternative<Garch>(model.variance))
    refuse("it is for arch, garch and gjr");
  if (!model.variance_regressors.empty() || model.mean.risk)
    refuse("the variance has regressors, or stands in the mean");
  if (gjr && !shock_law(model.shocks).symmetric) refuse("gjr needs a symmetric law for it");
  if (held_value("omega")) refuse("omega is held");
  if (at.count > (model.mean.constant ? 1 : 0) || !model.mean.differences.empty())
    refuse("the sample's variance is that of the shocks only under a constant mean");
  Tie out{.parameter = parts.mean.size(), .level = 1, .weights = {}};
  for (std::size_t j = 1; j < parts.variance.size(); ++j)
    out.weights.emplace_back(parts.mean.size() + j,
                             parts.variance[j].starts_with("gamma") ? 0.5 : 1.0);
  return out;
}

std::vector<std::optional<double>> Problem::held_scaled() const {
  std::vector<std::optional<double>> held(names.size());
  if (model.held.empty()) return held;
  // Parameters that are not held have no part in it: 1 stands for them.
  auto given = all_equal<DataParameters>(static_cast<Index>(names.size()), 1);
  for (std::size_t j = 0; j < names.size(); ++j)
    if (const auto value = held_value(names[j])) given(static_cast<Index>(j)) = *value;
  const ScaledParameters theta = to_scaled(given);
  for (std::size_t j = 0; j < names.size(); ++j)
    if (held_value(names[j])) held[j] = theta(static_cast<Index>(j));
  return held;
}

ScaledParameters Problem::with_held(ScaledParameters theta) const {
  if (model.held.empty()) return theta;
  const std::vector<std::optional<double>> held = held_scaled();
  for (std::size_t j = 0; j < names.size(); ++j)
    if (held[j]) theta(static_cast<Index>(j)) = *held[j];
  return theta;
}

// The point nearest to x that meets the bounds (held parameters may have taken the room of a
// start).
WorkingPoint Problem::feasible(WorkingPoint x) const {
  // A shape that sits on its bound may lie beyond it by rounding once it went to its own units
  // and back.
  const std::vector<ShapeCoordinate>& shapes = shock_law(model.shocks).shapes;
  for (Index i = 0; i < x.size(); ++i)
    if (const std::size_t p = coordinates.parameter(i); p + shapes.size() >= names.size()) {
      const ShapeCoordinate& shape = shapes[p + shapes.size() - names.size()];
      x(i) = std::clamp(x(i), shape.low, shape.high);
    }
  const maths::LinearConstraints& c = coordinates.constraints();
  if (c.admit(x)) return x;
  const Eigen::LLT<MatrixXd> identity = maths::cholesky(MatrixXd::Identity(x.size(), x.size()));
  // From an inner point the projection's slack is non-negative, as the quadratic programme asks:
  // small numbers for the variance, or one of the family's own starts.
  std::vector<std::vector<double>> guesses = variance_family(model.variance).starts(model);
  guesses.insert(guesses.begin(), std::vector<double>(guesses.front().size(), 1e-3));
  const std::size_t last_lag = at.seasonal_ma + model.mean.seasonal_ma.size();
  std::string tight;
  // Lags of the mean that lie on their edge are brought inside where the variance alone is not
  // enough.
  for (const double lags : {1.0, 0.999, 0.0})
    for (std::vector<double>& guess : guesses) {
      guess.resize(parts.variance.size(), 1e-3);
      VectorXd inner = x;
      for (Index i = 0; i < x.size(); ++i) {
        const std::size_t p = coordinates.parameter(i),
                          first = static_cast<std::size_t>(first_variance());
        if (p >= first && p < first + guess.size()) inner(i) = guess[p - first];
        if (p >= at.ar && p < last_lag) inner(i) *= lags;
      }
      const VectorXd slack = c.d - maths::product(c.C, inner);
      Index worst = 0;
      if (slack.minCoeff(&worst) >= 0)
        return WorkingPoint(inner + maths::solve_quadratic(inner - x, identity, c.C, slack).s);
      if (tight.empty()) tight = c.names[static_cast<std::size_t>(worst)];
    }
  throw Error(ErrorCode::bad_model_line,
              fmt::format("model line: '{}': the held parameters leave no room for {}",
                          to_string(model), tight));
}

double Problem::value(const Coordinates& in, const WorkingPoint& x) {
  const ScaledParameters theta = in.scaled(x);
  if (!in.admits(theta)) return std::numeric_limits<double>::infinity();
  return value_at(theta);
}

bool Problem::begin_pass() {
  if (options.progress.stop.stop_requested()) {
    stopped = true;
    return false;
  }
  ++evaluations;
  if (options.progress.report)
    options.progress.report(static_cast<std::size_t>(evaluations), 0);
  return true;
}

double Problem::value_at(const ScaledParameters& theta) {
  if (!begin_pass()) return std::numeric_limits<double>::infinity();
  likelihood->evaluate(span_of(theta), Order::value, derivatives_);
  return derivatives_.admitted ? -derivatives_.log_likelihood
                               : std::numeric_limits<double>::infinity();
}

double Problem::derivatives(const Coordinates& in, bool rough, const WorkingPoint& x,
                            maths::Curvature kind, VectorXd& gradient, MatrixXd& curvature) {
  const ScaledParameters theta = in.scaled(x);
  if (!begin_pass() || !in.admits(theta)) return std::numeric_limits<double>::infinity();
  if (kind == maths::Curvature::hessian && !rough && exact) {
    if (const VectorXd margin = in.margin(x); margin.size() > 0 && margin.minCoeff() < kNearEdge)
      return derivatives_near_edge(in, x, margin, gradient, curvature);
  }
  if (kind == maths::Curvature::hessian && rough)
    likelihood->evaluate_rough(span_of(theta), derivatives_);
  else
    likelihood->evaluate(span_of(theta),
                         kind == maths::Curvature::hessian ? Order::hessian : Order::scoring,
                         derivatives_);
  if (!derivatives_.admitted) return std::numeric_limits<double>::infinity();
  const auto k = static_cast<Index>(names.size());
  const VectorXd g = Eigen::Map<const VectorXd>(derivatives_.gradient.data(), k);
  const MatrixXd J = in.jacobian(x);
  gradient = -maths::cross(J, g);
  if (kind == maths::Curvature::hessian)
    curvature = -in.pull_hessian(x, g, unpack(derivatives_.hessian));
  else
    curvature = maths::cross(J, maths::product(unpack(derivatives_.information), J));
  return -derivatives_.log_likelihood;
}

// Next to the unit circle second derivatives by the coefficients are so large that they cancel
// when carried to other coordinates: there they are differences of the gradient in those.
double Problem::derivatives_near_edge(const Coordinates& in, const WorkingPoint& x,
                                      const VectorXd& margin, VectorXd& gradient,
                                      MatrixXd& curvature) {
  const auto gradient_at = [&](const WorkingPoint& there, VectorXd& out) {
    if (!begin_pass()) return false;
    const ScaledParameters theta = in.scaled(there);
    likelihood->evaluate(span_of(theta), Order::gradient, derivatives_);
    if (!derivatives_.admitted) return false;
    out = -maths::cross(in.jacobian(there), VectorXd(Eigen::Map<const VectorXd>(
                                                derivatives_.gradient.data(), theta.size())));
    return true;
  };
  constexpr double kInfinite = std::numeric_limits<double>::infinity();
  if (!gradient_at(x, gradient)) return kInfinite;
  const double f = -derivatives_.log_likelihood;
  curvature.resize(x.size(), x.size());
  for (Index j = 0; j < x.size(); ++j) {
    const double step = kEdgeStep * margin(j);
    VectorXd slope = VectorXd::Zero(x.size()), there;
    WorkingPoint moved = x;
    for (const double side : {1.0, -1.0}) {
      moved(j) = x(j) + side * step;
      if (!gradient_at(moved, there)) return kInfinite;
      slope += side / (2 * step) * there;
    }
    curvature.col(j) = slope;
  }
  curvature = (0.5 * (curvature + curvature.transpose())).eval();
  return f;
}

// `rough` second derivatives are for steps far from the end.
maths::Objective Problem::objective_in(const Coordinates& in, bool rough) {
  return {
      .value = [this, &in](const VectorXd& x) { return value(in, WorkingPoint(x)); },
      .derivatives =
          [this, &in, rough](const VectorXd& x, maths::Curvature kind, VectorXd& g, MatrixXd& B) {
            return derivatives(in, rough, WorkingPoint(x), kind, g, B);
          }};
}

// Of the minimised function; 0 where it has none.
double Problem::slope_in(std::size_t parameter, const ScaledParameters& theta) {
  if (!begin_pass()) return 0.0;
  likelihood->evaluate(span_of(theta), Order::gradient, derivatives_);
  return derivatives_.admitted ? -derivatives_.gradient[parameter] : 0.0;
}

}  // namespace brace::inline v0
