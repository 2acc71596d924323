// SPDX-License-Identifier: Apache-2.0
// Passes over a variance that is linear in two lags of e^2 and of itself, under any law, in lanes.
// All is in an unnamed namespace, on purpose in a header (vector.hpp).
//
//   h[t+1] = a0 + a1 e[t]^2 + b1 h[t] + v[t],   v[t+1] = a2 e[t]^2 + b2 h[t]
//
// As one_state.hpp, with a state of two numbers: pieces start where the linear recursion of the
// rows before ends, and D of a piece is patched by that of its own start. What h and v of the first
// row are is a parameter each, so that a model's presample values are its own affair.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/law_rows.hpp"
#include "likelihood/lanes/vector.hpp"

namespace brace::inline v0 {
namespace {  // NOLINT: see the head of this file

using namespace two_lag_place;

template <StateLaw L, class V>
struct TwoLags {
  static constexpr int W = lanes_of<V>;
  static constexpr std::size_t kFree = kOfLaw, S = shapes_of(L),
                               kPairs = kTwoLagParameters * (kTwoLagParameters + 1) / 2;

  // A number of the state and its derivatives.
  template <class T>
  struct State {
    T h{}, v{}, Dh[kFree] = {}, Dv[kFree] = {};
  };
  template <class T>
  struct Numbers {
    T mu, a0, a1, a2, b1, b2;
    explicit Numbers(const double* p)
        : mu(all<T>(p[0])),
          a0(all<T>(p[1])),
          a1(all<T>(p[2])),
          a2(all<T>(p[3])),
          b1(all<T>(p[4])),
          b2(all<T>(p[5])) {}
    void step(State<T>& s, const T& q) const {
      const T h = (a0 + a1 * q) + (b1 * s.h + s.v);
      s.v = a2 * q + b2 * s.h;
      s.h = h;
    }
    void step_with_slopes(State<T>& s, const T& e, const T& q) const {
      unrolled<kFree>([&](auto i) {
        const T d = b1 * s.Dh[i] + s.Dv[i];
        s.Dv[i] = b2 * s.Dh[i];
        s.Dh[i] = d;
      });
      s.Dh[0] -= 2 * a1 * e;
      s.Dv[0] -= 2 * a2 * e;
      s.Dh[1] += 1.0;
      s.Dh[kA1] += q;
      s.Dv[kA2] += q;
      s.Dh[kB1] += s.h;
      s.Dv[kB2] += s.h;
      step(s, q);
    }
  };
  template <class T>
  struct Rows {
    const double* y;
    std::size_t rows;
    double *h, *over_sd, *of_h, *of_v;  // l_h, then lambda of h; lambda of v
    Numbers<T> p;
    State<T> start{}, end{};
    T lambda_h{}, lambda_v{}, first_h{}, first_v{};  // beyond the last row, and at the first
  };
  template <class T>
  struct Totals {
    T value{}, least = all<T>(1), first[kTwoLagParameters] = {}, second[kPairs] = {};
  };

  const TwoLagPoint& point;
  Rows<V> body;
  Rows<double> head;
  double M[2][2];  // the homogeneous recursion over a piece

  TwoLags(const LaneSeries& series, const TwoLagPoint& of, StateWork& work)
      : point(of),
        body(rows_of<V>(series.lanes, series.n / W, of, work, 0)),
        head(rows_of<double>(series.rest, series.n % W, of, work, work.each - kMostLanes)) {
    head.start.h = of.theta[kFirstH];
    head.start.v = of.theta[kFirstV];
    head.start.Dh[kFirstH] = head.start.Dv[kFirstV] = 1;
    raise(of.theta[kB1], of.theta[kB2], body.rows);
  }
  template <class T>
  static Rows<T> rows_of(const double* y, std::size_t rows, const TwoLagPoint& of, StateWork& work,
                         std::size_t from) {
    double* const w = work.rows + from;
    const std::size_t each = work.each;
    return {y, rows, w, w + each, w + 2 * each, w + 3 * each, Numbers<T>(of.theta)};
  }

