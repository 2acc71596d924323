// SPDX-License-Identifier: Apache-2.0
// Working coordinates of the engine. Monahan (1984) for partial autocorrelations. Covered by
// tests/likelihood/likelihood_test.cpp.
#include "estimation/coordinates.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "brace/maths/lag_polynomial.hpp"
#include "families/shock_law.hpp"
#include "families/variance_family.hpp"
#include "maths/dense.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

Coordinates::Coordinates(const Model& model, std::vector<std::optional<double>> held, Kind kind,
                         std::optional<Tie> tie, std::optional<Wall> wall)
    : names_(parameter_names(model).all()),
      held_(std::move(held)),
      tie_(std::move(tie)),
      wall_(std::move(wall)),
      shocks_(model.shocks) {
  // No coordinate of its own: any number stands in its place.
  if (tie_) held_[tie_->parameter] = tie_->level;
  const ParameterNames names = parameter_names(model);
  first_variance_ = names.mean.size();
  variances_ = names.variance.size();
  if (wall_) held_[on_wall()] = 0;
  first_shape_ = first_variance_ + variances_;
  std::vector<Index> coordinate(names_.size(), -1);
  for (std::size_t j = 0; j < names_.size(); ++j)
    if (!held_[j]) {
      coordinate[j] = static_cast<Index>(free_.size());
      free_.push_back(j);
    }
  const MeanPositions at = mean_positions(model);
  const Mean& m = model.mean;
  for (const auto& [lags, first, sign] :
       {std::tuple{&m.ar, at.ar, 1.0}, std::tuple{&m.ma, at.ma, -1.0},
        std::tuple{&m.seasonal_ar, at.seasonal_ar, 1.0},
        std::tuple{&m.seasonal_ma, at.seasonal_ma, -1.0}}) {
    if (lags->empty()) continue;
    LagFactor f{.lags = *lags,
                .first = first,
                .sign = sign,
                .sections = false,
                .single = lags->size() == 1};
    // In the common power of B of all lags, so that sar12,24 is a polynomial of degree 2 in B^12.
    f.step =
        std::accumulate(lags->begin(), lags->end(), 0, [](int a, int b) { return std::gcd(a, b); });
    const bool full = lags->back() == f.step * static_cast<int>(lags->size());
    bool all_free = true;
    for (std::size_t i = 0; i < lags->size(); ++i) all_free = all_free && !held_[first + i];
    f.sections = full && !f.single && all_free && kind == Kind::bounded;
    f.at = all_free ? coordinate[first] : -1;
    factors_.push_back(std::move(f));
  }
  build_constraints(model);
}

void Coordinates::build_constraints(const Model& model) {
  std::vector<std::pair<VectorXd, double>> rows;
  const auto add = [&](VectorXd normal, double limit, std::string name) {
    rows.emplace_back(std::move(normal), limit);
    constraints_.names.push_back(std::move(name));
  };
  const auto coordinate_of = [&](std::size_t parameter) {
    const auto at = std::find(free_.begin(), free_.end(), parameter);
    return at == free_.end() ? Index{-1} : static_cast<Index>(at - free_.begin());
  };
  for (const LagFactor& f : factors_)
    if (f.sections || (f.single && f.at >= 0))
      for (std::size_t i = 0; i < f.lags.size(); ++i)
        for (const double side : {1.0, -1.0})
          add(side * VectorXd::Unit(size(), f.at + static_cast<Index>(i)), f.most(),
              fmt::format("{} inside the unit circle", names_[f.first + f.lags.size() - 1]));
  const auto follows = [&](const std::pair<std::size_t, double>& term) {
    return wall_ && term.first == wall_->parameter;
  };
  for (const Bound& bound : variance_family(model.variance).bounds(model)) {
    // Along a bent wall it is no plane any more; whoever climbs there looks at it.
    const bool moves = std::any_of(bound.terms.begin(), bound.terms.end(), follows);
    if (moves && !wall_->plane) continue;
    VectorXd normal = VectorXd::Zero(size());
    double limit = bound.limit;
    const auto take = [&](std::size_t index, double weight) {
      const std::size_t parameter = first_variance_ + index;
      if (held_[parameter])
        limit -= weight * *held_[parameter];
      else
        normal(coordinate_of(parameter)) += weight;
    };
    for (const auto& term : bound.terms) {
      if (!follows(term)) {
        take(term.first, term.second);
        continue;
      }
      const Wall::Point plane = wall_->at(std::vector<double>(variances_, 0));
      limit -= term.second * plane.value;
      for (std::size_t j = 0; j < variances_; ++j)
        if (const double slope = plane.slope(static_cast<Index>(j)); slope != 0)
          take(j, term.second * slope);
    }
    if (!normal.isZero(0)) add(std::move(normal), limit, bound.name);
  }
  const ShockLaw& law = shock_law(shocks_);
  for (std::size_t s = 0; s < law.shapes.size(); ++s) {
    const Index at = coordinate_of(first_shape_ + s);
    if (at < 0) continue;
    const std::string& name = names_[first_shape_ + s];
    add(VectorXd::Unit(size(), at), law.shapes[s].high,
        fmt::format("{}: {}", name, law.shapes[s].at_high));
    add(-VectorXd::Unit(size(), at), -law.shapes[s].low,
        fmt::format("{}: {}", name, law.shapes[s].at_low));
  }
  constraints_.C.resize(static_cast<Index>(rows.size()), size());
  constraints_.d.resize(static_cast<Index>(rows.size()));
  for (std::size_t i = 0; i < rows.size(); ++i) {
    constraints_.C.row(static_cast<Index>(i)) = rows[i].first.transpose();
    constraints_.d(static_cast<Index>(i)) = rows[i].second;
  }
}

