// SPDX-License-Identifier: Apache-2.0
// Statistics of the unit-root tests. Covered by tests/hypothesis/unit_root_test.cpp.
#include "hypothesis/unit_root_statistics.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "brace/maths/long_run_variance.hpp"
#include "hypothesis/lag_regression.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis::unit_root {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// [det, y_{t-1}] and dy_t.
struct Design {
  MatrixXd X;
  VectorXd dy;
  Index rho;  // column of y_{t-1}
};

Design design_of(const std::vector<double>& y, Deterministic terms) {
  const std::vector<std::size_t> rows = rows_of(y, 0);
  const Index fixed = columns_of(terms);
  const auto n = static_cast<Index>(rows.size());
  Design d{MatrixXd(n, fixed + 1), VectorXd(n), fixed};
  if (fixed > 0) d.X.col(0).setOnes();
  for (Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    d.dy(i) = y[t] - y[t - 1];
    if (fixed > 1) d.X(i, 1) = static_cast<double>(t + 1);
    d.X(i, fixed) = y[t - 1];
  }
  return d;
}

}  // namespace

Autoregression autoregress(const std::vector<double>& y, int k, Deterministic terms, int reach) {
  const LagRegression of = lag_regression(y, k, terms, reach);
  const VectorXd b = of.coefficients(of.columns());
  Autoregression out;
  const double error = of.error();
  out.rho = b(of.rho);
  out.error = std::isfinite(error) ? error : 0;
  out.ssr = of.rest;
  out.lag_sum = b.tail(k).sum();
  out.rows = of.rows;
  return out;
}

std::size_t whole_rows(const std::vector<double>& y, int lags) {
  return rows_of(y, lags).size();
}

int most_lags(std::size_t n) {
  const auto rows = static_cast<double>(n);
  return std::max(
      0, std::min(static_cast<int>(12 * std::pow(rows / 100, 0.25)), static_cast<int>(n) / 2 - 6));
}

int choose_lags(const std::vector<double>& y, Deterministic terms, LagRule rule, int most) {
  const LagRegression of = lag_regression(y, most, terms, most);
  const Index width = of.columns();
  const auto N = static_cast<double>(of.rows);
  // ssr of the model with `columns` leading columns.
  VectorXd ssr(width + 1);
  ssr(width) = of.rest;
  for (Index c = width; c-- > 0;) ssr(c) = ssr(c + 1) + of.rotated(c) * of.rotated(c);

  if (rule == LagRule::t) {
    // The last lag that counts at 10 % (Ng and Perron 1995): its t is one rotated value over s.
    for (int k = most; k > 0; --k) {
      const Index columns = of.rho + 1 + k;
      const double s2 = ssr(columns) / (N - static_cast<double>(columns));
      if (std::abs(of.rotated(columns - 1)) > 1.6448536269514722 * std::sqrt(s2)) return k;
    }
    return 0;
  }
  int best = 0;
  double least = std::numeric_limits<double>::infinity();
  for (int k = 0; k <= most; ++k) {
    const Index columns = of.rho + 1 + k;
    const double s2 = ssr(columns) / N;
    double value = 0;
    if (rule == LagRule::maic) {
      const double rho = of.coefficients(columns)(of.rho), tau = rho * rho * of.squared_level / s2;
      value = std::log(s2) + 2 * (tau + k) / N;
    } else {
      const double penalty = rule == LagRule::aic ? 2 : std::log(N);
      value = N * std::log(s2) + penalty * static_cast<double>(columns);
    }
    if (value < least) {
      least = value;
      best = k;
    }
  }
  return best;
}