  // M = ((b1, 1), (b2, 0)) to the power of the rows of a piece.
  void raise(double b1, double b2, std::size_t power) {
    double base[2][2] = {{b1, 1}, {b2, 0}}, out[2][2] = {{1, 0}, {0, 1}};
    const auto multiply = [](double(&a)[2][2], const double(&b)[2][2]) {
      const double c[2][2] = {
          {a[0][0] * b[0][0] + a[0][1] * b[1][0], a[0][0] * b[0][1] + a[0][1] * b[1][1]},
          {a[1][0] * b[0][0] + a[1][1] * b[1][0], a[1][0] * b[0][1] + a[1][1] * b[1][1]}};
      std::memcpy(a, c, sizeof c);
    };
    for (; power > 0; power >>= 1) {
      if (power & 1) multiply(out, base);
      double square[2][2];
      std::memcpy(square, base, sizeof base);
      multiply(base, square);
    }
    std::memcpy(M, out, sizeof out);
  }

  template <class T>
  static void walk(Rows<T>& r) {
    r.end = r.start;
    for (std::size_t t = 0; t < r.rows; ++t) {
      const T e = load<T>(r.y + t * lanes_of<T>) - r.p.mu;
      r.p.step(r.end, e * e);
    }
  }

  template <bool Slopes, class T>
  void forward(Rows<T>& r, Totals<T>& totals) const {
    constexpr int N = lanes_of<T>;
    LawRows<L, T> law(point.law.numbers);
    State<T> s = r.start;
    T g[kFree] = {}, logs{}, least = totals.least;
    std::size_t t = 0;
    while (t < r.rows) {
      const std::size_t stop = std::min(r.rows, t + kRowsOfAProduct);
      T variances = all<T>(1);
      for (; t < stop; ++t) {
        const T e = load<T>(r.y + t * N) - r.p.mu, q = e * e, over_h = 1 / s.h,
                over_sd = root_of(over_h), z = e * over_sd;
        variances *= s.h;
        least = s.h < least ? s.h : least;
        if constexpr (!Slopes) {
          law.value(z);
          r.p.step(s, q);
        } else {
          const T by_z = law.slope(z), l_h = (-0.5 - 0.5 * z * by_z) * over_h;
          store(r.h + t * N, s.h);
          store(r.over_sd + t * N, over_sd);
          store(r.of_h + t * N, l_h);
          unrolled<kFree>([&](auto i) { g[i] += l_h * s.Dh[i]; });
          g[0] -= by_z * over_sd;
          r.p.step_with_slopes(s, e, q);
        }
      }
      law.flush();
      logs += any_log_of(variances);
    }
    r.end = s;
    totals.least = least;
    totals.value = law.total() - 0.5 * logs;
    if constexpr (Slopes) {
      for (std::size_t i = 0; i < kFree; ++i) totals.first[i] = g[i];
      unrolled<S>([&](auto i) { totals.first[kOfLaw + i] = law.by_shape[i]; });
      if constexpr (S > 0) totals.first[kOfLaw] += law.rest();
    }
  }

  template <class T>
  void backward(Rows<T>& r, bool keep) const {
    constexpr int N = lanes_of<T>;
    T h = r.lambda_h, v = r.lambda_v;
    for (std::size_t t = r.rows; t-- > 0;) {
      const T l_h = load<T>(r.of_h + t * N);
      if (keep) {
        store(r.of_h + t * N, h);
        store(r.of_v + t * N, v);
      }
      const T next = l_h + (r.p.b1 * h + r.p.b2 * v);
      v = h;
      h = next;
    }
    r.first_h = h;
    r.first_v = v;
  }

