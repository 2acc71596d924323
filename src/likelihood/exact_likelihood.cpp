// SPDX-License-Identifier: Apache-2.0
// Exact Gaussian likelihood by closed-form start. Covered by tests/likelihood/exact_test.cpp.
#include "likelihood/exact_likelihood.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>

#include "brace/maths/lag_polynomial.hpp"
#include "likelihood/arma_filter.hpp"
#include "likelihood/arma_start.hpp"
#include "likelihood/exact_scores.hpp"
#include "likelihood/filter_buffers.hpp"
#include "likelihood/innovations.hpp"
#include "maths/band_cholesky.hpp"
#include "maths/dense.hpp"

namespace brace::inline v0 {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// Where the response of 1 / b(B) has fallen to this, what follows changes no digit of a sum that
// begins with 1.
constexpr double kDiedAway = 1e-15;

}  // namespace

struct ExactLikelihood::Work : FilterBuffers {
  Work(const Model& of, MeanData given)
      : FilterBuffers(FilterBuffers::take(static_cast<Index>(given.filled.size()))),
        model(of),
        at(mean_positions(of)),
        ar(ar_product(of)),
        ma(ma_product(of)),
        data(std::move(given)),
        start(ar.lags, ma.lags, std::max(ar.longest(), ma.longest())) {
    n = static_cast<Index>(data.filled.size());
    r = std::max(ar.longest(), ma.longest());
    missing = static_cast<Index>(data.missing.size());
    k = static_cast<Index>(at.count) + 1;
    columns = r + missing;
    first.assign(at_index(columns), 0);
    last.assign(at_index(columns), 0);
    C.assign(at_index(columns), nullptr);
    by_ma = by_ar = C;
    for (Index j = 0; j < r; ++j) first[at_index(j)] = std::min(j, n);
    // A missing value enters the rows of its difference; what those before the first row would have
    // held is cut off.
    for (const std::size_t row : data.missing) {
      const Index begin = static_cast<Index>(row) - static_cast<Index>(data.lost);
      first[at_index(r + static_cast<Index>(cuts.size()))] = std::max<Index>(0, begin);
      cuts.push_back(std::max<Index>(0, -begin));
    }
    for (const Index cut : cuts)
      if (!pulses.contains(cut)) pulses.emplace(cut, Pulse{});
    for (auto& [cut, pulse] : pulses)
      for (VectorXd* v : {&pulse.whole, &pulse.by_ma, &pulse.by_ar}) v->resize(n);
    for (Index j = 0; j < r; ++j) {
      C[at_index(j)] = response.data();
      by_ma[at_index(j)] = response2.data();
    }
    for (Index m = 0; m < missing; ++m) {
      const Pulse& pulse = pulses.at(cuts[at_index(m)]);
      C[at_index(r + m)] = pulse.whole.data();
      by_ma[at_index(r + m)] = pulse.by_ma.data();
      by_ar[at_index(r + m)] = pulse.by_ar.data();
    }
  }
  ~Work() { give_back(std::move(*this)); }
  Work(const Work&) = delete;
  Work& operator=(const Work&) = delete;

  static std::size_t at_index(Index i) { return static_cast<std::size_t>(i); }

  // What is done with the r x r matrices of the start needs the digits in which they come: of a
  // root at the circle beside another they span sixteen orders of magnitude.
  using Wide = ArmaStart::Matrix;
  using Real = Wide::Scalar;
  using WideVector = Eigen::Matrix<Real, Eigen::Dynamic, 1>;

  // ---- Value ----

  // What is there for the parameters at hand: each step rests on those before it.
  enum class Step {
    nothing,
    start,     // factor(): responses, Sigma, their factors
    unknowns,  // solve(): x, S
    smoothed,  // smooth(): e, u, v1
    columns,   // filter_columns(): X1
  };
  void needs([[maybe_unused]] Step least) const { assert(done >= least); }

  // e0 and all that surrounds it at theta; false where theta is not admitted.
  bool prepare(std::span<const double> theta) {
    done = Step::nothing;
    z = Eigen::Map<const VectorXd>(data.filled.data(), n);
    for (std::size_t j = 0; j < at.regression.size(); ++j)
      if (const double beta = theta[at.regression[j]]; beta != 0)
        z.noalias() -= beta * data.columns.col(static_cast<Index>(j));
    ar.coefficients(theta, a);
    ma.coefficients(theta, b);
    filter_ar(ar.lags, a, z.data(), w.data(), n);
    filter_ma(ma.lags, b, w.data(), e0.data(), n);
    return factor() && solve();
  }

