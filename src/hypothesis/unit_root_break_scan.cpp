// SPDX-License-Identifier: Apache-2.0
// Unit roots beside breaks at unknown dates. Covered by tests/hypothesis/unit_root_test.cpp.
#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include "hypothesis/lag_regression.hpp"
#include "hypothesis/unit_root_statistics.hpp"

namespace brace::inline v0::hypothesis::unit_root {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Dates of breaks that are looked at, before those beside the best are.
constexpr Index kMostDates = 3000;
constexpr std::size_t kRefined = 5;

// dy_t on [1, t, lags] (the base, taken out of everything), break terms and y_{t-1}, at
// dates (last observations before a break) that are named. What a break term shares with the other
// columns are sums over the rows after its date; of lags they are differences of y and of its
// running sum, so that neither time nor memory grows with rows times lags.
class BreakScan {
 public:
  BreakScan(const std::vector<double>& y, int k)
      : k_(k),
        n_(static_cast<Index>(y.size())),
        rows_(n_ - k - 1),
        of_(lag_regression(y, k, Deterministic::trend, k, Level::last)) {
    const Index b = base();
    ww_ = of_.R(b, b) * of_.R(b, b);
    wv_ = of_.R(b, b) * of_.rotated(b);
    vv_ = of_.rotated(b) * of_.rotated(b) + of_.rest;
    const Eigen::Map<const VectorXd> values(y.data(), n_);
    level_ = values.array() - values.segment(k, rows_).mean();
    const VectorXd times = VectorXd::LinSpaced(n_, -1, 1);
    levels_ = of_levels_ = time_ = of_time_ = VectorXd::Zero(n_ + 1);
    for (Index t = n_; t-- > 0;) {
      levels_(t) = levels_(t + 1) + level_(t);
      of_levels_(t) = of_levels_(t + 1) + levels_(t);
      time_(t) = time_(t + 1) + times(t);
      of_time_(t) = of_time_(t + 1) + time_(t);
    }
  }

  // From now on at these dates.
  void look_at(Index from, Index to, Index apart) {
    from_ = from;
    apart_ = apart;
    dates_ = (to - from) / apart + 1;
    const Index b = base();
    step_.resize(b + 2, dates_);
    ramp_.resize(b + 2, dates_);
    VectorXd step(b + 2), ramp(b + 2);
    for (Index i = 0; i < dates_; ++i) {
      // From observation `first` on; the sum with a ramp is that of steps that begin ever later.
      const Index first = row_after(date(i)) + k_ + 1;
      const auto count = static_cast<double>(n_ - first);
      step(0) = count;
      ramp(0) = count * (count + 1) / 2;
      step(1) = time_(first);
      ramp(1) = of_time_(first);
      for (Index j = 0; j <= k_; ++j) {  // dy, which stands last, then its lags
        const Index at = j == 0 ? b + 1 : 1 + j;
        const double end = level_(n_ - 1 - j);
        step(at) = end - level_(first - 1 - j);
        ramp(at) = count * end - (levels_(first - 1 - j) - levels_(n_ - 1 - j));
      }
      step(b) = levels_(first - 1) - levels_(n_ - 1);
      ramp(b) = of_levels_(first - 1) - of_levels_(n_ - 1) - count * levels_(n_ - 1);
      for (const auto& [raw, out] : {std::pair{&step, &step_}, std::pair{&ramp, &ramp_}}) {
        // R' q = raw gives what it shares with Q; then with what the base leaves of w and of v.
        const VectorXd q = of_.R.transpose().triangularView<Eigen::Lower>().solve(raw->head(b + 1));
        out->col(i).head(b) = q.head(b);
        (*out)(b, i) = q(b) * of_.R(b, b);
        (*out)(b + 1, i) = (*raw)(b + 1) - of_.rotated.head(b).dot(q.head(b));
      }
    }
  }

  [[nodiscard]] Index rows() const { return rows_; }
  [[nodiscard]] Index dates() const { return dates_; }
  [[nodiscard]] Index date(Index i) const { return from_ + i * apart_; }

  // Row of the first observation after a date; observation t (1-based) stands in row t - k - 2.
  [[nodiscard]] Index row_after(Index date) const { return std::max<Index>(0, date - k_ - 1); }