  template <LaneOrder O, class T>
  void second(Rows<T>& r, Totals<T>& totals) const {
    constexpr int N = lanes_of<T>;
    LawRows<L, T> law(point.law.numbers);
    State<T> s = r.start;
    T H[kPairs] = {}, squares{}, levels[kFree] = {};
    for (std::size_t t = 0; t < r.rows; ++t) {
      const T e = load<T>(r.y + t * N) - r.p.mu, q = e * e, over_sd = load<T>(r.over_sd + t * N),
              over_h = over_sd * over_sd, z = e * over_sd;
      s.h = load<T>(r.h + t * N);
      if constexpr (O == LaneOrder::hessian) {
        const T of_h = load<T>(r.of_h + t * N), of_v = load<T>(r.of_v + t * N);
        T by_z, by_zs[2];
        const T by_zz = law.bend(z, by_z, by_zs);
        const T X = by_z + z * by_zz, l_level = -0.5 - 0.5 * z * by_z, l_levels = 0.25 * z * X;
        const T half = 0.5 * (l_levels - l_level) * over_h * over_h;
        T y[kTwoLagParameters];
        unrolled<kFree>([&](auto i) { y[i] = half * s.Dh[i]; });
        y[0] += 0.5 * over_sd * X * over_h;
        y[kB1] += of_h;
        y[kB2] += of_v;
        H[0] += by_zz * over_h + 2 * (r.p.a1 * of_h + r.p.a2 * of_v);
        H[at(kA1, 0)] -= 2 * e * of_h;
        H[at(kA2, 0)] -= 2 * e * of_v;
        unrolled<S>([&](auto i) {
          y[kOfLaw + i] = -0.5 * z * by_zs[i] * over_h;
          H[at(kOfLaw + i, 0)] -= over_sd * by_zs[i];
        });
        unrolled<kFree>([&](auto j) {
          unrolled<j + 1>([&](auto i) { H[at(j, i)] += y[i] * s.Dh[j] + y[j] * s.Dh[i]; });
        });
        unrolled<S>([&](auto j) {
          unrolled<kFree>([&](auto i) { H[at(kOfLaw + j, i)] += y[kOfLaw + j] * s.Dh[i]; });
        });
      } else if constexpr (O == LaneOrder::products) {
        T row[kTwoLagParameters] = {}, by_shape[2] = {};
        LawRows<L, T> here(law);
        const T by_z = here.slope(z), l_h = (-0.5 - 0.5 * z * by_z) * over_h;
        law.score(z, by_shape);
        unrolled<kFree>([&](auto i) { row[i] = l_h * s.Dh[i]; });
        row[0] -= by_z * over_sd;
        unrolled<S>([&](auto i) { row[kOfLaw + i] = by_shape[i] + point.law.slope[i]; });
        unrolled<kOfLaw + S>(
            [&](auto j) { unrolled<j + 1>([&](auto i) { H[at(j, i)] += row[j] * row[i]; }); });
      } else {
        squares += over_h;
        T of_level[kFree];
        unrolled<kFree>([&](auto i) { levels[i] += of_level[i] = over_h * s.Dh[i]; });
        unrolled<kFree>([&](auto j) {
          unrolled<j + 1>([&](auto i) { H[at(j, i)] += of_level[j] * of_level[i]; });
        });
      }
      r.p.step_with_slopes(s, e, q);
    }
    if constexpr (O == LaneOrder::hessian)
      for (std::size_t i = 0; i < S; ++i)
        for (std::size_t j = 0; j <= i; ++j)
          H[at(kOfLaw + i, kOfLaw + j)] += law.by_shapes[at(i, j)];
    if constexpr (O == LaneOrder::scoring) {
      for (T& h : H) h *= point.law.hh;
      H[0] += point.law.ee * squares;
      for (std::size_t i = 0; i < S; ++i)
        for (std::size_t j = 0; j < kFree; ++j) H[at(kOfLaw + i, j)] += point.law.hs[i] * levels[j];
    }
    for (std::size_t i = 0; i < kPairs; ++i) totals.second[i] = H[i];
  }

  // Where each lane starts.
  void begin() {
    walk(head);
    walk(body);
    double h = head.end.h, v = head.end.v;
    for (int k = 0; k < W; ++k) {
      set_lane(body.start.h, k, h);
      set_lane(body.start.v, k, v);
      const double next = lane(body.end.h, k) + M[0][0] * h + M[0][1] * v;
      v = lane(body.end.v, k) + M[1][0] * h + M[1][1] * v;
      h = next;
    }
    // Where a piece starts moves all of it: its own h and v as if they were the first.
    body.start.Dh[kFirstH] = body.start.Dv[kFirstV] = all<V>(1);
  }