  // The start at the coefficients a, b: response, C, Sigma and their factors.
  bool factor() {
    done = Step::nothing;
    run_response();
    run_pulses();
    for (Index c = 0; c < columns; ++c) {
      const Index begin = first[at_index(c)];
      const Index count = c < r ? length : pulses.at(cuts[at_index(c - r)]).length;
      last[at_index(c)] = begin + std::min(count, n - begin);
    }
    if (r > 0 && !start.update(a, b, Sigma)) return false;
    band = missing_band();
    G.resize(columns, r);
    of_responses.reset(response.data(), length, response.data(), length, n);
    for (Index j = 0; j < r; ++j) {
      for (Index i = j; i < r; ++i) G(i, j) = G(j, i) = of_responses(i, j);
      for (Index i = r; i < columns; ++i) G(i, j) = overlap(C, i, C, j, 0);
    }
    reduced = G.topLeftCorner(r, r);
    log_determinant = 0;
    if (missing > 0) {
      G_missing.setZero(band + 1, missing);
      for (Index j = 0; j < missing; ++j)
        for (Index d = 0; d <= std::min(band, missing - 1 - j); ++d)
          G_missing(d, j) = overlap(C, r + j + d, C, r + j, 0);
      of_missing.compute(G_missing);
      if (!of_missing.ok()) return false;
      J = of_missing.solve(G.bottomRows(missing));
      reduced.noalias() -= G.bottomRows(missing).transpose() * J;
      log_determinant += of_missing.log_determinant();
    }
    if (r > 0) {
      // Sigma = F F', which also serves a singular one.
      wide = reduced.cast<Real>();
      F = factor_of(Sigma);
      N.noalias() = F.transpose() * wide * F;
      N.diagonal().array() += 1;
      of_start.compute(N);
      if (of_start.info() != Eigen::Success) return false;
      for (Index i = 0; i < r; ++i)
        log_determinant += 2 * std::log(static_cast<double>(of_start.matrixLLT()(i, i)));
      wide_W.noalias() = F * of_start.solve(F.transpose());  // (Sigma^-1 + reduced)^-1
      W = wide_W.cast<double>();
    }
    done = Step::start;
    return std::isfinite(log_determinant);
  }

  // How many missing values on, at the most, a missing value's trace may still meet another's,
  // moved by a lag: beyond it C'C and what is asked of its inverse are 0.
  [[nodiscard]] Index missing_band() const {
    const Index reach = std::max(ar.longest(), ma.longest());
    Index most = 0, to = 0;
    for (Index m = 0; m < missing; ++m) {
      to = std::max(to, m);
      while (to + 1 < missing && first[at_index(r + to + 1)] < last[at_index(r + m)] + reach) ++to;
      most = std::max(most, to - m);
    }
    return most;
  }

  // (C'C + P)^-1 q.
  [[nodiscard]] MatrixXd applied(const MatrixXd& q) const {
    MatrixXd out(columns, q.cols());
    if (missing == 0) return maths::product(W, q);
    if (r > 0)
      out.topRows(r) = maths::product(
          W, MatrixXd(q.topRows(r) - maths::cross(J, MatrixXd(q.bottomRows(missing)))));
    out.bottomRows(missing) = of_missing.solve(q.bottomRows(missing));
    if (r > 0) out.bottomRows(missing) -= maths::product(J, MatrixXd(out.topRows(r)));
    return out;
  }

  // The unknowns and S for the shocks e0.
  bool solve() {
    needs(Step::start);
    side.resize(columns);
    for (Index c = 0; c < columns; ++c) side(c) = along(C, c, e0, 0);
    x.resize(r + missing);
    if (r > 0) {
      reduced_side = side.head(r);
      if (missing > 0) reduced_side.noalias() -= J.transpose() * side.tail(missing);
      const WideVector of_side = reduced_side.cast<Real>(), s = wide_W * of_side;
      x.head(r) = s.cast<double>();
      lambda = of_side - wide * s;  // Sigma^-1 s
    }
    if (missing > 0) {
      x.tail(missing) = of_missing.solve(side.tail(missing));
      if (r > 0) x.tail(missing).noalias() -= J * x.head(r);
    }
    sum = dot(e0.data(), e0.data(), n) - side.dot(x);
    done = Step::unknowns;
    return std::isfinite(sum) && sum > 0;
  }

  // ---- Columns: each is zero outside rows first .. last - 1 ----

  // The start's are one response, each a row later than the one before; those of missing values the
  // pulse of their cut. None is stored twice: a column is told by where its row `first` stands.
  using Columns = std::vector<const double*>;

  // Where row t of a column stands.
  [[nodiscard]] const double* row_of(const Columns& A, Index c, Index t) const {
    return A[at_index(c)] + (t - first[at_index(c)]);
  }

  // sum_t A_t,i B_t-lag,j
  [[nodiscard]] double overlap(const Columns& A, Index i, const Columns& B, Index j,
                               Index lag) const {
    const Index begin = std::max(first[at_index(i)], first[at_index(j)] + lag);
    const Index end = std::min(last[at_index(i)], last[at_index(j)] + lag);
    return end <= begin ? 0 : dot(row_of(A, i, begin), row_of(B, j, begin - lag), end - begin);
  }

