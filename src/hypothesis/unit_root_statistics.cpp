// SPDX-License-Identifier: Apache-2.0
// Statistics of the unit-root tests. Covered by tests/hypothesis/unit_root_test.cpp.
#include "hypothesis/unit_root_statistics.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "brace/maths/long_run_variance.hpp"
#include "maths/dense.hpp"
#include "maths/regression.hpp"

namespace brace::inline v0::hypothesis::unit_root {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

Index columns_of(Deterministic terms) {
  return terms == Deterministic::none ? 0 : terms == Deterministic::constant ? 1 : 2;
}

// [det, y_{t-1}, dy_{t-1} .. dy_{t-k}] and dy_t on the rows that `reach` lags allow.
struct Design {
  MatrixXd X;
  VectorXd dy;
  Index rho;  // column of y_{t-1}
};

// Rows whose value and `reach` + 1 values before it are present.
std::vector<std::size_t> rows_of(const std::vector<double>& y, int reach) {
  std::vector<std::size_t> rows;
  for (auto t = static_cast<std::size_t>(reach) + 1; t < y.size(); ++t) {
    double whole = y[t];
    for (int j = 1; j <= reach + 1; ++j) whole += y[t - static_cast<std::size_t>(j)];
    if (!std::isnan(whole)) rows.push_back(t);
  }
  return rows;
}

Design design_of(const std::vector<double>& y, int k, Deterministic terms, int reach) {
  const auto difference = [&](std::size_t t) { return y[t] - y[t - 1]; };
  const std::vector<std::size_t> rows = rows_of(y, reach);
  const Index fixed = columns_of(terms);
  const auto n = static_cast<Index>(rows.size());
  Design d{MatrixXd(n, fixed + 1 + k), VectorXd(n), fixed};
  if (fixed > 0) d.X.col(0).setOnes();
  for (Index i = 0; i < n; ++i) {
    const std::size_t t = rows[static_cast<std::size_t>(i)];
    d.dy(i) = difference(t);
    if (fixed > 1) d.X(i, 1) = static_cast<double>(t + 1);
    d.X(i, fixed) = y[t - 1];
    for (int j = 1; j <= k; ++j) d.X(i, fixed + j) = difference(t - static_cast<std::size_t>(j));
  }
  return d;
}

}  // namespace

