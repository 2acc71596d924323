// SPDX-License-Identifier: Apache-2.0
// Scores of the exact likelihood. Covered by tests/likelihood/exact_test.cpp.
#include "likelihood/exact_scores.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "likelihood/innovations.hpp"
#include "model/lag_product.hpp"

namespace brace::inline v0 {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// The first rows of gap-free data.
MeanData head_of(const MeanData& data, std::size_t rows) {
  const auto first = [](const std::vector<double>& of, std::size_t count) {
    return std::vector<double>(of.begin(), of.begin() + static_cast<std::ptrdiff_t>(count));
  };
  MeanData head;
  head.lost = data.lost;
  head.level = first(data.level, rows + data.lost);
  head.change = first(data.change, rows);
  head.filled = first(data.filled, rows);
  head.weights = data.weights;
  head.columns = data.columns.topRows(static_cast<Index>(rows));
  return head;
}

// Rows after which every error is e_t = z_t - sum a_l z_{t-l} - sum b_l e_{t-l} to the last digit;
// all of them where the start is never forgotten.
std::size_t forgotten_after(const Innovations& found, const MeanData& data, Index longest) {
  const std::size_t rows = found.spread.size();
  if (!data.missing.empty()) return rows;
  std::size_t row = rows;
  while (row > 0 && found.spread[row - 1] == 1) --row;
  return std::min(rows, row + static_cast<std::size_t>(longest));
}

// Each row's term of the log-likelihood, its constant apart.
double row_term(double error, double spread, double sigma2) {
  return spread > 0 ? -0.5 * (std::log(spread) + error * error / (sigma2 * spread)) : 0;
}

}  // namespace

std::vector<double> exact_scores(const Model& model, const MeanData& data,
                                 std::span<const double> theta) {
  const MeanPositions at = mean_positions(model);
  const LagProduct ar = ar_product(model), ma = ma_product(model);
  const std::vector<double> a = ar.coefficients(theta), b = ma.coefficients(theta);
  const auto n = static_cast<Index>(data.filled.size());
  const auto rows = static_cast<std::size_t>(n), k = at.count + 1;
  const double sigma2 = theta[at.count];
  std::vector<double> out(rows * k, 0.0), moving(theta.begin(), theta.end());
  Innovations here;
  if (!filter(model, data, theta, here)) return out;
  for (std::size_t t = 0; t < rows; ++t)
    if (here.spread[t] > 0)
      out[t * k + at.count] =
          0.5 * (here.error[t] * here.error[t] / (sigma2 * here.spread[t]) - 1) / sigma2;

  const std::size_t begin = forgotten_after(here, data, std::max(ar.longest(), ma.longest()));
  const MeanData shorter = begin < rows ? head_of(data, begin) : MeanData{};
  const MeanData& head = begin < rows ? shorter : data;
  VectorXd slope(n);  // of the errors, by one parameter
  Innovations up, down;
  // Differences of the first rows; `slope` holds those of the errors.
  const auto difference = [&](std::size_t p, double step) {
    const double width = moving[p] = theta[p] + step;
    const bool admitted = filter(model, head, moving, up);
    moving[p] = theta[p] - step;
    const bool both = admitted && filter(model, head, moving, down);
    moving[p] = theta[p];
    if (!both) return false;
    const double across = width - (theta[p] - step);
    for (std::size_t t = 0; t < begin; ++t) {
      slope(static_cast<Index>(t)) = (up.error[t] - down.error[t]) / across;
      out[t * k + p] = (row_term(up.error[t], up.spread[t], sigma2) -
                        row_term(down.error[t], down.spread[t], sigma2)) /
                       across;
    }
    return true;
  };
  // Goes on from there: `forced` is what moves the errors apart from their own past.
  const auto go_on = [&](std::size_t p, const auto& forced) {
    for (std::size_t t = begin; t < rows; ++t) {
      double v = -forced(t);
      for (std::size_t l = 0; l < ma.lags.size(); ++l)
        v -= b[l] * slope(static_cast<Index>(t) - ma.lags[l]);
      slope(static_cast<Index>(t)) = v;
      out[t * k + p] = -here.error[t] * v / sigma2;
    }
  };

  VectorXd z = Eigen::Map<const VectorXd>(data.filled.data(), n);
  for (std::size_t j = 0; j < at.regression.size(); ++j)
    z -= theta[at.regression[j]] * data.columns.col(static_cast<Index>(j));
  for (std::size_t j = 0; j < at.regression.size(); ++j) {
    const auto column = data.columns.col(static_cast<Index>(j));
    const double step = std::sqrt(sigma2 * static_cast<double>(rows)) / column.norm();
    if (!difference(at.regression[j], step)) continue;
    go_on(at.regression[j], [&](std::size_t t) {
      double x = column(static_cast<Index>(t));
      for (std::size_t l = 0; l < ar.lags.size(); ++l)
        x -= a[l] * column(static_cast<Index>(t) - ar.lags[l]);
      return x;
    });
  }
  const MatrixXd of_ar = ar.jacobian(theta, k), of_ma = ma.jacobian(theta, k);
  for (std::size_t p = at.ar; p < at.seasonal_ma + model.mean.seasonal_ma.size(); ++p) {
    double step = 1e-5;
    bool found = false;
    for (int attempt = 0; attempt < 20 && !found; ++attempt, step /= 4) found = difference(p, step);
    if (!found) continue;
    const auto column = static_cast<Index>(p);
    go_on(p, [&](std::size_t t) {
      double x = 0;
      for (std::size_t l = 0; l < ar.lags.size(); ++l)
        if (const double by = of_ar(static_cast<Index>(l), column); by != 0)
          x += by * z(static_cast<Index>(t) - ar.lags[l]);
      for (std::size_t l = 0; l < ma.lags.size(); ++l)
        if (const double by = of_ma(static_cast<Index>(l), column); by != 0)
          x += by * here.error[t - static_cast<std::size_t>(ma.lags[l])];
      return x;
    });
  }
  return out;
}

}  // namespace brace::inline v0