  // sum_t A_t-lag,c x_t
  [[nodiscard]] double along(const Columns& A, Index c, const VectorXd& shocks, Index lag) const {
    if (A[at_index(c)] == nullptr) return 0;
    const Index begin = first[at_index(c)], end = std::min(last[at_index(c)], n - lag);
    return end <= begin ? 0 : dot(row_of(A, c, begin), shocks.data() + begin + lag, end - begin);
  }

  // What a missing value leaves in the shocks, and its derivatives; one for each cut.
  struct Pulse {
    VectorXd whole, by_ma, by_ar;  // weights a/b, weights a/b^2, weights/b
    Index length = 0;
  };

  void run_pulses() {
    const Index longest = std::max(ma.longest(), 0);
    for (auto& [cut, pulse] : pulses) {
      const auto width = static_cast<Index>(data.weights.size()) - cut;
      pulse.whole.setZero();
      const Index nonzero = std::min(n, width + ar.longest());
      for (Index l = 0; l < std::min(width, n); ++l)
        pulse.whole(l) = data.weights[at_index(l + cut)];
      const VectorXd plain = pulse.whole.head(nonzero);
      filter_ar(ar.lags, a, plain.data(), pulse.whole.data(), nonzero);
      pulse.length = n;
      Index quiet = 0;
      for (Index t = 0; t < n; ++t) {
        double v = pulse.whole(t);
        for (std::size_t l = 0; l < ma.lags.size() && ma.lags[l] <= t; ++l)
          v -= b[l] * pulse.whole(t - ma.lags[l]);
        pulse.whole(t) = v;
        quiet = std::abs(v) < kDiedAway && t >= nonzero ? quiet + 1 : 0;
        if (quiet > longest) {
          pulse.length = t + 1;
          break;
        }
      }
    }
  }

  void run_pulse_slopes() {
    for (auto& [cut, pulse] : pulses) {
      filter_ma(ma.lags, b, pulse.whole.data(), pulse.by_ma.data(), pulse.length);
      pulse.by_ar.setZero();
      for (Index l = 0; l < std::min(static_cast<Index>(data.weights.size()) - cut, n); ++l)
        pulse.by_ar(l) = data.weights[at_index(l + cut)];
      filter_ma(ma.lags, b, pulse.by_ar.data(), pulse.by_ar.data(), pulse.length);
    }
  }

  void run_response() {
    const Index longest = ma.longest();
    length = n;
    Index quiet = 0;
    for (Index t = 0; t < n; ++t) {
      double v = t == 0 ? 1 : 0;
      for (std::size_t l = 0; l < ma.lags.size() && ma.lags[l] <= t; ++l)
        v -= b[l] * response(t - ma.lags[l]);
      response(t) = v;
      quiet = std::abs(v) < kDiedAway ? quiet + 1 : 0;
      if (quiet > longest) {
        length = t + 1;
        break;
      }
    }
  }

  // ---- The end ----

  // s_i = sum over l > i of a_l z_{n+i-l} + b_l e_{n+i-l}, and the last levels: linear in the
  // unknowns, whose law prepare() has found.
  void state_at_end(std::span<const double> theta, ArmaState& out) const {
    std::vector<double> along_z = ar.dense(theta), along_e = ma.dense(theta);
    along_z.resize(at_index(r), 0.0);
    along_e.resize(at_index(r), 0.0);
    const auto lost = static_cast<Index>(data.weights.size()) - 1;
    out.mean = VectorXd::Zero(r + lost);
    MatrixXd slopes = MatrixXd::Zero(r + lost, columns);  // by the unknowns
    for (Index i = 0; i < r; ++i)
      for (Index l = i + 1; l <= r; ++l) {
        const Index row = n + i - l;
        const double of_z = along_z[at_index(l - 1)], of_e = along_e[at_index(l - 1)];
        out.mean(i) += of_z * z(row) + of_e * e0(row);
        for (Index c = 0; c < columns; ++c)
          if (row >= first[at_index(c)] && row < last[at_index(c)])
            slopes(i, c) -= of_e * *row_of(C, c, row);
        for (Index m = 0; m < missing; ++m) {
          const Index weight = row - first[at_index(r + m)] + cuts[at_index(m)];
          if (row >= first[at_index(r + m)] && weight <= lost)
            slopes(i, r + m) -= of_z * data.weights[at_index(weight)];
        }
      }
    for (Index l = 0; l < lost; ++l) {
      const std::size_t row = at_index(n + lost - 1 - l);
      std::size_t known = row;  // whose value stands for a missing one
      while (known > 0 && std::isnan(data.level[known])) --known;
      while (std::isnan(data.level[known])) ++known;
      out.mean(r + l) = data.level[known];
      const auto found = std::lower_bound(data.missing.begin(), data.missing.end(), row);
      if (found != data.missing.end() && *found == row)
        slopes(r + l, r + (found - data.missing.begin())) = -1;
    }
    out.covariance = MatrixXd::Zero(r + lost, r + lost);
    if (columns == 0) return;
    out.mean.noalias() += slopes * x;
    out.covariance = maths::product(slopes, applied(slopes.transpose()));
  }

