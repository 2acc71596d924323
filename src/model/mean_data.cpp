// SPDX-License-Identifier: Apache-2.0
// Differences, regressors and harmonics of a mean equation. Covered by
// tests/likelihood/exact_test.cpp.
#include "model/mean_data.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/missing.hpp"
#include "brace/base/error.hpp"
#include "brace/model/model_line.hpp"
#include "model/lag_product.hpp"
#include "model/spelling.hpp"

namespace brace::inline v0 {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Rows of a series and, after its end, rows to come.
struct RowsAndAhead {
  const Series& series;
  std::span<const Timestamp> dates;                // ahead
  const std::vector<Companion>* future = nullptr;  // ahead
  std::size_t rows = 0;                            // both together

  [[nodiscard]] Timestamp when(std::size_t t) const {
    return t < series.size() ? series.times[t] : dates[t - series.size()];
  }
  [[nodiscard]] double companion(const std::string& name, std::size_t t) const {
    const std::vector<Companion>& from = t < series.size() || !future ? series.companions : *future;
    const std::size_t row = t < series.size() ? t : t - series.size();
    for (const Companion& c : from)
      if (c.name == name) return row < c.values.size() ? c.values[row] : kNaN;
    return kNaN;
  }
};

double value_of(const Regressor& r, const RowsAndAhead& rows, std::size_t t) {
  using Source = Regressor::Source;
  switch (r.source) {
    case Source::column: {
      const auto back = static_cast<std::size_t>(r.rows_earlier);
      return t >= back ? rows.companion(r.column, t - back) : kNaN;
    }
    case Source::step: return rows.when(t) >= *r.at ? 1 : 0;
    case Source::pulse: return rows.when(t) == *r.at ? 1 : 0;
    case Source::fade: return 0;  // needs its distance: see fill_fade
    case Source::weekday:
      return static_cast<int>(
                 std::chrono::weekday(std::chrono::floor<std::chrono::days>(rows.when(t)))
                     .c_encoding()) == r.category
                 ? 1
                 : 0;
    case Source::month:
      return static_cast<int>(static_cast<unsigned>(
                 std::chrono::year_month_day(std::chrono::floor<std::chrono::days>(rows.when(t)))
                     .month())) == r.category
                 ? 1
                 : 0;
  }
  return kNaN;
}

void fill_fade(const Regressor& r, const RowsAndAhead& rows, Eigen::Ref<VectorXd> column) {
  double left = 0;
  for (std::size_t t = 0; t < rows.rows; ++t) {
    left = rows.when(t) == *r.at ? 1 : left * kFade;
    column(static_cast<Index>(t)) = left;
  }
}

void fill_regressors(const std::vector<Regressor>& regressors, const RowsAndAhead& rows,
                     Eigen::Ref<MatrixXd> X) {
  for (std::size_t c = 0; c < regressors.size(); ++c) {
    const Regressor& r = regressors[c];
    auto column = X.col(static_cast<Index>(c));
    if (r.source == Regressor::Source::fade)
      fill_fade(r, rows, column);
    else
      for (Index t = 0; t < X.rows(); ++t)
        column(t) = value_of(r, rows, static_cast<std::size_t>(t));
  }
}

// Regression columns of all rows, not yet differenced; the constant's is left at 1, which is its
// column after differencing too.
MatrixXd level_columns(const Model& model, const RowsAndAhead& rows) {
  const Mean& m = model.mean;
  const MeanPositions at = mean_positions(model);
  MatrixXd X(static_cast<Index>(rows.rows), static_cast<Index>(at.regression.size()));
  Index c = 0;
  if (m.constant) X.col(c++).setOnes();
  if (m.trend) X.col(c++) = VectorXd::LinSpaced(X.rows(), 1, static_cast<double>(rows.rows));
  for (const Harmonics& h : m.harmonics)
    for (int pair = 1; pair <= h.pairs; ++pair) {
      for (Index t = 0; t < X.rows(); ++t) {
        // The angle by whole rows of a period, so that far rows keep their digits.
        const auto turn = static_cast<double>((t + 1) * pair % h.period) / h.period;
        X(t, c) = std::cos(2 * std::numbers::pi * turn);
        if (2 * pair < h.period) X(t, c + 1) = std::sin(2 * std::numbers::pi * turn);
      }
      c += 2 * pair < h.period ? 2 : 1;
    }
  fill_regressors(m.regressors, rows, X.rightCols(X.cols() - c));
  return X;
}

MatrixXd differenced(MatrixXd X, const std::vector<double>& weights, bool constant) {
  if (weights.size() == 1) return X;
  const auto lost = static_cast<Index>(weights.size()) - 1, rows = X.rows() - lost;
  MatrixXd out = MatrixXd::Zero(rows, X.cols());
  for (Index l = 0; l <= lost; ++l)
    if (weights[static_cast<std::size_t>(l)] != 0)
      out += weights[static_cast<std::size_t>(l)] * X.middleRows(lost - l, rows);
  if (constant) out.col(0).setOnes();
  return out;
}

std::vector<double> differenced(std::vector<double> y, const std::vector<double>& weights) {
  if (weights.size() == 1) return y;
  const std::size_t lost = weights.size() - 1;
  std::vector<double> out(y.size() - lost, 0.0);
  for (std::size_t l = 0; l <= lost; ++l)
    if (weights[l] != 0)
      for (std::size_t t = 0; t < out.size(); ++t) out[t] += weights[l] * y[t + lost - l];
  return out;
}

void refuse_collinear(const Model& model, const MatrixXd& X) {
  if (X.cols() < 2 && (X.cols() == 0 || model.mean.constant)) return;
  std::vector<std::string> names;
  const std::vector<std::string> all = parameter_names(model).mean;
  for (const std::size_t p : mean_positions(model).regression) names.push_back(all[p]);
  MatrixXd Q = MatrixXd::Zero(X.rows(), X.cols());  // Gram-Schmidt, twice for accuracy
  for (Index c = 0; c < X.cols(); ++c) {
    VectorXd v = X.col(c);
    const double size = v.norm();
    for (int pass = 0; pass < 2; ++pass) v -= Q.leftCols(c) * (Q.leftCols(c).transpose() * v);
    if (!(v.norm() > 1e-9 * size))
      throw Error(ErrorCode::bad_model_line,
                  fmt::format("model line: '{}': {} adds nothing to the terms before it on these "
                              "rows (it is constant{}); drop it",
                              to_string(model), names[static_cast<std::size_t>(c)],
                              c > 0 ? " or a sum of them" : ""));
    Q.col(c) = v / v.norm();
  }
}

// Rows of y with their columns X, made into what the likelihoods take.
MeanData prepare(const Model& model, std::vector<double> y, MatrixXd X) {
  MeanData data;
  data.weights = difference_weights(model.mean.differences);
  data.lost = data.weights.size() - 1;
  if (y.size() <= data.lost + 1)
    throw Error(ErrorCode::too_few_observations,
                fmt::format("'{}': {} rows leave nothing to estimate from after differencing",
                            to_string(model), y.size()));
  for (Index c = 0; c < X.cols(); ++c)
    for (std::size_t t = 0; t < y.size(); ++t)
      if (std::isnan(X(static_cast<Index>(t), c))) y[t] = kNaN;
  for (std::size_t t = 0; t < y.size(); ++t)
    if (std::isnan(y[t])) {
      if (X.row(static_cast<Index>(t)).hasNaN()) X.row(static_cast<Index>(t)).setZero();
      data.missing.push_back(t);
    }
  // Only the exact likelihood, which is that of a mean equation alone, asks for more.
  const bool exact = std::holds_alternative<Steady>(model.variance);
  if (exact) data.level = y;
  if (exact && !data.missing.empty()) {
    data.change = differenced(y, data.weights);
    double last = 0;
    for (const double v : y)
      if (!std::isnan(v)) {
        last = v;
        break;
      }
    for (double& v : y) last = v = std::isnan(v) ? last : v;
    data.filled = differenced(std::move(y), data.weights);
  } else {
    data.change = differenced(std::move(y), data.weights);
    if (exact) data.filled = data.change;
  }
  data.columns = differenced(std::move(X), data.weights, model.mean.constant);
  refuse_collinear(model, data.columns);
  return data;
}

// Rows at the start that lack a value only because a column is taken some rows back.
std::size_t rows_before_lags(const Model& model) {
  int longest = 0;
  for (const Regressor& r : model.variance_regressors) longest = std::max(longest, r.rows_earlier);
  return static_cast<std::size_t>(longest);
}

// The regressors of the variance; `first` is the first row that counts.
MatrixXd variance_columns(const Model& model, const RowsAndAhead& rows, std::size_t first) {
  const std::vector<Regressor>& terms = model.variance_regressors;
  MatrixXd X(static_cast<Index>(rows.rows), static_cast<Index>(terms.size()));
  fill_regressors(terms, rows, X);
  const bool logarithm = std::holds_alternative<Egarch>(model.variance);
  for (std::size_t c = 0; c < terms.size(); ++c)
    for (std::size_t t = first; t < rows.rows; ++t) {
      const double x = X(static_cast<Index>(t), static_cast<Index>(c));
      if (!std::isnan(x) && (logarithm || x >= 0)) continue;
      const std::string where = t < rows.series.times.size() ? format_date(rows.series.times[t])
                                                             : fmt::format("row {}", t + 1);
      throw Error(
          ErrorCode::bad_model_line,
          std::isnan(x)
              ? fmt::format("model line: 'vwith {}': its value is missing at {}, and a variance "
                            "is needed at every row; fill it or leave those rows out",
                            spell(terms[c]), where)
              : fmt::format("model line: 'vwith {}': its value at {} is {:.6g}; a variance takes "
                            "regressors that are never negative (egarch takes any)",
                            spell(terms[c]), where, x));
    }
  return X;
}

}  // namespace

