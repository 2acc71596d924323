// SPDX-License-Identifier: Apache-2.0
// Covered by tests/hypothesis/unit_root_test.cpp and growth_test.cpp.
#include "hypothesis/lag_regression.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "maths/dense.hpp"
#include "maths/triangle.hpp"

namespace brace::inline v0::hypothesis::unit_root {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// A column of which no more is left beside those before it is made of them.
constexpr double kCollinear = 1e-12;

// dy_t, y_{t-1} and time over the whole series; row t of each belongs to observation t.
struct Columns {
  VectorXd change, before, time;

  Columns(const std::vector<double>& y, const std::vector<std::size_t>& rows, bool centred) {
    const auto n = static_cast<Index>(y.size());
    const Eigen::Map<const VectorXd> values(y.data(), n);
    change = VectorXd::Zero(n);
    before = VectorXd::Zero(n);
    change.tail(n - 1) = values.tail(n - 1) - values.head(n - 1);
    double centre = 0;
    if (centred) {
      for (const std::size_t t : rows) centre += y[t - 1];
      centre /= static_cast<double>(rows.size());
    }
    before.tail(n - 1) = values.head(n - 1).array() - centre;
    time = VectorXd::LinSpaced(n, -1, 1);
  }
};

// Columns in this order: deterministic terms, level and lags as asked, dy_t.
LagRegression by_reflections(const Columns& of, const std::vector<std::size_t>& rows, Index fixed,
                             Index lags, Level level) {
  const auto n = static_cast<Index>(rows.size());
  const Index width = fixed + 1 + lags, rho = level == Level::first ? fixed : width - 1,
              first_lag = level == Level::first ? fixed + 1 : fixed;
  MatrixXd X(n, width);
  VectorXd dy(n);
  for (Index i = 0; i < n; ++i) {
    const auto t = static_cast<Index>(rows[static_cast<std::size_t>(i)]);
    if (fixed > 0) X(i, 0) = 1;
    if (fixed > 1) X(i, 1) = of.time(t);
    X(i, rho) = of.before(t);
    for (Index j = 1; j <= lags; ++j) X(i, first_lag + j - 1) = of.change(t - j);
    dy(i) = of.change(t);
  }
  const maths::Qr qr(X);
  const VectorXd rotated = qr.rotated(dy);
  LagRegression out{.R = qr.upper(), .rotated = rotated.head(width), .rho = rho};
  out.rest = rotated.tail(n - width).squaredNorm();
  return out;
}

std::optional<LagRegression> by_sums(const Columns& of, const std::vector<std::size_t>& rows,
                                     Index fixed, Index lags, Level level) {
  // In the order: deterministic terms, dy_t, its lags, level.
  const Index width = fixed + 2 + lags, at_level = width - 1;
  MatrixXd G = MatrixXd::Zero(width, width);
  for (std::size_t first = 0; first < rows.size();) {
    std::size_t last = first;  // rows that follow one another
    while (last + 1 < rows.size() && rows[last + 1] == rows[last] + 1) ++last;
    const auto a = static_cast<Index>(rows[first]), m = static_cast<Index>(last - first) + 1;
    const auto before = of.before.segment(a, m), time = of.time.segment(a, m);
    if (fixed > 0) {
      G(0, 0) += static_cast<double>(m);
      G(at_level, 0) += before.sum();
    }
    if (fixed > 1) {
      G(1, 0) += time.sum();
      G(1, 1) += time.squaredNorm();
      G(at_level, 1) += time.dot(before);
    }
    G(at_level, at_level) += before.squaredNorm();
    maths::for_each_block(m, [&](Index at, Index count) {
      const auto block_before = before.segment(at, count), block_time = time.segment(at, count);
      for (Index j = 0; j <= lags; ++j) {
        const auto lagged = of.change.segment(a + at - j, count);
        if (fixed > 0) G(fixed + j, 0) += lagged.sum();
        if (fixed > 1) G(fixed + j, 1) += lagged.dot(block_time);
        G(at_level, fixed + j) += lagged.dot(block_before);
      }
    });
    G.block(fixed, fixed, lags + 1, lags + 1) += maths::lag_products(of.change.data() + a, m, lags);
    first = last + 1;
  }
  std::vector<Index> order;
  for (Index i = 0; i < fixed; ++i) order.push_back(i);
  if (level == Level::first) order.push_back(at_level);
  for (Index j = 1; j <= lags; ++j) order.push_back(fixed + j);
  if (level == Level::last) order.push_back(at_level);
  order.push_back(fixed);
  const std::optional<maths::Triangle> triangle = maths::triangle_of(G, order);
  if (!triangle) return std::nullopt;
  LagRegression out{.R = triangle->R,
                    .rotated = triangle->rotated,
                    .rho = level == Level::first ? fixed : width - 2};
  out.rest = triangle->rest;
  return out;
}

}  // namespace

VectorXd LagRegression::coefficients(Index count) const {
  return R.topLeftCorner(count, count).triangularView<Eigen::Upper>().solve(rotated.head(count));
}

double LagRegression::error() const {
  for (Index i = 0; i < columns(); ++i)
    if (!(std::abs(R(i, i)) > kCollinear * R.col(i).norm()))
      return std::numeric_limits<double>::infinity();
  const VectorXd row =
      R.transpose().triangularView<Eigen::Lower>().solve(VectorXd::Unit(columns(), rho));
  return std::sqrt(rest / (static_cast<double>(rows) - static_cast<double>(columns()))) *
         row.norm();
}

Index columns_of(Deterministic terms) {
  return terms == Deterministic::none ? 0 : terms == Deterministic::constant ? 1 : 2;
}

std::vector<std::size_t> rows_of(const std::vector<double>& y, int reach) {
  std::vector<std::size_t> rows;
  std::size_t present = 0;  // values that follow one another, up to t
  for (std::size_t t = 0; t < y.size(); ++t) {
    present = std::isnan(y[t]) ? 0 : present + 1;
    if (present >= static_cast<std::size_t>(reach) + 2) rows.push_back(t);
  }
  return rows;
}

LagRegression lag_regression(const std::vector<double>& y, int k, Deterministic terms, int reach,
                             Level level) {
  const std::vector<std::size_t> rows = rows_of(y, reach);
  const Index fixed = columns_of(terms);
  const Columns of(y, rows, fixed > 0);
  std::optional<LagRegression> out;
  if (rows.size() >= static_cast<std::size_t>(maths::kManyRows))
    out = by_sums(of, rows, fixed, k, level);
  if (!out) out = by_reflections(of, rows, fixed, k, level);
  out->rows = rows.size();
  for (const std::size_t t : rows) out->squared_level += y[t - 1] * y[t - 1];
  return *std::move(out);
}

}  // namespace brace::inline v0::hypothesis::unit_root