  // ---- Derivatives ----

  // Gradient by the lag coefficients (AR, then MA) of
  //   ln|Sigma| + ln|C'C + P| - lambda' Sigma lambda / sigma2
  // at `weights` for lambda: the part of -2 l in which the data appear through lambda alone.
  void start_gradient(const WideVector& weights, double sigma2, VectorXd& g) {
    g.setZero(lag_count());
    if (columns == 0) return;
    // Of C's columns the MA lags move both kinds, the AR lags the pulses.
    filter_ma(ma.lags, b, response.data(), response2.data(), length);
    if (missing > 0)
      add_pulse_traces(g);
    else
      add_start_traces(g);
    if (r == 0) return;
    // reduced - reduced W reduced = (Sigma + reduced^-1)^-1, without the difference.
    const Wide L = factor_of(wide);
    Wide inner = L.transpose() * Sigma * L;
    inner.diagonal().array() += 1;
    K.noalias() = L * Eigen::LLT<Wide>(inner).solve(L.transpose());
    moved.resize(static_cast<std::size_t>(lag_count()));
    for_each_lag([&](Index i, bool is_ar, int lag) {
      Wide& slope = moved[static_cast<std::size_t>(i)];
      start.slope(is_ar, lag, slope);
      g(i) += static_cast<double>(K.cwiseProduct(slope).sum() -
                                  weights.dot(slope * weights) / static_cast<Real>(sigma2));
    });
  }

  // - 2 tr[V C' dC] by the MA lags, where V = (C'C + P)^-1 = W: of products of columns, which are
  // shifts of two responses, or, where those cancel and leave too few digits, of their sums.
  void add_start_traces(VectorXd& g) {
    constexpr double kDigitsLost = 1e-9;
    of_slopes.reset(response.data(), length, response2.data(), length, n);
    VectorXd traces = VectorXd::Zero(g.size());
    double cancelled = 0;
    for_each_lag([&](Index i, bool is_ar, int lag) {
      if (is_ar) return;
      double size = 0;
      for (Index c = 0; c < r; ++c)
        for (Index o = 0; o < r; ++o) {
          const double term = W(o, c) * of_slopes(o, c + lag);
          traces(i) += term;
          size += std::abs(term);
        }
      cancelled = std::max(cancelled, size);
    });
    if (cancelled * std::numeric_limits<double>::epsilon() < kDigitsLost)
      g -= 2 * traces;
    else
      add_start_traces_by_responses(g);
  }

  // The same next to the circle, where C's columns are all but one and W is large. W = B B', and as
  // C x is the response of 1 / b(B) to x, C B and its derivatives are responses to B: nothing
  // cancels.
  void add_start_traces_by_responses(VectorXd& g) {
    const MatrixXd B = of_start.matrixL().solve(F.transpose()).transpose().cast<double>();
    const Index rows = std::min(n, length + r);
    for (Index c = 0; c < r; ++c) {
      w.head(rows).setZero();
      w.head(std::min(r, rows)) = B.col(c).head(std::min(r, rows));
      filter_ma(ma.lags, b, w.data(), w.data(), rows);
      filter_ma(ma.lags, b, w.data(), u2.data(), rows);
      for_each_lag([&](Index i, bool is_ar, int lag) {
        if (!is_ar) g(i) -= 2 * lagged(w.data(), u2.data(), rows, lag);
      });
    }
  }

