// SPDX-License-Identifier: Apache-2.0
// The text that every kernel file compiles, once for each instruction set. Nothing in it may have
// external linkage: all is in an unnamed namespace, on purpose in a header.
//
//   #include "likelihood/lanes/pass.hpp"
//   const LaneKernels kPlainKernels = {"plain", 2, chunked<2>, side_by_side<2>};
//
// With e = y - mu and r = 1/h, all derivatives run forward beside
//   h = omega + alpha e^2 + gamma min(e, 0)^2 + beta h
// (Fiorentini, Calzolari and Panattoni 1996); the law's own are those of
// families/{normal,student}.hpp. Logarithms are of products of kProduct rows.
#pragma once

#include <cmath>
#include <cstring>

#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/vector.hpp"

namespace brace::inline v0 {
namespace {  // NOLINT: see the head of this file

// With unit variance and omega at its least, 1e-7, the product of so many is still a plain double.
constexpr std::size_t kProduct = 32;

// h of one row with its derivatives by mu (m), omega (w), alpha (a), beta (b) and gamma (c); those
// that are always zero (ww, wa, aa, ...) are left out.
template <class V>
struct LaneState {
  V h, m, w, a, b, c;
  V mm, ma, mb, wb, ab, bb, mc, cb;
};

template <class V>
struct LaneTotals {
  V at[kLaneSums];
};

// The state of the next row.
template <LaneFamily F, LaneOrder O, class V>
inline void advance(LaneState<V>& s, V omega, V alpha, V beta, V gamma, V e, V q) {
  constexpr bool kSigned = F == LaneFamily::gjr;
  V fall{};
  if constexpr (kSigned) fall = below(e);
  if constexpr (O == LaneOrder::hessian) {
    s.mm = 2 * alpha + beta * s.mm;
    s.ma = beta * s.ma - 2 * e;
    s.mb = s.m + beta * s.mb;
    s.wb = s.w + beta * s.wb;
    s.ab = s.a + beta * s.ab;
    s.bb = 2 * s.b + beta * s.bb;
    if constexpr (kSigned) {
      s.mm += e < 0 ? 2 * gamma : V{};
      s.mc = beta * s.mc - 2 * fall;
      s.cb = s.c + beta * s.cb;
    }
  }
  if constexpr (O != LaneOrder::value) {
    s.m = beta * s.m - 2 * alpha * e;
    s.w = 1 + beta * s.w;
    s.a = q + beta * s.a;
    s.b = s.h + beta * s.b;
    if constexpr (kSigned) {
      s.m -= 2 * gamma * fall;
      s.c = fall * fall + beta * s.c;
    }
  }
  V news = omega + alpha * q;
  if constexpr (kSigned) news += gamma * (fall * fall);
  s.h = news + beta * s.h;
}

// n rows from the state given: the sums of the law's terms, and the state after them.
template <LaneFamily F, LaneLaw L, LaneOrder O, class V, class Load>
inline void pass(const V* theta, LaneState<V>& state, std::size_t n, Load row,
                 LaneTotals<V>& totals) {
  constexpr bool kStudent = L == LaneLaw::student, kSigned = F == LaneFamily::gjr;
  const V mu = theta[0], omega = theta[1], alpha = theta[2], beta = theta[3], gamma = theta[5];
  // Of Student's law: k = nu - 2, c = (nu + 1) / 2.
  const V nu = kStudent ? theta[4] : all<V>(8), k = nu - 2, over_k = 1 / k, c = 0.5 * (nu + 1),
          half_nu = 0.5 * nu;
  V information_h = all<V>(0.5), information_e = all<V>(1);
  if constexpr (kStudent && O == LaneOrder::scoring) {
    information_h = 0.5 * nu / (nu + 3);
    information_e = nu * (nu + 1) / ((nu + 3) * k);
  }
  LaneState<V> s = state;
  V g[kLaneParameters] = {}, H[21] = {}, of_h[2] = {};
  V log_h{}, log_ratio{}, quadratic{};
  std::size_t t = 0;
  while (t < n) {
    const std::size_t end = t + kProduct < n ? t + kProduct : n;
    V product = all<V>(1), ratios = all<V>(1);
    for (; t < end; ++t) {
      const V e = row(t) - mu, q = e * e;
      product *= s.h;
      V r{}, le{}, lh{}, lee{}, leh{}, lhh{}, by_nu{};
      if constexpr (!kStudent) {
        r = 1 / s.h;
        const V z2 = q * r;
        quadratic += z2;
        if constexpr (O != LaneOrder::value) {
          le = -e * r;
          lh = 0.5 * r * (z2 - 1);
        }
        if constexpr (O == LaneOrder::hessian) {
          lee = -r;
          leh = e * r * r;
          lhh = r * r * (0.5 - z2);
        }
      } else {
        const V D = s.h * k + q;
        if constexpr (O == LaneOrder::value) {
          ratios *= D * over_k / s.h;
        } else {
          const V both = 1 / (s.h * D);  // one division serves 1/h and 1/D
          const V d = s.h * both, kd = k * d, ed = e * d, hd = s.h * d;
          r = D * both;
          ratios *= D * over_k * r;
          le = -2 * c * ed;
          lh = half_nu * r - c * kd;
          const V share = hd - over_k;
          g[4] -= c * share;
          if constexpr (O == LaneOrder::products)
            by_nu = -0.5 * any_log_of(D * over_k * r) - c * share;
          if constexpr (O == LaneOrder::hessian) {
            lee = -2 * c * (d - 2 * ed * ed);
            leh = 2 * c * ed * kd;
            lhh = c * kd * kd - half_nu * r * r;
            const V les = 2 * c * ed * hd - ed, lhs = 0.5 * (r - kd) - c * d + c * kd * hd;
            H[10] += lhs * s.m - les;
            H[11] += lhs * s.w;
            H[12] += lhs * s.a;
            H[13] += lhs * s.b;
            H[14] += c * (hd * hd - over_k * over_k) - share;
            if constexpr (kSigned) H[19] += lhs * s.c;
          }
        }
      }
      if constexpr (O != LaneOrder::value) {
        g[0] += lh * s.m - le;
        g[1] += lh * s.w;
        g[2] += lh * s.a;
        g[3] += lh * s.b;
        if constexpr (kSigned) g[5] += lh * s.c;
      }
      if constexpr (O == LaneOrder::products) {
        const V row_gradient[] = {lh * s.m - le, lh * s.w, lh * s.a, lh * s.b, by_nu, lh * s.c};
        for (std::size_t j = 0, at = 0; j < (kSigned ? 6 : kStudent ? 5 : 4); ++j)
          for (std::size_t i = 0; i <= j; ++i, ++at) H[at] += row_gradient[j] * row_gradient[i];
      }
      if constexpr (O == LaneOrder::scoring) {
        const V i = r * r, im = i * s.m, iw = i * s.w, ia = i * s.a;
        of_h[0] += r;
        H[0] += im * s.m;
        H[1] += im * s.w;
        H[2] += iw * s.w;
        H[3] += im * s.a;
        H[4] += iw * s.a;
        H[5] += ia * s.a;
        H[6] += im * s.b;
        H[7] += iw * s.b;
        H[8] += ia * s.b;
        H[9] += i * s.b * s.b;
        if constexpr (kStudent) {
          H[10] += r * s.m;
          H[11] += r * s.w;
          H[12] += r * s.a;
          H[13] += r * s.b;
        }
        if constexpr (kSigned) {
          const V ic = i * s.c;
          H[15] += ic * s.m;
          H[16] += ic * s.w;
          H[17] += ic * s.a;
          H[18] += ic * s.b;
          H[19] += r * s.c;
          H[20] += ic * s.c;
        }
      }
      if constexpr (O == LaneOrder::hessian) {
        const V cm = lhh * s.m, cw = lhh * s.w, ca = lhh * s.a;
        H[0] += cm * s.m - 2 * leh * s.m + lee + lh * s.mm;
        H[1] += (cm - leh) * s.w;
        H[2] += cw * s.w;
        H[3] += (cm - leh) * s.a + lh * s.ma;
        H[4] += cw * s.a;
        H[5] += ca * s.a;
        H[6] += (cm - leh) * s.b + lh * s.mb;
        H[7] += cw * s.b + lh * s.wb;
        H[8] += ca * s.b + lh * s.ab;
        H[9] += lhh * s.b * s.b + lh * s.bb;
        if constexpr (kSigned) {
          const V cc = lhh * s.c;
          H[15] += (cm - leh) * s.c + lh * s.mc;
          H[16] += cw * s.c;
          H[17] += ca * s.c;
          H[18] += cc * s.b + lh * s.cb;
          H[20] += cc * s.c;
        }
      }
      advance<F, O>(s, omega, alpha, beta, gamma, e, q);
    }
    log_h += any_log_of(product);
    if constexpr (kStudent) log_ratio += any_log_of(ratios);
  }
  state = s;
  if constexpr (O == LaneOrder::scoring) {
    for (int i = 0; i < 10; ++i) H[i] *= information_h;
    for (const int i : {15, 16, 17, 18, 20}) H[i] *= information_h;
    H[0] += information_e * of_h[0];
    if constexpr (kStudent) {
      const V cross = 3 / ((nu + 3) * (nu + 1) * k);
      for (int i = 10; i < 14; ++i) H[i] *= cross;
      H[19] *= cross;
    }
  }
  totals.at[0] = kStudent ? -0.5 * log_h - c * log_ratio : -0.5 * (log_h + quadratic);
  if constexpr (kStudent) g[4] -= 0.5 * log_ratio;
  for (std::size_t i = 0; i < kLaneParameters; ++i) totals.at[1 + i] = g[i];
  for (std::size_t i = 0; i < 21; ++i) totals.at[1 + kLaneParameters + i] = H[i];
}

// The state at the first row: e^2 and h before it are the presample value, the square of a fall
// half of it.
template <LaneFamily F, class V>
inline LaneState<V> first_state(const V* theta, V m, V m1, V m2) {
  V both = theta[2] + theta[3], zero{};
  if constexpr (F == LaneFamily::gjr) both += 0.5 * theta[5];
  return {.h = theta[1] + both * m,
          .m = both * m1,
          .w = all<V>(1),
          .a = m,
          .b = m,
          .c = 0.5 * m,
          .mm = both * m2,
          .ma = m1,
          .mb = m1,
          .wb = zero,
          .ab = zero,
          .bb = zero,
          .mc = 0.5 * m1,
          .cb = zero};
}

template <class V>
inline void set_lane(LaneState<V>& into, int k, const LaneState<double>& s) {
  set_lane(into.h, k, s.h);
  set_lane(into.m, k, s.m);
  set_lane(into.w, k, s.w);
  set_lane(into.a, k, s.a);
  set_lane(into.b, k, s.b);
  set_lane(into.c, k, s.c);
  set_lane(into.mm, k, s.mm);
  set_lane(into.ma, k, s.ma);
  set_lane(into.mb, k, s.mb);
  set_lane(into.wb, k, s.wb);
  set_lane(into.ab, k, s.ab);
  set_lane(into.bb, k, s.bb);
  set_lane(into.mc, k, s.mc);
  set_lane(into.cb, k, s.cb);
}

template <class V>
inline LaneState<double> lane(const LaneState<V>& s, int k) {
  return {lane(s.h, k),  lane(s.m, k),  lane(s.w, k),  lane(s.a, k),  lane(s.b, k),
          lane(s.c, k),  lane(s.mm, k), lane(s.ma, k), lane(s.mb, k), lane(s.wb, k),
          lane(s.ab, k), lane(s.bb, k), lane(s.mc, k), lane(s.cb, k)};
}

template <int W, LaneFamily F, LaneLaw L, LaneOrder O>
void chunked_pass(const LaneSeries& series, const double* theta, const LanePresample& presample,
                  double* sums) {
  using V = typename LaneVector<W>::type;
  const std::size_t rows = series.n / W, rest = series.n % W;
  V parameters[kLaneParameters];
  for (std::size_t i = 0; i < kLaneParameters; ++i) parameters[i] = all<V>(theta[i]);
  const double beta = theta[3];
  // Every piece from a state of zero ...
  LaneState<V> local{};
  for (std::size_t j = 0; j < rows; ++j) {
    const V e = load<V>(series.lanes + j * W) - parameters[0];
    advance<F, O>(local, parameters[1], parameters[2], parameters[3], parameters[5], e, e * e);
  }
  // ... to which the state at its start adds beta^rows times itself, and what beta's derivatives
  // make of that.
  const auto length = static_cast<double>(rows);
  const double b0 = std::pow(beta, length), b1 = beta > 0 ? length * b0 / beta : 0,
               b2 = beta > 0 ? (length - 1) * b1 / beta : 0;
  LaneState<double> at = first_state<F, double>(theta, presample.m, presample.m1, presample.m2);
  LaneState<V> start{};
  for (int k = 0; k < W; ++k) {
    set_lane(start, k, at);
    const LaneState<double> end = lane(local, k), from = at;
    at.h = end.h + b0 * from.h;
    at.m = end.m + b0 * from.m;
    at.w = end.w + b0 * from.w;
    at.a = end.a + b0 * from.a;
    at.b = end.b + b0 * from.b + b1 * from.h;
    at.mm = end.mm + b0 * from.mm;
    at.ma = end.ma + b0 * from.ma;
    at.mb = end.mb + b0 * from.mb + b1 * from.m;
    at.wb = end.wb + b0 * from.wb + b1 * from.w;
    at.ab = end.ab + b0 * from.ab + b1 * from.a;
    at.bb = end.bb + b0 * from.bb + 2 * b1 * from.b + b2 * from.h;
    at.c = end.c + b0 * from.c;
    at.mc = end.mc + b0 * from.mc;
    at.cb = end.cb + b0 * from.cb + b1 * from.c;
  }
  LaneTotals<V> totals;
  pass<F, L, O, V>(
      parameters, start, rows, [&](std::size_t j) { return load<V>(series.lanes + j * W); },
      totals);
  for (std::size_t i = 0; i < kLaneSums; ++i) {
    sums[i] = 0;
    for (int k = 0; k < W; ++k) sums[i] += lane(totals.at[i], k);
  }
  if (rest == 0) return;
  LaneTotals<double> more;
  LaneState<double> last = lane(start, W - 1);
  pass<F, L, O, double>(
      theta, last, rest, [&](std::size_t j) { return series.rest[j]; }, more);
  for (std::size_t i = 0; i < kLaneSums; ++i) sums[i] += more.at[i];
}

template <int W, LaneFamily F, LaneLaw L, LaneOrder O>
void side_by_side_pass(const LaneWindows& windows, const double* theta,
                       const LanePresample* presample, double* sums) {
  using V = typename LaneVector<W>::type;
  V parameters[kLaneParameters], m[3];
  for (std::size_t i = 0; i < kLaneParameters; ++i) parameters[i] = load<V>(theta + i * W);
  for (int k = 0; k < W; ++k) {
    set_lane(m[0], k, presample[k].m);
    set_lane(m[1], k, presample[k].m1);
    set_lane(m[2], k, presample[k].m2);
  }
  LaneState<V> state = first_state<F, V>(parameters, m[0], m[1], m[2]);
  LaneTotals<V> totals;
  const double* const y = windows.first;
  if (windows.stride == 1) {
    pass<F, L, O, V>(
        parameters, state, windows.n, [y](std::size_t t) { return load<V>(y + t); }, totals);
  } else {
    const std::size_t stride = windows.stride;
    const auto gather = [y, stride](std::size_t t) {
      V v{};
      for (int k = 0; k < W; ++k) set_lane(v, k, y[t + static_cast<std::size_t>(k) * stride]);
      return v;
    };
    pass<F, L, O, V>(parameters, state, windows.n, gather, totals);
  }
  std::memcpy(sums, totals.at, sizeof totals.at);
}

// The passes of a family and law by order.
template <int W, LaneFamily F, LaneLaw L>
struct LanePasses {
  static void chunked(LaneOrder order, const LaneSeries& series, const double* theta,
                      const LanePresample& presample, double* sums) {
    using Pass = void (*)(const LaneSeries&, const double*, const LanePresample&, double*);
    static constexpr Pass passes[] = {
        chunked_pass<W, F, L, LaneOrder::value>, chunked_pass<W, F, L, LaneOrder::gradient>,
        chunked_pass<W, F, L, LaneOrder::scoring>, chunked_pass<W, F, L, LaneOrder::hessian>,
        chunked_pass<W, F, L, LaneOrder::products>};
    passes[static_cast<int>(order)](series, theta, presample, sums);
  }
  static void side_by_side(LaneOrder order, const LaneWindows& windows, const double* theta,
                           const LanePresample* presample, double* sums) {
    using Pass = void (*)(const LaneWindows&, const double*, const LanePresample*, double*);
    static constexpr Pass passes[] = {side_by_side_pass<W, F, L, LaneOrder::value>,
                                      side_by_side_pass<W, F, L, LaneOrder::gradient>,
                                      side_by_side_pass<W, F, L, LaneOrder::scoring>,
                                      side_by_side_pass<W, F, L, LaneOrder::hessian>,
                                      side_by_side_pass<W, F, L, LaneOrder::products>};
    passes[static_cast<int>(order)](windows, theta, presample, sums);
  }
};

// Calls `use` with the passes of a family and law.
template <int W, class Use>
void with_passes(LaneFamily family, LaneLaw law, Use use) {
  using enum LaneFamily;
  using enum LaneLaw;
  if (family == garch) {
    if (law == normal)
      use(LanePasses<W, garch, normal>{});
    else
      use(LanePasses<W, garch, student>{});
  } else {
    if (law == normal)
      use(LanePasses<W, gjr, normal>{});
    else
      use(LanePasses<W, gjr, student>{});
  }
}

template <int W>
void chunked(LaneFamily family, LaneLaw law, LaneOrder order, const LaneSeries& series,
             const double* theta, const LanePresample& presample, double* sums) {
  with_passes<W>(family, law,
                 [&](auto passes) { passes.chunked(order, series, theta, presample, sums); });
}

template <int W>
void side_by_side(LaneFamily family, LaneLaw law, LaneOrder order, const LaneWindows& windows,
                  const double* theta, const LanePresample* presample, double* sums) {
  with_passes<W>(family, law,
                 [&](auto passes) { passes.side_by_side(order, windows, theta, presample, sums); });
}

}  // namespace
}  // namespace brace::inline v0