std::vector<double> Coordinates::sections_of(const WorkingPoint& x, const LagFactor& f) const {
  return {x.data() + f.at, x.data() + f.at + static_cast<Index>(f.lags.size())};
}

std::vector<double> Coordinates::dense(const ScaledParameters& theta, const LagFactor& f) {
  std::vector<double> c(static_cast<std::size_t>(f.lags.back() / f.step), 0.0);
  for (std::size_t i = 0; i < f.lags.size(); ++i)
    c[static_cast<std::size_t>(f.lags[i] / f.step - 1)] =
        f.sign * theta(static_cast<Index>(f.first + i));
  return c;
}

ScaledParameters Coordinates::scaled(const WorkingPoint& x) const {
  auto theta = all_equal<ScaledParameters>(static_cast<Index>(names_.size()), 0);
  for (std::size_t j = 0; j < names_.size(); ++j)
    if (held_[j]) theta(static_cast<Index>(j)) = *held_[j];
  for (std::size_t i = 0; i < free_.size(); ++i) {
    const std::size_t j = free_[i];
    const double w = x(static_cast<Index>(i));
    theta(static_cast<Index>(j)) =
        j >= first_shape_ ? shock_law(shocks_).shapes[j - first_shape_].shape(w) : w;
  }
  for (const LagFactor& f : factors_) {
    if (!f.sections) continue;
    const std::vector<double> c = maths::coefficients_from_sections(sections_of(x, f));
    for (std::size_t i = 0; i < c.size(); ++i)
      theta(static_cast<Index>(f.first + i)) = f.sign * c[i];
  }
  if (tie_) theta(static_cast<Index>(tie_->parameter)) = tie_->level * tie_->share(theta);
  if (wall_) theta(static_cast<Index>(on_wall())) = wall_at(theta).value;
  return theta;
}

Wall::Point Coordinates::wall_at(const ScaledParameters& theta) const {
  return wall_->at({theta.data() + static_cast<std::ptrdiff_t>(first_variance_), variances_});
}

WorkingPoint Coordinates::working(const ScaledParameters& theta) const {
  auto x = all_equal<WorkingPoint>(size(), 0);
  for (std::size_t i = 0; i < free_.size(); ++i) {
    const std::size_t j = free_[i];
    const double value = theta(static_cast<Index>(j));
    x(static_cast<Index>(i)) =
        j >= first_shape_ ? shock_law(shocks_).shapes[j - first_shape_].working(value) : value;
  }
  for (const LagFactor& f : factors_)
    if (f.single && f.at >= 0) {  // a start that was carried over may lie on the bound
      x(f.at) = std::clamp(x(f.at), -f.most(), f.most());
    } else if (f.sections) {
      const auto r = maths::sections_from_coefficients(dense(theta, f));
      for (std::size_t i = 0; i < f.lags.size(); ++i)
        x(f.at + static_cast<Index>(i)) = r ? std::clamp((*r)[i], -f.most(), f.most()) : 0;
    }
  return x;
}

MatrixXd Coordinates::jacobian(const WorkingPoint& x) const {
  MatrixXd J = MatrixXd::Zero(static_cast<Index>(names_.size()), size());
  for (std::size_t i = 0; i < free_.size(); ++i) {
    const std::size_t j = free_[i];
    const auto at = static_cast<Index>(i);
    J(static_cast<Index>(j), at) =
        j >= first_shape_ ? shock_law(shocks_).shapes[j - first_shape_].slope(x(at)) : 1;
  }
  for (const LagFactor& f : factors_) {
    if (!f.sections) continue;
    // Each coefficient is affine in each partial autocorrelation, so a difference is the
    // derivative.
    for (std::size_t a = 0; a < f.lags.size(); ++a) {
      std::vector<double> r = sections_of(x, f);
      r[a] = 1;
      const std::vector<double> high = maths::coefficients_from_sections(r);
      r[a] = 0;
      const std::vector<double> low = maths::coefficients_from_sections(r);
      for (std::size_t i = 0; i < high.size(); ++i)
        J(static_cast<Index>(f.first + i), f.at + static_cast<Index>(a)) =
            f.sign * (high[i] - low[i]);
    }
  }
  if (tie_)
    for (const auto& [j, weight] : tie_->weights)
      J.row(static_cast<Index>(tie_->parameter)) -=
          tie_->level * weight * J.row(static_cast<Index>(j));
  if (wall_)
    J.row(static_cast<Index>(on_wall())) =
        wall_at(scaled(x)).slope.transpose() *
        J.middleRows(static_cast<Index>(first_variance_), static_cast<Index>(variances_));
  return J;
}