  // The same by all lags where values are missing.
  void add_pulse_traces(VectorXd& g) {
    run_pulse_slopes();
    // V is W, -J W below it, and of missing values what lies in the band.
    JW.noalias() = J * W;
    of_missing.inverse_in_band(V_missing);
    if (r > 0)
      for (Index j = 0; j < missing; ++j)
        for (Index d = 0; d <= std::min(band, missing - 1 - j); ++d)
          V_missing(d, j) += JW.row(j + d).dot(J.row(j));
    const auto v = [&](Index o, Index c) {
      const Index low = std::min(o, c), high = std::max(o, c);
      return high < r  ? W(low, high)
             : low < r ? -JW(high - r, low)
                       : V_missing(high - low, low - r);
    };
    // C V, each column where a derivative of C's, moved by a lag, may meet it.
    const Index reach = std::max(ar.longest(), ma.longest());
    Index longest = 0;
    for (Index c = 0; c < columns; ++c)
      longest = std::max(longest, last[at_index(c)] - first[at_index(c)]);
    if (CV.rows() < longest + reach) CV.resize(longest + reach, columns);
    for (Index c = 0; c < columns; ++c) {
      const Index begin = first[at_index(c)], end = std::min(n, last[at_index(c)] + reach);
      CV.col(c).head(std::max<Index>(0, end - begin)).setZero();
      for (Index o = 0; o < columns; ++o) {
        if (c >= r && o >= r && std::abs(o - c) > band) {
          if (o > c) break;
          o = c - band - 1;  // goes on where the band begins
          continue;
        }
        const Index from = std::max(begin, first[at_index(o)]);
        const Index to = std::min(end, last[at_index(o)]);
        if (to > from)
          CV.col(c).segment(from - begin, to - from) +=
              v(o, c) * Eigen::Map<const VectorXd>(row_of(C, o, from), to - from);
      }
    }
    for_each_lag([&](Index i, bool is_ar, int lag) {
      for (Index c = is_ar ? r : 0; c < columns; ++c) {
        const Index begin = first[at_index(c)], end = std::min(last[at_index(c)], n - lag);
        if (end > begin)
          g(i) -=
              2 * dot(CV.col(c).data() + lag, row_of(is_ar ? by_ar : by_ma, c, begin), end - begin);
      }
    });
  }

  [[nodiscard]] Index lag_count() const {
    return static_cast<Index>(ar.lags.size() + ma.lags.size());
  }
  template <class Do>
  void for_each_lag(Do act) const {
    Index i = 0;
    for (const int lag : ar.lags) act(i++, true, lag);
    for (const int lag : ma.lags) act(i++, false, lag);
  }

  // Shocks and filtered data with the unknowns at their estimates.
  void smooth() {
    needs(Step::unknowns);
    e = e0;
    for (Index c = 0; c < columns; ++c) {
      const Index begin = first[at_index(c)], rows = last[at_index(c)] - begin;
      if (rows > 0)
        e.segment(begin, rows) -= x(c) * Eigen::Map<const VectorXd>(C[at_index(c)], rows);
    }
    for (Index m = 0; m < missing; ++m) {
      const Index begin = first[at_index(r + m)], cut = cuts[at_index(m)];
      for (Index l = cut; l < static_cast<Index>(data.weights.size()) && begin + l - cut < n; ++l)
        z(begin + l - cut) -= x(r + m) * data.weights[at_index(l)];
    }
    // de / da_l = -u_{t-l}, de / db_l = -v_{t-l}
    filter_ma_both(ma.lags, b, z, u, e, v1);
    done = Step::smoothed;
  }

  void filter_columns() {
    needs(Step::smoothed);
    const Index count = data.columns.cols();
    X1.resize(n, count);
    for (Index j = 0; j < count; ++j) {
      filter_ar(ar.lags, a, data.columns.col(j).data(), w.data(), n);
      filter_ma(ma.lags, b, w.data(), X1.col(j).data(), n);
    }
    done = Step::columns;
  }

  // Gradient of S by lag coefficients and regression coefficients, the start's part apart.
  void sum_gradient(VectorXd& by_lag, VectorXd& by_column) {
    needs(Step::columns);
    by_lag.resize(lag_count());
    for_each_lag(
        [&](Index i, bool is_ar, int lag) { by_lag(i) = -2 * lagged(e, is_ar ? u : v1, lag); });
    by_column.noalias() = -2 * (X1.transpose() * e);
  }