  // What a break term of the i-th date shares with the base, with w and with v, before the base is
  // taken out of it.
  [[nodiscard]] auto sums(bool ramp, Index i) const { return (ramp ? ramp_ : step_).col(i); }
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
  Index n_, rows_, from_ = 0, apart_ = 1, dates_ = 0;
  LagRegression of_;  // the base's columns, then y_{t-1}
  double ww_ = 0, wv_ = 0, vv_ = 0;
  // The centred level; sums over all observations from t on of level and time, and sums of these.
  VectorXd level_, levels_, of_levels_, time_, of_time_;
  MatrixXd step_, ramp_;  // by date
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
OneBreak<P> one_break(const BreakScan& scan, const std::array<bool, P>& ramp, Index date) {
  OneBreak<P> out;
  const Index b = scan.base(), row = scan.row_after(scan.date(date));
  for (int i = 0; i < P; ++i) {
    const auto x = scan.sums(ramp[static_cast<std::size_t>(i)], date);
    out.w(i) = x(b);
    out.v(i) = x(b + 1);
    for (int j = 0; j <= i; ++j) {
      const auto z = scan.sums(ramp[static_cast<std::size_t>(j)], date);
      out.A(i, j) = out.A(j, i) = scan.shared(ramp[static_cast<std::size_t>(j)], row,
                                              ramp[static_cast<std::size_t>(i)], row) -
                                  x.head(b).dot(z.head(b));
    }
  }
  return out;
}

// t at every date of the scan, lowest first.
template <int P>
std::vector<std::pair<double, Index>> scan_one(const BreakScan& scan, BreakModel model) {
  const std::array<bool, P> ramp = ramps_of<P>(model);
  std::vector<std::pair<double, Index>> found;
  for (Index i = 0; i < scan.dates(); ++i) {
    const OneBreak<P> at = one_break<P>(scan, ramp, i);
    found.emplace_back(scan.t_of<P>(at.A, at.w, at.v), scan.date(i));
  }
  std::stable_sort(found.begin(), found.end(),
                   [](const auto& a, const auto& b) { return a.first < b.first; });
  return found;
}

template <int P>
LeastT scan_two(const BreakScan& scan, BreakModel model, Index apart) {
  const std::array<bool, P> ramp = ramps_of<P>(model);
  std::vector<OneBreak<P>> alone;
  for (Index i = 0; i < scan.dates(); ++i) alone.push_back(one_break<P>(scan, ramp, i));
  LeastT best{std::numeric_limits<double>::infinity(), 0, 0, static_cast<std::size_t>(scan.rows())};
  const Index b = scan.base();
  Eigen::Matrix<double, 2 * P, 2 * P> A;
  Eigen::Matrix<double, 2 * P, 1> w, v;
  for (Index first = 0; first + apart < scan.dates(); ++first) {
    const Index r1 = scan.row_after(scan.date(first));
    const OneBreak<P>& one = alone[static_cast<std::size_t>(first)];
    A.template topLeftCorner<P, P>() = one.A;
    w.template head<P>() = one.w;
    v.template head<P>() = one.v;
    for (Index second = first + apart; second < scan.dates(); ++second) {
      const Index r2 = scan.row_after(scan.date(second));
      const OneBreak<P>& two = alone[static_cast<std::size_t>(second)];
      A.template bottomRightCorner<P, P>() = two.A;
      w.template tail<P>() = two.w;
      v.template tail<P>() = two.v;
      for (int i = 0; i < P; ++i)
        for (int j = 0; j < P; ++j) {
          const bool of_one = ramp[static_cast<std::size_t>(i)],
                     of_two = ramp[static_cast<std::size_t>(j)];
          A(P + j, i) = scan.shared(of_one, r1, of_two, r2) -
                        scan.sums(of_one, first).head(b).dot(scan.sums(of_two, second).head(b));
        }
      const double t = scan.t_of<2 * P>(A, w, v);
      if (t < best.t) {
        best.t = t;
        best.first = static_cast<std::size_t>(scan.date(first));
        best.second = static_cast<std::size_t>(scan.date(second));
      }
    }
  }
  return best;
}

// First and last date that `trim` leaves.
std::pair<Index, Index> dates_of(std::size_t n, double trim) {
  const auto rows = static_cast<double>(n);
  return {static_cast<Index>(std::ceil(trim * rows - 1e-9)),
          static_cast<Index>(std::floor((1 - trim) * rows + 1e-9))};
}

// At every date or, of many, at some and at those next to the best of them.
template <int P>
LeastT least_of_one(const std::vector<double>& y, int k, BreakModel model, double trim) {
  const auto [from, to] = dates_of(y.size(), trim);
  const Index apart = (to - from) / kMostDates + 1;
  BreakScan scan(y, k);
  scan.look_at(from, to, apart);
  const std::vector<std::pair<double, Index>> found = scan_one<P>(scan, model);
  std::pair<double, Index> best = found.front();
  for (std::size_t i = 0; apart > 1 && i < std::min(kRefined, found.size()); ++i) {
    scan.look_at(std::max(from, found[i].second - apart), std::min(to, found[i].second + apart), 1);
    best = std::min(best, scan_one<P>(scan, model).front());
  }
  return {best.first, static_cast<std::size_t>(best.second), 0,
          static_cast<std::size_t>(scan.rows())};
}

}  // namespace

LeastT zivot_andrews(const std::vector<double>& y, int k, BreakModel model, double trim) {
  return model == BreakModel::both ? least_of_one<2>(y, k, model, trim)
                                   : least_of_one<1>(y, k, model, trim);
}

LeastT two_breaks(const std::vector<double>& y, int k, BreakModel model, double trim) {
  const auto [from, to] = dates_of(y.size(), trim);
  BreakScan scan(y, k);
  scan.look_at(from, to, 1);
  return model == BreakModel::both ? scan_two<2>(scan, model, from)
                                   : scan_two<1>(scan, model, from);
}

}  // namespace brace::inline v0::hypothesis::unit_root