PhillipsPerron phillips_perron(const std::vector<double>& y, Deterministic terms, int bandwidth) {
  const Design d = design_of(y, terms);
  const maths::Regression fit = maths::regress(d.X, d.dy);
  const auto N = static_cast<double>(d.dy.size());
  const double g0 = fit.ssr / N;
  const double s2 = fit.ssr / (N - static_cast<double>(d.X.cols()));
  const double l2 = maths::long_run_variance(
      {fit.residuals.data(), static_cast<std::size_t>(d.dy.size())}, bandwidth);
  const double rho = fit.coefficients(d.rho), error = fit.errors(d.rho);
  PhillipsPerron out;
  out.rows = static_cast<std::size_t>(d.dy.size());
  out.tau = std::sqrt(g0 / l2) * rho / error -
            (l2 - g0) * N * error / (2 * std::sqrt(l2) * std::sqrt(s2));
  out.rho = N * rho - N * N * error * error / s2 * (l2 - g0) / 2;
  return out;
}

double local_alternative(Deterministic terms) {
  return terms == Deterministic::trend ? -13.5 : -7;
}

GlsDetrended gls_detrend(const std::vector<double>& y, Deterministic terms, double a) {
  const auto n = static_cast<Index>(y.size());
  const Index columns = columns_of(terms);
  MatrixXd Z(n, columns);
  VectorXd v(n);
  for (Index t = 0; t < n; ++t) {
    const double before = t == 0 ? 0 : a;  // the first row is taken as it is
    v(t) = y[static_cast<std::size_t>(t)] - (t == 0 ? 0 : a * y[static_cast<std::size_t>(t - 1)]);
    Z(t, 0) = 1 - before;
    if (columns > 1) Z(t, 1) = static_cast<double>(t + 1) - before * static_cast<double>(t);
  }
  const maths::Regression fit = maths::regress(Z, v);
  GlsDetrended out{y, fit.ssr};
  for (Index t = 0; t < n; ++t) {
    double level = fit.coefficients(0);
    if (columns > 1) level += fit.coefficients(1) * static_cast<double>(t + 1);
    out.y[static_cast<std::size_t>(t)] -= level;
  }
  return out;
}

double spectrum_at_zero(const Autoregression& fit) {
  const double gain = 1 - fit.lag_sum;
  return fit.ssr / static_cast<double>(fit.rows) / (gain * gain);
}

NgPerron ng_perron(const std::vector<double>& y, Deterministic terms, double spectrum) {
  const auto T = static_cast<double>(y.size() - 1);
  double squares = 0;
  for (std::size_t t = 0; t + 1 < y.size(); ++t) squares += y[t] * y[t];
  const double k = squares / (T * T), end = y.back() * y.back() / T;
  const double cbar = local_alternative(terms);
  NgPerron out;
  out.mza = (end - spectrum) / (2 * k);
  out.msb = std::sqrt(k / spectrum);
  out.mzt = out.mza * out.msb;
  out.mpt = terms == Deterministic::trend ? (cbar * cbar * k + (1 - cbar) * end) / spectrum
                                          : (cbar * cbar * k - cbar * end) / spectrum;
  return out;
}

double point_optimal(const std::vector<double>& y, Deterministic terms, double spectrum) {
  const double a = 1 + local_alternative(terms) / static_cast<double>(y.size());
  return (gls_detrend(y, terms, a).ssr - a * gls_detrend(y, terms, 1).ssr) / spectrum;
}