  // Second derivatives of S at fixed unknowns less their correction, by lags then columns; see the
  // head of this file. q_i = -C' de_i - dC_i' e; t_i = dSigma_i lambda.
  MatrixXd sum_hessian(bool with_start) {
    needs(Step::columns);
    const Index lags = lag_count(), terms = X1.cols(), total = lags + terms;
    MatrixXd H = MatrixXd::Zero(total, total);
    std::vector<std::pair<bool, int>> kinds;
    for_each_lag([&](Index, bool is_ar, int lag) { kinds.emplace_back(is_ar, lag); });
    if (with_start) {
      filter_ma_both(ma.lags, b, u, u2, v1, v2);
    }
    const auto filtered = [&](bool is_ar) -> const VectorXd& { return is_ar ? u : v1; };
    // By whether each of the two is an AR lag.
    std::array<std::array<ShiftedProducts, 2>, 2> products;
    for (const bool one : {false, true})
      for (const bool other : {false, true})
        products[one][other].reset(filtered(one).data(), n, filtered(other).data(), n, n);
    ShiftedProducts with_u2, with_v2;
    with_u2.reset(e.data(), n, u2.data(), n, n);
    with_v2.reset(e.data(), n, v2.data(), n, n);
    for (Index i = 0; i < lags; ++i)
      for (Index j = 0; j <= i; ++j) {
        const auto [ar_i, lag_i] = kinds[static_cast<std::size_t>(i)];
        const auto [ar_j, lag_j] = kinds[static_cast<std::size_t>(j)];
        double h = products[ar_i][ar_j](lag_i, lag_j);
        if (with_start) {
          if (ar_i != ar_j) h += with_u2(0, lag_i + lag_j);
          if (!ar_i && !ar_j) h += 2 * with_v2(0, lag_i + lag_j);
        }
        H(i, j) = H(j, i) = 2 * h;
      }
    H.bottomRightCorner(terms, terms) = 2 * maths::cross(X1, X1);
    if (!with_start) {
      if (r + missing > 0) {  // what the unknowns take up of the columns
        const MatrixXd q = along_columns();
        H.bottomRightCorner(terms, terms) -= 2 * maths::cross(q, applied(q));
      }
      return H;
    }
    for (Index c = 0; c < terms; ++c) {
      filter_ma(ma.lags, b, data.columns.col(c).data(), u2.data(), n);
      filter_ma(ma.lags, b, X1.col(c).data(), v2.data(), n);
      for (Index i = 0; i < lags; ++i) {
        const auto [is_ar, lag] = kinds[static_cast<std::size_t>(i)];
        const double h = lagged(X1.col(c).data(), filtered(is_ar).data(), n, lag) +
                         lagged(e, is_ar ? u2 : v2, lag);
        H(lags + c, i) = H(i, lags + c) = 2 * h;
      }
    }
    if (r + missing == 0) return H;
    MatrixXd q(r + missing, total), A = MatrixXd::Zero(r + missing, total);
    std::array<ShiftedProducts, 2> with_response;
    for (const bool is_ar : {false, true})
      with_response[is_ar].reset(response.data(), length, filtered(is_ar).data(), n, n);
    ShiftedProducts with_slope;
    with_slope.reset(e.data(), n, response2.data(), length, n);
    for (Index i = 0; i < lags; ++i) {
      const auto [is_ar, lag] = kinds[static_cast<std::size_t>(i)];
      const VectorXd& shifted_by = filtered(is_ar);
      for (Index c = 0; c < r; ++c)
        q(c, i) = with_response[is_ar](c, lag) + (is_ar ? 0 : with_slope(0, c + lag));
      for (Index c = r; c < columns; ++c) {
        // C' of the filtered data moved by the lag, and e along C's derivative.
        const Index begin = std::max<Index>(first[at_index(c)], lag), end = last[at_index(c)];
        q(c, i) = end > begin
                      ? dot(row_of(C, c, begin), shifted_by.data() + begin - lag, end - begin)
                      : 0;
        q(c, i) += along(is_ar ? by_ar : by_ma, c, e, lag);
      }
      if (r > 0) {
        const VectorXd t = (moved[static_cast<std::size_t>(i)] * lambda).cast<double>();
        A.col(i).head(r) = t - W * (reduced * t);
        if (missing > 0) A.col(i).tail(missing).noalias() = -J * A.col(i).head(r);
      }
    }
    q.rightCols(terms) = along_columns();
    H -= 2 * maths::cross(q, applied(q));
    const MatrixXd mixed = maths::cross(q, A);
    H += 2 * (mixed + mixed.transpose());
    if (r > 0) {
      MatrixXd T = MatrixXd::Zero(r, total);
      for (Index i = 0; i < lags; ++i)
        T.col(i) = (moved[static_cast<std::size_t>(i)] * lambda).cast<double>();
      H += 2 * maths::cross(T, maths::product(K.cast<double>(), T));
    }
    return H;
  }

  // C' X1.
  [[nodiscard]] MatrixXd along_columns() const {
    MatrixXd q(columns, X1.cols());
    for (Index j = 0; j < X1.cols(); ++j)
      for (Index c = 0; c < columns; ++c) {
        const Index begin = first[at_index(c)], rows = last[at_index(c)] - begin;
        q(c, j) = rows > 0 ? dot(C[at_index(c)], X1.col(j).data() + begin, rows) : 0;
      }
    return q;
  }

  // Lag coefficients to parameters: lags x k.
  [[nodiscard]] MatrixXd lag_jacobian(std::span<const double> theta) const {
    MatrixXd out(lag_count(), k);
    out.topRows(static_cast<Index>(ar.lags.size())) =
        ar.jacobian(theta, static_cast<std::size_t>(k));
    out.bottomRows(static_cast<Index>(ma.lags.size())) =
        ma.jacobian(theta, static_cast<std::size_t>(k));
    return out;
  }

