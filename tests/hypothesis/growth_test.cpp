// SPDX-License-Identifier: Apache-2.0
// On many rows regressions on lags come from sums of products and breaks are looked for at some
// dates first: the same numbers as row by row.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <vector>

#include "base/missing.hpp"
#include "brace/maths/long_run_variance.hpp"
#include "brace/maths/random.hpp"
#include "hypothesis/unit_root_statistics.hpp"
#include "maths/regression.hpp"
#include "support/made.hpp"

namespace brace {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using hypothesis::BreakModel;
using hypothesis::unit_root::Autoregression;

constexpr std::size_t kMany = 12000;

// A level whose steps remember: far from 0, as prices are.
std::vector<double> level(std::size_t n, std::uint64_t seed) {
  maths::RandomStream u(seed, 0);
  std::vector<double> y;
  double at = 5000, step = 0;
  for (std::size_t t = 0; t < n; ++t) {
    step = .4 * step + u.normal();
    y.push_back(at += step);
  }
  return y;
}

// dy_t on [det, y_{t-1}, dy_{t-1} .. dy_{t-k}, more], row by row.
struct RowByRow {
  MatrixXd X;
  VectorXd dy;
};
RowByRow row_by_row(const std::vector<double>& y, int k, Deterministic terms) {
  std::vector<std::vector<double>> rows;
  std::vector<double> dy;
  for (auto t = static_cast<std::size_t>(k) + 1; t < y.size(); ++t) {
    std::vector<double> row;
    if (terms != Deterministic::none) row.push_back(1);
    if (terms == Deterministic::trend)
      row.push_back(static_cast<double>(t) / static_cast<double>(y.size()));
    row.push_back(y[t - 1]);
    for (std::size_t j = 1; j <= static_cast<std::size_t>(k); ++j)
      row.push_back(y[t - j] - y[t - j - 1]);
    double whole = y[t] - y[t - 1];
    for (const double v : row) whole += 0 * v;
    if (std::isnan(whole)) continue;
    rows.push_back(row);
    dy.push_back(y[t] - y[t - 1]);
  }
  RowByRow out{MatrixXd(rows.size(), rows[0].size()),
               Eigen::Map<VectorXd>(dy.data(), static_cast<Index>(dy.size()))};
  for (std::size_t i = 0; i < rows.size(); ++i)
    for (std::size_t j = 0; j < rows[i].size(); ++j)
      out.X(static_cast<Index>(i), static_cast<Index>(j)) = rows[i][j];
  return out;
}

TEST(Growth, AutoregressionsAreThoseRowByRow) {
  for (const bool gaps : {false, true})
    for (const Deterministic terms :
         {Deterministic::none, Deterministic::constant, Deterministic::trend}) {
      std::vector<double> y = level(kMany, 7);
      if (gaps)
        for (const std::size_t at : {1UL, 40UL, 41UL, 6000UL, 11990UL}) y[at] = kNaN;
      constexpr int kLags = 20;
      const RowByRow rows = row_by_row(y, kLags, terms);
      const maths::Regression expected = maths::regress(rows.X, rows.dy);
      const Autoregression found = hypothesis::unit_root::autoregress(y, kLags, terms, kLags);
      const auto rho = static_cast<Index>(terms);
      // Squares of a level of 5,000 beside steps of one keep some nine digits where it is not
      // centred.
      EXPECT_EQ(found.rows, static_cast<std::size_t>(rows.dy.size()));
      EXPECT_NEAR(found.rho, expected.coefficients(rho), 1e-8 * std::abs(found.error));
      EXPECT_NEAR(found.error, expected.errors(rho), 1e-8 * expected.errors(rho));
      EXPECT_NEAR(found.ssr, expected.ssr, 1e-10 * expected.ssr);
      EXPECT_NEAR(found.lag_sum, expected.coefficients.tail(kLags).sum(), 1e-8);
    }
}

TEST(Growth, ABreakBesideAUnitRootIsAsLowAsAnyDates) {
  for (const BreakModel model : {BreakModel::intercept, BreakModel::trend, BreakModel::both}) {
    constexpr std::size_t kBreak = 7777;
    std::vector<double> y = level(kMany, 8);
    for (std::size_t t = kBreak; t < kMany; ++t)
      y[t] += model == BreakModel::trend ? .2 * static_cast<double>(t - kBreak) : 400;
    constexpr int kLags = 3;
    const auto found = hypothesis::unit_root::zivot_andrews(y, kLags, model, .15);
    const auto t_at = [&](std::size_t date) {
      const RowByRow rows = row_by_row(y, kLags, Deterministic::trend);
      MatrixXd X(rows.X.rows(), rows.X.cols() + (model == BreakModel::both ? 2 : 1));
      X.rightCols(rows.X.cols()) = rows.X;
      for (Index i = 0; i < X.rows(); ++i) {
        const auto t = static_cast<std::size_t>(i) + kLags + 1;
        const double after = t >= date ? static_cast<double>(t - date + 1) : 0;
        X(i, 0) = model == BreakModel::trend ? after : after > 0;
        if (model == BreakModel::both) X(i, 1) = after;
      }
      const maths::Regression fit = maths::regress(X, rows.dy);
      const Index rho = X.cols() - kLags - 1;
      return fit.coefficients(rho) / fit.errors(rho);
    };
    // Sums of products against least squares, each with its own rounding.
    EXPECT_NEAR(found.t, t_at(found.first), 1e-6 * std::abs(found.t));
    for (std::size_t date = 1900; date < 10100; date += 137)
      EXPECT_LE(found.t, t_at(date) + 1e-9) << date;
    for (std::size_t date = found.first - 4; date <= found.first + 4; ++date)
      EXPECT_LE(found.t, t_at(date) + 1e-9) << date;
  }
}

TEST(Growth, LongRunVarianceByItsSpectrumIsThatRowByRow) {
  std::vector<double> u = level(kMany + 1, 9);
  for (std::size_t t = 0; t < kMany; ++t) u[t] = u[t + 1] - u[t];
  u.pop_back();
  for (const int order : {1, 8, 30}) {
    MatrixXd X(u.size() - static_cast<std::size_t>(order), order);
    const Eigen::Map<const VectorXd> all(u.data(), static_cast<Index>(u.size()));
    for (Index j = 1; j <= order; ++j) X.col(j - 1) = all.segment(order - j, X.rows());
    const maths::Regression fit = maths::regress(X, all.tail(X.rows()));
    const double gain = 1 - fit.coefficients.sum();
    EXPECT_NEAR(maths::spectral_variance_of_order(u, order),
                fit.ssr / static_cast<double>(X.rows()) / (gain * gain), 1e-9);
  }
}

}  // namespace
}  // namespace brace