namespace {

// [seasonal constants, trend, lagged seasonal differences | one or two columns a frequency]; the
// frequencies stand last, so that the corner of the triangular factor is all that is needed.
struct SeasonalDesign {
  MatrixXd X;
  VectorXd change;
};

// On the rows whose terms with `reach` lags are all present.
SeasonalDesign seasonal_design(const std::vector<double>& y, int period, bool with_trend, int k,
                               int reach) {
  const auto S = static_cast<std::size_t>(period);
  const std::size_t first = S + static_cast<std::size_t>(reach);
  std::vector<std::size_t> rows;
  for (std::size_t t = first; t < y.size(); ++t) {
    double whole = 0;
    for (std::size_t j = t - first; j <= t; ++j) whole += y[j];
    if (!std::isnan(whole)) rows.push_back(t);
  }
  const auto n = static_cast<Index>(rows.size());
  const Index fixed = period + (with_trend ? 1 : 0) + k;
  SeasonalDesign d{MatrixXd::Zero(n, fixed + period), VectorXd(n)};
  // cos and sin of each frequency at the lags 1 .. S.
  MatrixXd waves(period, period);
  for (int i = 0; i < period; ++i) {
    Index c = 0;
    for (int j = 0; j <= period / 2; ++j) {
      const double angle = 2 * std::numbers::pi * j * (i + 1) / period;
      waves(i, c++) = std::cos(angle);
      if (j > 0 && 2 * j < period) waves(i, c++) = -std::sin(angle);
    }
  }
  for (Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    d.change(i) = y[t] - y[t - S];
    d.X(i, static_cast<Index>(t % S)) = 1;
    if (with_trend) d.X(i, period) = static_cast<double>(t + 1) / static_cast<double>(y.size());
    for (int j = 1; j <= k; ++j) {
      const std::size_t at = t - static_cast<std::size_t>(j);
      d.X(i, fixed - k + j - 1) = y[at] - y[at - S];
    }
    for (int lag = 1; lag <= period; ++lag)
      d.X.row(i).tail(period) += y[t - static_cast<std::size_t>(lag)] * waves.row(lag - 1);
  }
  return d;
}

}  // namespace

SeasonalRoots seasonal_roots(const std::vector<double>& y, int period, bool with_trend, int k) {
  const SeasonalDesign d = seasonal_design(y, period, with_trend, k, k);
  const Index n = d.change.size(), width = d.X.cols(), S = period;
  const maths::Qr qr(d.X);
  const VectorXd rotated = qr.rotated(d.change);
  const double s2 = rotated.tail(n - width).squaredNorm() / static_cast<double>(n - width);
  const MatrixXd inverse = qr.inverse_of_last(S);
  const VectorXd b = maths::product(inverse, VectorXd(rotated.segment(width - S, S)));
  const MatrixXd C = maths::outer(inverse);
  const auto F = [&](Index from, Index count) {
    const MatrixXd block = C.block(from, from, count, count);
    const VectorXd part = b.segment(from, count);
    return part.dot(maths::solve_positive(block, part)) / (static_cast<double>(count) * s2);
  };
  SeasonalRoots out;
  out.rows = static_cast<std::size_t>(n);
  out.zero = b(0) / std::sqrt(s2 * C(0, 0));
  for (int j = 1; 2 * j < period; ++j) out.pairs.push_back(F(2 * j - 1, 2));
  if (period % 2 == 0) out.alternating = b(S - 1) / std::sqrt(s2 * C(S - 1, S - 1));
  out.seasonal = F(1, S - 1);
  out.all = F(0, S);
  return out;
}

int choose_seasonal_lags(const std::vector<double>& y, int period, bool with_trend, LagRule rule,
                         int most) {
  const SeasonalDesign d = seasonal_design(y, period, with_trend, most, most);
  // Lags last, so that the leading columns are the smaller models.
  const Index n = d.change.size(), fixed = period + (with_trend ? 1 : 0);
  MatrixXd X(n, d.X.cols());
  X << d.X.leftCols(fixed), d.X.rightCols(period), d.X.middleCols(fixed, most);
  const VectorXd rotated = maths::Qr(X).rotated(d.change);
  const auto N = static_cast<double>(n);
  const double penalty = rule == LagRule::aic ? 2 : std::log(N);
  int best = 0;
  double least = std::numeric_limits<double>::infinity(),
         ssr = rotated.tail(n - fixed - period).squaredNorm();
  for (int k = 0; k <= most; ++k) {
    const Index columns = fixed + period + k;
    if (k > 0) ssr -= rotated(columns - 1) * rotated(columns - 1);
    const double value = N * std::log(ssr / N) + penalty * static_cast<double>(columns);
    if (value < least) {
      least = value;
      best = k;
    }
  }
  return best;
}

}  // namespace brace::inline v0::hypothesis::unit_root