  // How far a factor's partial autocorrelations keep from the unit circle, at most 1.
  static double margin(std::vector<double> coefficients, double sign) {
    for (double& v : coefficients) v *= sign;
    const auto r = maths::partial_autocorrelations(coefficients);
    double most = r ? 0 : 1;
    if (r)
      for (const double v : *r) most = std::max(most, std::abs(v));
    return std::max(1e-6, 1 - most);
  }

  // Second derivatives of start_gradient's function by the ARMA parameters: central differences of
  // that gradient, which touches the data nowhere. The step balances truncation and rounding
  // (1e-12 / step) errors, and is short beside the distance to the unit circle, where the function
  // has its pole.
  void add_start_hessian(std::span<const double> theta, double sigma2, MatrixXd& H) {
    const double room = std::min(margin(ar.dense(theta), 1), margin(ma.dense(theta), -1));
    const bool near_edge = room < 0.05;  // there two more points take the error to step^4
    const double longest = std::min(1e-4, 0.01 * room);
    std::vector<double> moving(theta.begin(), theta.end());
    MatrixXd differences = MatrixXd::Zero(k, k);
    for (std::size_t p = at.ar; p < at.seasonal_ma + model.mean.seasonal_ma.size(); ++p) {
      // The gradient by the parameters with parameter p moved; empty where that is not admitted.
      const auto gradient_at = [&](double move) -> VectorXd {
        moving[p] = theta[p] + move;
        ar.coefficients(moving, a);
        ma.coefficients(moving, b);
        VectorXd by_lag;
        if (!factor()) return by_lag;
        start_gradient(lambda, sigma2, by_lag);
        return maths::cross(lag_jacobian(moving), by_lag);
      };
      double step = longest;
      for (int attempt = 0; attempt < 20; ++attempt, step /= 4) {
        const VectorXd up = gradient_at(step), down = gradient_at(-step);
        if (up.size() == 0 || down.size() == 0) continue;
        VectorXd slope = (up - down) / (2 * step);
        if (near_edge) {
          const VectorXd up2 = gradient_at(2 * step), down2 = gradient_at(-2 * step);
          if (up2.size() == 0 || down2.size() == 0) continue;
          slope = (4 * slope - (up2 - down2) / (4 * step)) / 3;
        }
        differences.col(static_cast<Index>(p)) = slope;
        break;
      }
      moving[p] = theta[p];
    }
    H += (differences + differences.transpose()) / 2;
    ar.coefficients(theta, a);
    ma.coefficients(theta, b);
    done = Step::nothing;  // the start is that of the last parameters moved
  }

  // Fields have the letters of the derivation at the head of exact_likelihood.hpp.
  Model model;
  MeanPositions at;
  LagProduct ar, ma;
  MeanData data;
  ArmaStart start;
  Step done = Step::nothing;
  Index n = 0, r = 0;              // rows; unknowns of the start
  Index missing = 0, columns = 0;  // missing values; columns of C, r + missing
  Index k = 0;                     // parameters
  Index length = 0, band = 0;      // rows until the response has died away; band of C'C
  std::map<Index, Pulse> pulses;   // by how much of them is cut off
  std::vector<Index> cuts;         // of each missing value
  std::vector<Index> first, last;  // of each column of C
  std::vector<double> a, b;        // AR and MA weights by their lags
  Columns C, by_ma, by_ar;         // and its derivatives, before they are moved by a lag
  ShiftedProducts of_responses, of_slopes;
  MatrixXd G, G_missing;    // C'C: of the start with all, and of missing values, by bands
  MatrixXd reduced, J;      // of the start less what missing values explain; their weights on it
  MatrixXd W, JW;           // (Sigma^-1 + reduced)^-1; J W
  MatrixXd V_missing, CV;   // of the missing values' law
  MatrixXd X1;              // regression columns, filtered
  Wide Sigma, F, N, K;      // of the start; F F' = Sigma; I + F' reduced F; (Sigma + reduced^-1)^-1
  Wide wide, wide_W;        // `reduced` and W
  std::vector<Wide> moved;  // d Sigma by each lag
  VectorXd side, reduced_side, x;
  WideVector lambda;
  maths::BandCholesky of_missing;
  Eigen::LLT<Wide> of_start;
  double log_determinant = 0, sum = 0;
};

ExactLikelihood::ExactLikelihood(const Model& model, MeanData data)
    : work_(std::make_unique<Work>(model, std::move(data))) {}
ExactLikelihood::~ExactLikelihood() = default;

std::size_t ExactLikelihood::rows() const {
  return static_cast<std::size_t>(work_->n);
}

std::size_t ExactLikelihood::counted() const {
  return static_cast<std::size_t>(work_->n - work_->missing);
}

void ExactLikelihood::evaluate(std::span<const double> theta, Order order,
                               Derivatives<double>& out) {
  evaluate(theta, order, true, out);
}

void ExactLikelihood::evaluate_rough(std::span<const double> theta, Derivatives<double>& out) {
  evaluate(theta, Order::hessian, false, out);
}