MatrixXd Coordinates::pull_hessian(const WorkingPoint& x, const VectorXd& g,
                                   const MatrixXd& H) const {
  const MatrixXd J = jacobian(x);
  MatrixXd pulled = maths::cross(J, maths::product(H, J));
  for (std::size_t i = 0; i < free_.size(); ++i)
    if (free_[i] >= first_shape_) {
      const auto at = static_cast<Index>(i);
      pulled(at, at) += g(static_cast<Index>(free_[i])) *
                        shock_law(shocks_).shapes[free_[i] - first_shape_].bend(x(at));
    }
  if (wall_) {
    const MatrixXd of_variance =
        J.middleRows(static_cast<Index>(first_variance_), static_cast<Index>(variances_));
    pulled += g(static_cast<Index>(on_wall())) *
              maths::cross(of_variance, maths::product(wall_at(scaled(x)).bend, of_variance));
  }
  for (const LagFactor& f : factors_) {
    if (!f.sections) continue;
    const auto p = static_cast<Index>(f.lags.size());
    const auto first = static_cast<Index>(f.first);
    for (Index b = 0; b < p; ++b) {
      WorkingPoint moved = x;  // affine again: the Jacobian's change over a unit step is exact
      moved(f.at + b) += 1;
      const MatrixXd change = jacobian(moved) - J;
      pulled.block(f.at, f.at + b, p, 1) +=
          change.block(first, f.at, p, p).transpose() * g.segment(first, p);
    }
  }
  return pulled;
}

std::optional<std::vector<double>> Coordinates::partials_from(const ScaledParameters& theta,
                                                              const LagFactor& f) const {
  if (f.single) {
    const double c = f.sign * theta(static_cast<Index>(f.first));
    return std::abs(c) < 1 ? std::optional(std::vector{c}) : std::nullopt;
  }
  return maths::partial_autocorrelations(dense(theta, f));
}

VectorXd Coordinates::margin(const WorkingPoint& x) const {
  VectorXd room = VectorXd::Ones(size());
  for (const LagFactor& f : factors_) {
    if (!f.sections) continue;
    const auto p = static_cast<Index>(f.lags.size());
    for (Index at = 0; at < p; at += 2) {
      auto mine = room.segment(f.at + at, std::min<Index>(2, p - at));
      mine.setConstant(1 - x.segment(f.at + at, mine.size()).cwiseAbs().maxCoeff());
    }
  }
  return room;
}

std::size_t Coordinates::pinned_parameter(Index i) const {
  for (const LagFactor& f : factors_)
    if (f.sections && i >= f.at && i < f.at + static_cast<Index>(f.lags.size()))
      return f.first + f.lags.size() - 1;
  return parameter(i);
}

Coordinates::Section Coordinates::section(Index i) const {
  for (const LagFactor& f : factors_)
    if (f.sections && i >= f.at && i < f.at + static_cast<Index>(f.lags.size()))
      return f.sign < 0 ? Section::ma : Section::ar;
  return Section::none;
}

std::vector<Index> Coordinates::ma_root_at_one() const {
  std::vector<Index> found;
  for (const LagFactor& f : factors_) {
    if (f.sign > 0 || f.at < 0 || !(f.sections || f.single)) continue;
    // Of a section, (1 - r_1)(1 - r_2) is its value at B = 1; of one lag, 1 + ma.
    for (std::size_t i = 0; i < f.lags.size(); i += 2)
      for (Index row = 0; row < constraints_.C.rows(); ++row)
        if (constraints_.C(row, f.at + static_cast<Index>(i)) == (f.single ? -1 : 1) &&
            (constraints_.C.row(row).array() != 0).count() == 1)
          found.push_back(row);
  }
  return found;
}

bool Coordinates::admits(const ScaledParameters& theta) const {
  return std::all_of(factors_.begin(), factors_.end(), [&](const LagFactor& f) {
    return f.sections || partials_from(theta, f).has_value();
  });
}

std::vector<Coordinates::Edge> Coordinates::at_edge(const ScaledParameters& theta) const {
  std::vector<Edge> edges;
  for (const LagFactor& f : factors_) {
    const auto r = partials_from(theta, f);
    if (r &&
        std::none_of(r->begin(), r->end(), [](double v) { return std::abs(v) > kEdgePartial; }))
      continue;
    const std::vector<double> c =
        r ? maths::coefficients_from_partials(*r) : std::vector<double>{1};
    edges.push_back({names_[f.first + f.lags.size() - 1],
                     std::pow(maths::largest_inverse_root(c), -1.0 / f.step)});
  }
  return edges;
}

}  // namespace brace::inline v0