MeanData mean_data(const Model& model, const Series& series) {
  const RowsAndAhead rows{.series = series, .dates = {}, .rows = series.size()};
  if (model.variance_regressors.empty())
    return prepare(model, series.values, level_columns(model, rows));
  // The first rows have no variance of their own where a lag reaches before the sample: they have
  // no term, as rows without a regressor of the mean have none.
  const std::size_t before = std::min(rows_before_lags(model), series.size());
  std::vector<double> y = series.values;
  std::fill_n(y.begin(), before, kNaN);
  MeanData data = prepare(model, std::move(y), level_columns(model, rows));
  MatrixXd X = variance_columns(model, rows, std::max(data.lost, before));
  X.topRows(static_cast<Index>(before)).setZero();
  data.variance_columns = X.bottomRows(static_cast<Index>(data.change.size()));
  return data;
}

MeanData mean_data(const Model& model, std::span<const double> y) {
  return mean_data(model, make_series({y.begin(), y.end()}));
}

MatrixXd columns_ahead(const Model& model, const Series& series,
                       const std::vector<Timestamp>& dates, const std::vector<Companion>& future,
                       std::size_t ahead) {
  for (const Regressor& r : model.mean.regressors) {
    if (r.source == Regressor::Source::column) continue;
    if (dates.size() < ahead)
      throw Error(ErrorCode::bad_option,
                  fmt::format("'with {}' needs the dates ahead, and the clock of {} gives none",
                              spell(r), series.name));
  }
  const MatrixXd X = level_columns(
      model, {.series = series, .dates = dates, .future = &future, .rows = series.size() + ahead});
  MatrixXd rows = differenced(X, difference_weights(model.mean.differences), model.mean.constant)
                      .bottomRows(static_cast<Index>(ahead));
  if (rows.hasNaN())
    for (const Regressor& r : model.mean.regressors)
      if (r.source == Regressor::Source::column)
        throw Error(ErrorCode::bad_option,
                    fmt::format("a forecast with '{}' needs its coming values: give a file with "
                                "that column and {} rows (`future` FILE)",
                                spell(r), ahead));
  return rows;
}

MatrixXd variance_columns_ahead(const Model& model, const Series& series,
                                const std::vector<Timestamp>& dates,
                                const std::vector<Companion>& future, std::size_t ahead) {
  if (model.variance_regressors.empty()) return {static_cast<Index>(ahead), 0};
  return variance_columns(
             model,
             {.series = series, .dates = dates, .future = &future, .rows = series.size() + ahead},
             series.size())
      .bottomRows(static_cast<Index>(ahead));
}

}  // namespace brace::inline v0