void ExactLikelihood::evaluate(std::span<const double> theta, Order order, bool start_curvature,
                               Derivatives<double>& out) {
  Work& w = *work_;
  const double sigma2 = theta[w.at.count], n = static_cast<double>(counted());
  out.admitted = sigma2 > 0 && w.prepare(theta);
  if (!out.admitted) return;
  out.log_likelihood =
      -0.5 * (n * std::log(2 * std::numbers::pi * sigma2) + w.log_determinant + w.sum / sigma2);
  out.admitted = std::isfinite(out.log_likelihood);
  if (order == Order::value || !out.admitted) return;

  // ---- Gradient of -2 l by lags and columns, then by parameters ----
  const double sum = w.sum;
  w.smooth();
  w.filter_columns();
  VectorXd of_start, by_lag, by_column;
  w.start_gradient(w.lambda, sigma2, of_start);
  w.sum_gradient(by_lag, by_column);
  const MatrixXd J = w.lag_jacobian(theta);
  const VectorXd lag_total = of_start + by_lag / sigma2;
  VectorXd g = maths::cross(J, lag_total);
  const auto sigma = static_cast<Index>(w.at.count);
  for (std::size_t j = 0; j < w.at.regression.size(); ++j)
    g(static_cast<Index>(w.at.regression[j])) = by_column(static_cast<Index>(j)) / sigma2;
  g(sigma) = n / sigma2 - sum / (sigma2 * sigma2);
  out.gradient.assign(static_cast<std::size_t>(w.k), 0.0);
  for (Index i = 0; i < w.k; ++i) out.gradient[static_cast<std::size_t>(i)] = -0.5 * g(i);
  if (order == Order::gradient) return;

  // ---- Second derivatives of S, carried to the parameters ----
  const bool full = order == Order::hessian;
  const MatrixXd of_sum = w.sum_hessian(full);
  MatrixXd to_parameters = MatrixXd::Zero(of_sum.rows(), w.k);
  to_parameters.topRows(J.rows()) = J;
  for (std::size_t j = 0; j < w.at.regression.size(); ++j)
    to_parameters(J.rows() + static_cast<Index>(j), static_cast<Index>(w.at.regression[j])) = 1;
  MatrixXd H = maths::cross(to_parameters, maths::product(of_sum, to_parameters));
  std::vector<double>& packed_out = full ? out.hessian : out.information;
  if (full) {
    const auto split = static_cast<Index>(w.ar.lags.size());
    w.ar.add_curvature({by_lag.data(), static_cast<std::size_t>(split)}, H);
    w.ma.add_curvature({by_lag.data() + split, static_cast<std::size_t>(by_lag.size() - split)}, H);
    H /= sigma2;
    // S's gradient by the parameters, the start's part of S in it, for the mixed derivatives.
    VectorXd of_S = maths::cross(J, by_lag);
    if (w.r > 0)
      for (Index i = 0; i < by_lag.size(); ++i)
        of_S -= J.row(i).transpose() *
                static_cast<double>(w.lambda.dot(w.moved[static_cast<std::size_t>(i)] * w.lambda));
    for (std::size_t j = 0; j < w.at.regression.size(); ++j)
      of_S(static_cast<Index>(w.at.regression[j])) = by_column(static_cast<Index>(j));
    H.row(sigma) = -of_S.transpose() / (sigma2 * sigma2);
    H.col(sigma) = H.row(sigma).transpose();
    H(sigma, sigma) = -n / (sigma2 * sigma2) + 2 * sum / (sigma2 * sigma2 * sigma2);
    if (start_curvature && w.lag_count() > 0) w.add_start_hessian(theta, sigma2, H);
    H *= -0.5;
  } else {
    H /= 2 * sigma2;  // of -l: expected information, its cross terms with sigma2 being zero
    H(sigma, sigma) = n / (2 * sigma2 * sigma2);
  }
  packed_out.resize(packed_size(static_cast<std::size_t>(w.k)));
  for (Index j = 0; j < w.k; ++j)
    for (Index i = 0; i <= j; ++i)
      packed_out[packed(static_cast<std::size_t>(j), static_cast<std::size_t>(i))] = H(j, i);
}

bool ExactLikelihood::state_at_end(std::span<const double> theta, ArmaState& out) {
  if (work_->n < work_->r) {  // the start itself reaches beyond the end
    Innovations found;
    if (!filter(work_->model, work_->data, theta, found)) return false;
    out = std::move(found.end);
    return true;
  }
  if (!work_->prepare(theta)) return false;
  work_->state_at_end(theta, out);
  return true;
}

std::vector<double> ExactLikelihood::scores(std::span<const double> theta) {
  return exact_scores(work_->model, work_->data, theta);
}

}  // namespace brace::inline v0