  bool run(LaneOrder order, double* sums) {
    for (std::size_t i = 0; i < kTwoLagSums; ++i) sums[i] = 0;
    begin();
    Totals<V> of_body;
    Totals<double> of_head;
    if (order == LaneOrder::value) {
      forward<false>(head, of_head);
      forward<false>(body, of_body);
    } else {
      forward<true>(head, of_head);
      forward<true>(body, of_body);
    }
    for (int k = 0; k < W; ++k)
      if (!(lane(of_body.least, k) > 0)) return false;
    if (!(of_head.least > 0)) return false;
    sums[0] = sum_of_lanes(of_body.value) + of_head.value;
    if (order == LaneOrder::value) return true;
    // D at the start of each lane, and what it adds to the gradient.
    double D[kFree][2];
    for (std::size_t i = 0; i < kFree; ++i) {
      const State<double>& from = head.end;
      D[i][0] = from.Dh[i];
      D[i][1] = from.Dv[i];
    }
    const State<V> local = body.end;
    const V by_h = of_body.first[kFirstH], by_v = of_body.first[kFirstV];
    for (std::size_t i = 0; i < kFree; ++i) {
      const bool own = i != kFirstH && i != kFirstV;  // has forcing inside a piece
      double sum = of_head.first[i] + (own ? sum_of_lanes(of_body.first[i]) : 0);
      for (int k = 0; k < W; ++k) {
        set_lane(body.start.Dh[i], k, D[i][0]);
        set_lane(body.start.Dv[i], k, D[i][1]);
        sum += lane(by_h, k) * D[i][0] + lane(by_v, k) * D[i][1];
        const double h = M[0][0] * D[i][0] + M[0][1] * D[i][1],
                     v = M[1][0] * D[i][0] + M[1][1] * D[i][1];
        D[i][0] = h + (own ? lane(local.Dh[i], k) : 0);
        D[i][1] = v + (own ? lane(local.Dv[i], k) : 0);
      }
      sums[1 + i] = sum;
    }
    for (std::size_t i = 0; i < S; ++i)
      sums[1 + kOfLaw + i] = sum_of_lanes(of_body.first[kOfLaw + i]) + of_head.first[kOfLaw + i];
    if (order == LaneOrder::gradient) return true;
    if (order == LaneOrder::hessian) lambdas();
    const auto both = [&]<LaneOrder O>() {
      second<O>(body, of_body);
      second<O>(head, of_head);
    };
    if (order == LaneOrder::hessian)
      both.template operator()<LaneOrder::hessian>();
    else if (order == LaneOrder::scoring)
      both.template operator()<LaneOrder::scoring>();
    else
      both.template operator()<LaneOrder::products>();
    for (std::size_t i = 0; i < kPairs; ++i)
      sums[1 + kTwoLagParameters + i] = sum_of_lanes(of_body.second[i]) + of_head.second[i];
    return true;
  }

  void lambdas() {
    backward(body, false);
    double h = 0, v = 0;
    for (int k = W; k-- > 0;) {
      set_lane(body.lambda_h, k, h);
      set_lane(body.lambda_v, k, v);
      const double next = lane(body.first_h, k) + M[0][0] * h + M[1][0] * v;
      v = lane(body.first_v, k) + M[0][1] * h + M[1][1] * v;
      h = next;
    }
    backward(body, true);
    head.lambda_h = h;
    head.lambda_v = v;
    backward(head, true);
  }
};

template <int W>
bool two_lags(StateLaw law, LaneOrder order, const LaneSeries& series, const TwoLagPoint& point,
              StateWork& work, double* sums) {
  using V = typename LaneVector<W>::type;
  using enum StateLaw;
  switch (law) {
    case normal: return TwoLags<normal, V>(series, point, work).run(order, sums);
    case student: return TwoLags<student, V>(series, point, work).run(order, sums);
    case skew_student: return TwoLags<skew_student, V>(series, point, work).run(order, sums);
    case ged: return TwoLags<ged, V>(series, point, work).run(order, sums);
  }
  return false;
}

}  // namespace
}  // namespace brace::inline v0