Autoregression autoregress(const std::vector<double>& y, int k, Deterministic terms, int reach) {
  const Design d = design_of(y, k, terms, reach);
  const maths::Regression fit = maths::regress(d.X, d.dy);
  Autoregression out;
  out.rho = fit.coefficients(d.rho);
  out.error = fit.errors.size() > 0 ? fit.errors(d.rho) : 0;
  out.ssr = fit.ssr;
  out.lag_sum = fit.coefficients.tail(k).sum();
  out.rows = static_cast<std::size_t>(d.dy.size());
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
  const Design d = design_of(y, most, terms, most);
  const Index n = d.dy.size(), width = d.X.cols();
  const maths::Qr qr(d.X);
  const VectorXd rotated = qr.rotated(d.dy);
  const auto N = static_cast<double>(n);
  // ssr of the model with `columns` leading columns.
  VectorXd ssr(width + 1);
  ssr(width) = rotated.tail(n - width).squaredNorm();
  for (Index c = width; c-- > 0;) ssr(c) = ssr(c + 1) + rotated(c) * rotated(c);

  if (rule == LagRule::t) {
    // The last lag that counts at 10 % (Ng and Perron 1995): its t is one rotated value over s.
    for (int k = most; k > 0; --k) {
      const Index columns = d.rho + 1 + k;
      const double s2 = ssr(columns) / static_cast<double>(n - columns);
      if (std::abs(rotated(columns - 1)) > 1.6448536269514722 * std::sqrt(s2)) return k;
    }
    return 0;
  }
  const VectorXd level = d.X.col(d.rho);
  const double sum_of_squares = level.squaredNorm();
  int best = 0;
  double least = std::numeric_limits<double>::infinity();
  for (int k = 0; k <= most; ++k) {
    const Index columns = d.rho + 1 + k;
    const double s2 = ssr(columns) / N;
    double value = 0;
    if (rule == LagRule::maic) {
      const VectorXd b = qr.solve_upper(columns, rotated.head(columns));
      const double tau = b(d.rho) * b(d.rho) * sum_of_squares / s2;
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
  const Design d = design_of(y, 0, terms, 0);
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

// dy_t on [1, t, lags] (the base, taken out of everything), break terms and y_{t-1}. Sums over the
// rows after a date come from running sums, so a date costs a constant number of operations.
class BreakScan {
 public:
  BreakScan(const std::vector<double>& y, int k, double trim) : k_(k) {
    const Design d = design_of(y, k, Deterministic::trend, k);
    rows_ = d.dy.size();
    MatrixXd base(rows_, 2 + k);
    base.col(0).setOnes();
    base.col(1) = VectorXd::LinSpaced(rows_, -1, 1);
    base.rightCols(k) = d.X.rightCols(k);
    const MatrixXd Q = maths::Qr(base).thin_q();
    const auto without_base = [&](const VectorXd& v) {
      const VectorXd once = v - maths::product(Q, maths::cross(Q, v));
      return VectorXd(once - maths::product(Q, maths::cross(Q, once)));
    };
    const VectorXd w = without_base(d.X.col(d.rho)), v = without_base(d.dy);
    ww_ = w.squaredNorm();
    wv_ = w.dot(v);
    vv_ = v.squaredNorm();
    // Of the base, then w, then v: sums over the rows from r on (steps), and sums of those (ramps).
    MatrixXd all(rows_, 4 + k);
    all << Q, w, v;
    step_.resize(4 + k, rows_ + 1);
    ramp_.resize(4 + k, rows_ + 1);
    step_.col(rows_).setZero();
    ramp_.col(rows_).setZero();
    for (Index r = rows_; r-- > 0;) {
      step_.col(r) = step_.col(r + 1) + all.row(r).transpose();
      ramp_.col(r) = ramp_.col(r + 1) + step_.col(r);
    }
    const auto n = static_cast<double>(y.size());
    first_date_ = static_cast<Index>(std::ceil(trim * n - 1e-9));
    last_date_ = static_cast<Index>(std::floor((1 - trim) * n + 1e-9));
  }

  [[nodiscard]] Index rows() const { return rows_; }
  [[nodiscard]] Index first_date() const { return first_date_; }
  [[nodiscard]] Index last_date() const { return last_date_; }

  // Row of the first observation after the date; observation t (1-based) stands in row t - k - 2.
  [[nodiscard]] Index row_after(Index date) const { return std::max<Index>(0, date - k_ - 1); }

  // What a break term shares with the base, with w and with v, before the base is taken out.
  [[nodiscard]] auto sums(bool ramp, Index row) const { return (ramp ? ramp_ : step_).col(row); }
  [[nodiscard]] Index base() const { return 2 + k_; }

  // Product of two break terms over the rows they share, r1 <= r2; a ramp is 1 in its first row.
  [[nodiscard]] double shared(bool ramp1, Index r1, bool ramp2, Index r2) const {
    const auto m = static_cast<double>(rows_ - r2), gap = static_cast<double>(r2 - r1);
    if (!ramp1 && !ramp2) return m;
    if (!ramp1) return m * (m + 1) / 2;
    if (!ramp2) return gap * m + m * (m + 1) / 2;
    return gap * m * (m + 1) / 2 + m * (m + 1) * (2 * m + 1) / 6;
  }

  // t of rho given the break terms' products A (base taken out), and theirs with w and v.
  template <int P>
  [[nodiscard]] double t_of(const Eigen::Matrix<double, P, P>& A,
                            const Eigen::Matrix<double, P, 1>& with_w,
                            const Eigen::Matrix<double, P, 1>& with_v) const {
    // With A = L L': a = L^-1 w and b = L^-1 v, row by row as L is found.
    Eigen::Matrix<double, P, P> L;
    Eigen::Matrix<double, P, 1> a, b;
    for (int i = 0; i < P; ++i) {
      a(i) = with_w(i), b(i) = with_v(i);
      for (int j = 0; j <= i; ++j) {
        double left = A(i, j);
        for (int m = 0; m < j; ++m) left -= L(i, m) * L(j, m);
        L(i, j) = j < i ? left / L(j, j) : std::sqrt(left);
        if (j < i) a(i) -= L(i, j) * a(j), b(i) -= L(i, j) * b(j);
      }
      a(i) /= L(i, i), b(i) /= L(i, i);
    }
    const double ww = ww_ - a.squaredNorm(), wv = wv_ - a.dot(b), vv = vv_ - b.squaredNorm();
    const double s2 = (vv - wv * wv / ww) / static_cast<double>(rows_ - base() - 1 - P);
    const double t = wv / std::sqrt(ww * s2);
    return std::isfinite(t) ? t : std::numeric_limits<double>::infinity();
  }

 private:
  int k_;
  Index rows_ = 0, first_date_ = 0, last_date_ = 0;
  double ww_ = 0, wv_ = 0, vv_ = 0;
  MatrixXd step_, ramp_;
};

// Terms of one break: a step, a ramp or both.
template <int P>
std::array<bool, P> ramps_of(BreakModel model) {
  if constexpr (P == 2)
    return {false, true};
  else
    return {model == BreakModel::trend};
}

// The terms of one break by themselves.
template <int P>
struct OneBreak {
  Eigen::Matrix<double, P, P> A;
  Eigen::Matrix<double, P, 1> w, v;
};

template <int P>
OneBreak<P> one_break(const BreakScan& scan, const std::array<bool, P>& ramp, Index row) {
  OneBreak<P> out;
  const Index b = scan.base();
  for (int i = 0; i < P; ++i) {
    const auto x = scan.sums(ramp[static_cast<std::size_t>(i)], row);
    out.w(i) = x(b);
    out.v(i) = x(b + 1);
    for (int j = 0; j <= i; ++j) {
      const auto z = scan.sums(ramp[static_cast<std::size_t>(j)], row);
      out.A(i, j) = out.A(j, i) = scan.shared(ramp[static_cast<std::size_t>(j)], row,
                                              ramp[static_cast<std::size_t>(i)], row) -
                                  x.head(b).dot(z.head(b));
    }
  }
  return out;
}

template <int P>
LeastT scan_one(const BreakScan& scan, BreakModel model) {
  const std::array<bool, P> ramp = ramps_of<P>(model);
  LeastT best{std::numeric_limits<double>::infinity(), 0, 0, static_cast<std::size_t>(scan.rows())};
  for (Index date = scan.first_date(); date <= scan.last_date(); ++date) {
    const OneBreak<P> at = one_break<P>(scan, ramp, scan.row_after(date));
    const double t = scan.t_of<P>(at.A, at.w, at.v);
    if (t < best.t) {
      best.t = t;
      best.first = static_cast<std::size_t>(date);
    }
  }
  return best;
}

template <int P>
LeastT scan_two(const BreakScan& scan, BreakModel model, Index apart) {
  const std::array<bool, P> ramp = ramps_of<P>(model);
  std::vector<OneBreak<P>> alone;
  for (Index date = scan.first_date(); date <= scan.last_date(); ++date)
    alone.push_back(one_break<P>(scan, ramp, scan.row_after(date)));
  LeastT best{std::numeric_limits<double>::infinity(), 0, 0, static_cast<std::size_t>(scan.rows())};
  const Index b = scan.base();
  Eigen::Matrix<double, 2 * P, 2 * P> A;
  Eigen::Matrix<double, 2 * P, 1> w, v;
  for (Index first = scan.first_date(); first + apart <= scan.last_date(); ++first) {
    const Index r1 = scan.row_after(first);
    const OneBreak<P>& one = alone[static_cast<std::size_t>(first - scan.first_date())];
    A.template topLeftCorner<P, P>() = one.A;
    w.template head<P>() = one.w;
    v.template head<P>() = one.v;
    for (Index second = first + apart; second <= scan.last_date(); ++second) {
      const Index r2 = scan.row_after(second);
      const OneBreak<P>& two = alone[static_cast<std::size_t>(second - scan.first_date())];
      A.template bottomRightCorner<P, P>() = two.A;
      w.template tail<P>() = two.w;
      v.template tail<P>() = two.v;
      for (int i = 0; i < P; ++i)
        for (int j = 0; j < P; ++j) {
          const bool of_one = ramp[static_cast<std::size_t>(i)],
                     of_two = ramp[static_cast<std::size_t>(j)];
          A(P + j, i) = scan.shared(of_one, r1, of_two, r2) -
                        scan.sums(of_one, r1).head(b).dot(scan.sums(of_two, r2).head(b));
        }
      const double t = scan.t_of<2 * P>(A, w, v);
      if (t < best.t) {
        best.t = t;
        best.first = static_cast<std::size_t>(first);
        best.second = static_cast<std::size_t>(second);
      }
    }
  }
  return best;
}

}  // namespace

LeastT zivot_andrews(const std::vector<double>& y, int k, BreakModel model, double trim) {
  const BreakScan scan(y, k, trim);
  return model == BreakModel::both ? scan_one<2>(scan, model) : scan_one<1>(scan, model);
}

LeastT two_breaks(const std::vector<double>& y, int k, BreakModel model, double trim) {
  const BreakScan scan(y, k, trim);
  const Index apart = scan.first_date();
  return model == BreakModel::both ? scan_two<2>(scan, model, apart)
                                   : scan_two<1>(scan, model, apart);
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
