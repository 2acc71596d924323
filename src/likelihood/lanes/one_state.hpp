// SPDX-License-Identifier: Apache-2.0
// Passes over any variance equation of one state, x[t+1] = F(x[t], e[t]), under any law, in lanes.
// Nothing in it may have external linkage: all is in an unnamed namespace, on purpose in a header.
//
//   const LaneKernels kPlainKernels = {..., one_state<2>};
//
// The series is cut in a piece a lane, its rows that are left over going first, one by one. With
// D = dx/dtheta, c = F_x, and lambda[t] the slope of all later terms in x[t+1], which one recursion
// backward gives (lambda[t-1] = l_x[t] + c[t] lambda[t]),
//   gradient = sum l_theta + l_x D
//   Hessian  = sum (l_xx + lambda F_xx) D D' + K D' + D K' + l_theta,theta + lambda F_theta,theta
//   K        = l_x,theta + lambda F_x,theta
// so that no second derivative of a state is carried along (the adjoint of second order, Griewank
// and Walther 2008, chapter 5). Three sweeps: forward, with D of every piece from zero, which is
// patched since D is linear in its start; lambda backward; forward again with D exact.
//
// What a piece starts from: where F is linear in x its end is that of a start at zero plus
// beta^rows times the start. egarch forgets its start at the rate of the product of c: pieces begin
// where those of the parameters before began, and Newton's correction by that product is repeated
// until ends and starts meet to 1e-12.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <utility>

#include "likelihood/lanes/kernels.hpp"
#include "likelihood/lanes/law_rows.hpp"
#include "likelihood/lanes/vector.hpp"

namespace brace::inline v0 {
namespace {  // NOLINT: see the head of this file

using namespace state_place;

// Whether a model has the parameter, and whether its state moves with it.
constexpr bool has(StateFamily family, StateLaw law, std::size_t p) {
  if (p == kGamma) return family != StateFamily::garch;
  if (p == kDelta) return family == StateFamily::aparch;
  return p < kGamma || p - kShape < shapes_of(law);
}
constexpr bool moves(StateFamily family, StateLaw law, std::size_t p) {
  return has(family, law, p) && (p < kShape || family == StateFamily::egarch);
}

// What a sweep keeps of each row for the next, a number a lane.
struct StateRows {
  double *x, *s, *slope, *level, *l_x, *c, *power, *log_u;
};

// Rows that run side by side, V wide, with what is known at their start and found at their end.
template <class V>
struct Piece {
  const double* y;
  std::size_t rows;
  StateRows keep;
  V x{}, end{}, product = all<V>(1);  // of c
  V D[kStateParameters] = {}, D_end[kStateParameters] = {};
  V l_x_end{};                 // sum of l_x times the product of c before it
  V lambda{}, lambda_start{};  // beyond the last row, and the slope in x of the first
};

// One shock; what a family does not use is not set.
template <class V>
struct Shock {
  V e, fall{}, side{}, tilt{};  // min(e, 0); sign, and alpha sign + gamma, of egarch
  V over_e{}, over_tilt{}, power{}, log_u{};
};

// One equation, with its numbers the same in all lanes.
template <StateFamily F, class V>
struct Equation {
  V mu, omega, alpha, beta, gamma, delta, kappa, kappa1[2];
  V over_delta, log_rise, log_fall, over_rise, over_fall;

  explicit Equation(const StatePoint& point)
      : mu(all<V>(point.theta[kMu])),
        omega(all<V>(point.theta[kOmega])),
        alpha(all<V>(point.theta[kAlpha])),
        beta(all<V>(point.theta[kBeta])),
        gamma(all<V>(point.theta[kGamma])),
        delta(all<V>(point.theta[kDelta])) {
    if constexpr (F == StateFamily::egarch) {
      kappa = all<V>(point.size);
      for (int i = 0; i < 2; ++i) kappa1[i] = all<V>(point.size1[i]);
    }
    if constexpr (F == StateFamily::aparch) {
      const double g = point.theta[kGamma];
      over_delta = all<V>(1 / point.theta[kDelta]);
      log_rise = all<V>(std::log(1 - g));
      log_fall = all<V>(std::log(1 + g));
      over_rise = all<V>(1 / (1 - g));
      over_fall = all<V>(-1 / (1 + g));
    }
  }

  // What a shock adds, but for what depends on the state. Of aparch u^delta and ln u with u = |e| -
  // gamma e, which cost most, are kept from the sweep before; a shock of 0 is no news.
  [[nodiscard]] Shock<V> shock(const V& e) const {
    Shock<V> of{.e = e};
    if constexpr (F == StateFamily::gjr) of.fall = below(e);
    if constexpr (F == StateFamily::egarch) {
      of.side = side_of(e);
      of.tilt = alpha * of.side + gamma;
    }
    return of;
  }
  [[nodiscard]] Shock<V> power(const V& e) const {
    Shock<V> of{.e = e};
    const V size = size_of(e);
    of.log_u = log_of(size < 1e-290 ? all<V>(1e-290) : size) + (e < 0 ? log_fall : log_rise);
    const V f = exp_of(delta * of.log_u);
    of.power = e == 0 ? V{} : f;
    return of;
  }
  [[nodiscard]] Shock<V> kept(const V& e, const StateRows& rows, std::size_t from) const {
    if constexpr (F != StateFamily::aparch) {
      return shock(e);
    } else {
      const V r = 1 / (e == 0 ? all<V>(1) : e);
      return {.e = e,
              .over_e = e == 0 ? V{} : r,
              .over_tilt = e < 0 ? over_fall : over_rise,
              .power = load<V>(rows.power + from),
              .log_u = load<V>(rows.log_u + from)};
    }
  }

  // F and its slope in x; z = e / sqrt h.
  [[nodiscard]] V next(const Shock<V>& of, const V& x, const V& z) const {
    if constexpr (F == StateFamily::egarch)
      return (omega - alpha * kappa + beta * x) + of.tilt * z;
    else if constexpr (F == StateFamily::aparch)
      return (omega + alpha * of.power) + beta * x;
    else if constexpr (F == StateFamily::gjr)
      return (omega + alpha * (of.e * of.e) + gamma * (of.fall * of.fall)) + beta * x;
    else
      return (omega + alpha * (of.e * of.e)) + beta * x;
  }
  [[nodiscard]] V fades(const Shock<V>& of, const V& z) const {
    if constexpr (F == StateFamily::egarch)
      return beta - 0.5 * (of.tilt * z);
    else
      return beta;
  }
  // D of the next row: c D + F_theta.
  template <StateLaw L>
  void move(const Shock<V>& of, const V& x, const V& s, const V& z, const V& c, V* D) const {
    unrolled<kStateParameters>([&](auto i) {
      if constexpr (moves(F, L, i)) D[i] *= c;
    });
    D[kOmega] += 1.0;
    D[kBeta] += x;
    if constexpr (F == StateFamily::egarch) {
      D[kMu] -= of.tilt * s;
      D[kAlpha] += of.side * z - kappa;
      D[kGamma] += z;
      unrolled<shapes_of(L)>([&](auto i) { D[kShape + i] -= alpha * kappa1[i]; });
    } else if constexpr (F == StateFamily::aparch) {
      D[kMu] -= alpha * delta * of.power * of.over_e;
      D[kAlpha] += of.power;
      D[kGamma] -= alpha * delta * of.power * of.over_tilt;
      D[kDelta] += alpha * of.power * of.log_u;
    } else {
      D[kMu] -= 2 * alpha * of.e;
      D[kAlpha] += of.e * of.e;
      if constexpr (F == StateFamily::gjr) {
        D[kMu] -= 2 * gamma * of.fall;
        D[kGamma] += of.fall * of.fall;
      }
    }
  }
};

// The state alone, from the piece's start to its end.
template <StateFamily F, class V>
void walk(const Equation<F, V>& p, Piece<V>& piece) {
  constexpr int W = lanes_of<V>;
  V x = piece.x, product = all<V>(1);
  for (std::size_t t = 0; t < piece.rows; ++t) {
    const V e = load<V>(piece.y + t * W) - p.mu;
    Shock<V> shock;
    V z{};
    if constexpr (F == StateFamily::aparch) {
      shock = p.power(e);
      store(piece.keep.power + t * W, shock.power);
      store(piece.keep.log_u + t * W, shock.log_u);
    } else {
      shock = p.shock(e);
    }
    if constexpr (F == StateFamily::egarch) z = e * exp_of(-0.5 * x);
    product *= p.fades(shock, z);
    x = p.next(shock, x, z);
  }
  piece.end = x;
  piece.product = product;
}

template <class V>
struct StateTotals {
  V value{}, worst{}, first[kStateParameters] = {},
                      second[kStateParameters * (kStateParameters + 1) / 2] = {};
};

// Forward: the terms of the law and, where `Slopes`, the gradient with what the later sweeps need.
template <StateFamily F, StateLaw L, bool Slopes, class V>
void forward(const Equation<F, V>& p, const double* law_numbers, Piece<V>& piece,
             StateTotals<V>& totals) {
  constexpr int W = lanes_of<V>;
  constexpr bool kLogs = F == StateFamily::egarch || F == StateFamily::aparch;
  LawRows<L, V> law(law_numbers);
  V x = piece.x, product = all<V>(1), D[kStateParameters], g[kStateParameters] = {}, G{}, logs{},
    worst{}, variances = all<V>(1);
  for (std::size_t i = 0; i < kStateParameters; ++i) D[i] = piece.D[i];
  std::size_t t = 0;
  while (t < piece.rows) {
    const std::size_t stop = std::min(piece.rows, t + kRowsOfAProduct);
    for (; t < stop; ++t) {
      const std::size_t to = t * W;
      const V e = load<V>(piece.y + to) - p.mu;
      V s, slope = all<V>(1), level = x;  // 1 / sd, d ln h / dx, ln h
      if constexpr (F == StateFamily::egarch) {
        s = exp_of(-0.5 * x);
        worst = size_of(x) > worst ? size_of(x) : worst;
      } else if constexpr (F == StateFamily::aparch) {
        level = 2 * p.over_delta * log_of(x);
        s = exp_of(-0.5 * level);
        slope = 2 * p.over_delta / x;
      } else {
        slope = 1 / x;
        s = root_of(slope);
        variances *= x;
      }
      if constexpr (kLogs) logs += level;
      const V z = e * s;
      const Shock<V> shock = p.kept(e, piece.keep, to);
      if constexpr (!Slopes) {
        law.value(z);
      } else {
        const V by_z = law.slope(z), by_level = -0.5 - 0.5 * z * by_z, l_x = by_level * slope,
                c = p.fades(shock, z);
        store(piece.keep.x + to, x);
        store(piece.keep.s + to, s);
        store(piece.keep.l_x + to, l_x);
        if constexpr (F != StateFamily::egarch) store(piece.keep.slope + to, slope);
        if constexpr (F == StateFamily::aparch) store(piece.keep.level + to, level);
        if constexpr (F == StateFamily::egarch) store(piece.keep.c + to, c);
        G += l_x * product;
        unrolled<kStateParameters>([&](auto i) {
          if constexpr (moves(F, L, i)) g[i] += l_x * D[i];
        });
        g[kMu] -= by_z * s;
        if constexpr (F == StateFamily::aparch) g[kDelta] -= by_level * level * p.over_delta;
        p.template move<L>(shock, x, s, z, c, D);
        product *= c;
      }
      x = p.next(shock, x, z);
    }
    law.flush();
    if constexpr (!kLogs) {
      logs += any_log_of(variances);
      variances = all<V>(1);
    }
  }
  piece.end = x;
  totals.value = law.total() - 0.5 * logs;
  totals.worst = worst;
  if constexpr (Slopes) {
    piece.product = product;
    for (std::size_t i = 0; i < kStateParameters; ++i) {
      piece.D_end[i] = D[i];
      totals.first[i] = g[i];
    }
    unrolled<shapes_of(L)>([&](auto i) { totals.first[kShape + i] += law.by_shape[i]; });
    if constexpr (shapes_of(L) > 0) totals.first[kShape] += law.rest();
    piece.l_x_end = G;
  }
}

// Backward: lambda of every row in the place of l_x.
template <StateFamily F, class V>
void backward(const Equation<F, V>& p, Piece<V>& piece, bool keep) {
  constexpr int W = lanes_of<V>;
  V lambda = piece.lambda;
  for (std::size_t t = piece.rows; t-- > 0;) {
    const V l_x = load<V>(piece.keep.l_x + t * W);
    if (keep) store(piece.keep.l_x + t * W, lambda);
    if constexpr (F == StateFamily::egarch)
      lambda = l_x + load<V>(piece.keep.c + t * W) * lambda;
    else
      lambda = l_x + p.beta * lambda;
  }
  piece.lambda_start = lambda;
}

// Forward again with D exact: second derivatives, expected information or products.
template <StateFamily F, StateLaw L, LaneOrder O, class V>
void second(const Equation<F, V>& p, const StatePoint& point, Piece<V>& piece,
            StateTotals<V>& totals) {
  constexpr int W = lanes_of<V>;
  constexpr std::size_t S = shapes_of(L);
  LawRows<L, V> law(point.law.numbers);
  V D[kStateParameters],
      H[kStateParameters * (kStateParameters + 1) / 2] = {}, lambdas{}, squares{},
                                                    levels[kStateParameters] = {};
  for (std::size_t i = 0; i < kStateParameters; ++i) D[i] = piece.D[i];
  for (std::size_t t = 0; t < piece.rows; ++t) {
    const std::size_t from = t * W;
    const V e = load<V>(piece.y + from) - p.mu, x = load<V>(piece.keep.x + from),
            s = load<V>(piece.keep.s + from), z = e * s;
    const Shock<V> shock = p.kept(e, piece.keep, from);
    V slope = all<V>(1), level = x, c = p.beta;
    if constexpr (F != StateFamily::egarch) slope = load<V>(piece.keep.slope + from);
    if constexpr (F == StateFamily::aparch) level = load<V>(piece.keep.level + from);
    if constexpr (F == StateFamily::egarch) c = load<V>(piece.keep.c + from);
    if constexpr (O == LaneOrder::hessian) {
      const V lambda = load<V>(piece.keep.l_x + from);
      V by_z, by_zs[2];
      const V by_zz = law.bend(z, by_z, by_zs);
      const V X = by_z + z * by_zz, l_level = -0.5 - 0.5 * z * by_z, l_levels = 0.25 * z * X,
              l_ee = by_zz * s * s, l_elevel = -0.5 * s * X;
      V half = 0.5 * l_levels, K[kStateParameters];
      K[kOmega] = V{};
      K[kBeta] = lambda;
      if constexpr (F == StateFamily::egarch) {
        half += 0.125 * lambda * shock.tilt * z;
        K[kMu] = 0.5 * lambda * shock.tilt * s - l_elevel;
        K[kAlpha] = -0.5 * lambda * shock.side * z;
        K[kGamma] = -0.5 * lambda * z;
        H[at(kAlpha, kMu)] -= lambda * shock.side * s;
        H[at(kGamma, kMu)] -= lambda * s;
        H[at(kMu, kMu)] += l_ee;
        lambdas += lambda;
      } else {
        half *= slope * slope;
        K[kMu] = -l_elevel * slope;
        K[kAlpha] = K[kGamma] = V{};
        if constexpr (F == StateFamily::aparch) {
          half -= 0.25 * p.delta * l_level * slope * slope;
          const V af = lambda * p.alpha * shock.power, by_e = p.delta * shock.power * shock.over_e,
                  level_d = -level * p.over_delta;
          K[kDelta] = slope * (l_levels * level_d - l_level * p.over_delta);
          H[at(kMu, kMu)] += l_ee + lambda * p.alpha * (p.delta - 1) * by_e * shock.over_e;
          H[at(kAlpha, kMu)] -= lambda * by_e;
          H[at(kGamma, kMu)] += af * p.delta * p.delta * shock.over_e * shock.over_tilt;
          H[at(kDelta, kMu)] -=
              l_elevel * level_d + af * (1 + p.delta * shock.log_u) * shock.over_e;
          H[at(kGamma, kAlpha)] -= lambda * p.delta * shock.power * shock.over_tilt;
          H[at(kDelta, kAlpha)] += lambda * shock.power * shock.log_u;
          H[at(kGamma, kGamma)] += af * p.delta * (p.delta - 1) * shock.over_tilt * shock.over_tilt;
          H[at(kDelta, kGamma)] -= af * (1 + p.delta * shock.log_u) * shock.over_tilt;
          H[at(kDelta, kDelta)] += af * shock.log_u * shock.log_u + l_levels * level_d * level_d +
                                   2 * l_level * level * p.over_delta * p.over_delta;
        } else {
          half -= 0.5 * l_level * slope * slope;
          V by_ee = 2 * p.alpha;
          if constexpr (F == StateFamily::gjr) {
            by_ee += e < 0 ? 2 * p.gamma : V{};
            H[at(kGamma, kMu)] -= 2 * lambda * shock.fall;
          }
          H[at(kMu, kMu)] += l_ee + lambda * by_ee;
          H[at(kAlpha, kMu)] -= 2 * lambda * e;
        }
      }
      unrolled<S>([&](auto i) {
        const V l_levels_s = -0.5 * z * by_zs[i];
        K[kShape + i] = l_levels_s * slope;
        H[at(kShape + i, kMu)] -= s * by_zs[i];
        if constexpr (F == StateFamily::aparch)
          H[at(kShape + i, kDelta)] -= l_levels_s * level * p.over_delta;
      });
      V y[kStateParameters];
      unrolled<kStateParameters>([&](auto j) {
        if constexpr (has(F, L, j)) {
          if constexpr (moves(F, L, j))
            y[j] = half * D[j] + K[j];
          else
            y[j] = K[j];
        }
      });
      unrolled<kStateParameters>([&](auto j) {
        unrolled<j + 1>([&](auto i) {
          if constexpr (has(F, L, j) && moves(F, L, i)) {
            if constexpr (moves(F, L, j))
              H[at(j, i)] += y[i] * D[j] + y[j] * D[i];
            else
              H[at(j, i)] += y[j] * D[i];
          }
        });
      });
    } else {
      // d ln h / dtheta of the row.
      V of_level[kStateParameters] = {};
      unrolled<kStateParameters>([&](auto i) {
        if constexpr (moves(F, L, i)) of_level[i] = slope * D[i];
      });
      if constexpr (F == StateFamily::aparch) of_level[kDelta] -= level * p.over_delta;
      if constexpr (O == LaneOrder::products) {
        V by_zs[2] = {}, row[kStateParameters] = {};
        LawRows<L, V> here(law);
        const V by_z = here.slope(z), l_level = -0.5 - 0.5 * z * by_z;
        law.score(z, by_zs);
        unrolled<kStateParameters>([&](auto i) { row[i] = l_level * of_level[i]; });
        row[kMu] -= by_z * s;
        unrolled<S>([&](auto i) { row[kShape + i] += by_zs[i] + point.law.slope[i]; });
        unrolled<kStateParameters>([&](auto j) {
          unrolled<j + 1>([&](auto i) {
            if constexpr (has(F, L, j) && has(F, L, i)) H[at(j, i)] += row[j] * row[i];
          });
        });
      } else {
        squares += s * s;
        unrolled<kStateParameters>([&](auto j) {
          levels[j] += of_level[j];
          unrolled<j + 1>([&](auto i) {
            if constexpr (moves(F, L, j) && moves(F, L, i))
              H[at(j, i)] += of_level[j] * of_level[i];
          });
        });
      }
    }
    p.template move<L>(shock, x, s, z, c, D);
  }
  if constexpr (O == LaneOrder::hessian) {
    for (std::size_t i = 0; i < S; ++i)
      for (std::size_t j = 0; j <= i; ++j) H[at(kShape + i, kShape + j)] += law.by_shapes[at(i, j)];
    if constexpr (F == StateFamily::egarch)
      for (std::size_t i = 0; i < S; ++i) {
        H[at(kShape + i, kAlpha)] -= p.kappa1[i] * lambdas;
        for (std::size_t j = 0; j <= i; ++j)
          H[at(kShape + i, kShape + j)] -= p.alpha * point.size2[at(i, j)] * lambdas;
      }
  }
  if constexpr (O == LaneOrder::scoring) {
    // Expected information of a row in e and ln h (LawInformation).
    for (V& h : H) h *= point.law.hh;
    H[0] += point.law.ee * squares;
    for (std::size_t i = 0; i < S; ++i)
      for (std::size_t j = 0; j < kShape + S; ++j) {
        const std::size_t q = kShape + i;
        if (j <= q) H[at(q, j)] += point.law.hs[i] * levels[j];
        if (j >= q) H[at(j, q)] += point.law.hs[i] * levels[j];
      }
  }
  for (std::size_t i = 0; i < kStateParameters * (kStateParameters + 1) / 2; ++i)
    totals.second[i] = H[i];
}

// Ends of lanes as the starts of the lanes after them: start(0) is given, start(k + 1) = end(k) of
// a start at `used` + c-product(k) (start(k) - used(k)). Returns how far starts moved.
template <class V>
double chain(double first, const V& end, const V& product, const V& used, double* starts) {
  double moved = 0, carry = first;
  for (int k = 0; k < lanes_of<V>; ++k) {
    starts[k] = carry;
    const double off = carry - lane(used, k);
    const double by = std::abs(off);
    if (!(by <= moved)) moved = by;
    if (std::isnan(by)) return by;
    carry = lane(end, k) + lane(product, k) * off;
  }
  return moved;
}

template <StateFamily F, StateLaw L, class V>
struct OneState {
  static constexpr int W = lanes_of<V>;
  static constexpr double kMeet = 1e-12;  // ends and starts of pieces, in ln h
  static constexpr int kMostSweeps = 8;

  const StatePoint& point;
  StateWork& work;
  Equation<F, V> p{point};
  Equation<F, double> p1{point};
  Piece<V> body;
  Piece<double> head;

  OneState(const LaneSeries& series, const StatePoint& at_point, StateWork& with)
      : point(at_point), work(with) {
    const std::size_t left = series.n % W, rows = series.n / W;
    head = {.y = series.rest, .rows = left, .keep = rows_from(work.each - kMostLanes)};
    body = {.y = series.lanes, .rows = rows, .keep = rows_from(0)};
    head.x = point.x;
    for (std::size_t i = 0; i < kStateParameters; ++i) head.D[i] = point.D[i];
  }

  // The head's rows stand behind the lanes', which are aligned.
  [[nodiscard]] StateRows rows_from(std::size_t from) const {
    double* const w = work.rows + from;
    const std::size_t each = work.each;
    return {
        w,           w + each, w + 2 * each, w + 3 * each, w + 4 * each, w + 5 * each, w + 6 * each,
        w + 7 * each};
  }

  bool run(LaneOrder order, double* sums) {
    for (std::size_t i = 0; i < kStateSums; ++i) sums[i] = 0;
    return order == LaneOrder::value ? values(sums) : derivatives(order, sums);
  }

  // Where the lanes begin, from the state alone.
  void begin() {
    walk(p1, head);
    const double first = head.rows > 0 ? head.end : point.x;
    double starts[W];
    if constexpr (F == StateFamily::egarch) {
      for (int k = 0; k < W; ++k) starts[k] = work.known ? work.starts[k] : first;
      starts[0] = first;
      body.x = load<V>(starts);
    } else {
      body.x = V{};
    }
    const V used = body.x;
    walk(p, body);
    chain(first, body.end, body.product, used, starts);
    body.x = load<V>(starts);
  }

  // Whether the ends of the last sweep forward are the starts that it used; else the next begins at
  // better ones.
  bool met() {
    if constexpr (F != StateFamily::egarch) return true;
    double starts[W];
    const V used = body.x;
    const double moved = chain(lane(used, 0), body.end, body.product, used, starts);
    body.x = load<V>(starts);
    return moved <= kMeet;
  }

  // A piece that magnifies what its start is off by so much has no numbers to be trusted.
  bool forgets() const {
    constexpr double kMagnified = 1e3;
    for (int k = 0; k < W; ++k)
      if (!(std::abs(lane(body.product, k)) < kMagnified)) return false;
    return true;
  }

  template <bool Slopes>
  bool sweep(StateTotals<V>& of_body, StateTotals<double>& of_head) {
    begin();
    forward<F, L, Slopes>(p1, point.law.numbers, head, of_head);
    for (int k = 0; k < kMostSweeps; ++k) {
      forward<F, L, Slopes>(p, point.law.numbers, body, of_body);
      if (!forgets()) break;
      if (met()) {
        store(work.starts, body.x);
        work.known = true;
        return true;
      }
    }
    work.known = false;
    return false;
  }

  bool far(const StateTotals<V>& of_body, const StateTotals<double>& of_head) const {
    if constexpr (F != StateFamily::egarch) return false;
    double worst = of_head.worst;
    for (int k = 0; k < W; ++k)
      worst = lane(of_body.worst, k) <= worst ? worst : lane(of_body.worst, k);
    return !(worst < 600);  // exp of half of it is far inside a double's range
  }

  bool values(double* sums) {
    StateTotals<V> of_body;
    StateTotals<double> of_head;
    if (!sweep<false>(of_body, of_head) || far(of_body, of_head)) return false;
    sums[0] = sum_of_lanes(of_body.value) + of_head.value;
    return true;
  }

  bool derivatives(LaneOrder order, double* sums) {
    StateTotals<V> of_body;
    StateTotals<double> of_head;
    if (!sweep<true>(of_body, of_head) || far(of_body, of_head)) return false;
    sums[0] = sum_of_lanes(of_body.value) + of_head.value;
    // D at the start of each lane, and what it adds to the gradient.
    double G[W];
    store(G, body.l_x_end);
    for (std::size_t i = 0; i < kStateParameters; ++i) {
      if (!moves(F, L, i)) {
        sums[1 + i] = sum_of_lanes(of_body.first[i]) + of_head.first[i];
        continue;
      }
      double carry = head.rows > 0 ? head.D_end[i] : point.D[i], sum = 0;
      for (int k = 0; k < W; ++k) {
        set_lane(body.D[i], k, carry);
        sum += G[k] * carry;
        carry = lane(body.D_end[i], k) + lane(body.product, k) * carry;
      }
      sums[1 + i] = sum_of_lanes(of_body.first[i]) + sum + of_head.first[i];
    }
    if (order == LaneOrder::gradient) return true;
    double at_start = 0;
    if (order == LaneOrder::hessian) at_start = lambdas();
    StateTotals<V> second_body;
    StateTotals<double> second_head;
    const auto both = [&]<LaneOrder O>() {
      second<F, L, O>(p, point, body, second_body);
      second<F, L, O>(p1, point, head, second_head);
    };
    if (order == LaneOrder::hessian)
      both.template operator()<LaneOrder::hessian>();
    else if (order == LaneOrder::scoring)
      both.template operator()<LaneOrder::scoring>();
    else
      both.template operator()<LaneOrder::products>();
    for (std::size_t i = 0; i < packed_state; ++i)
      sums[1 + kStateParameters + i] =
          sum_of_lanes(second_body.second[i]) + second_head.second[i] + at_start * point.D2[i];
    return true;
  }

  // lambda of every row; returns the slope of the whole in the first state.
  double lambdas() {
    backward(p, body, false);
    double carry = 0, ends[W];
    for (int k = W; k-- > 0;) {
      ends[k] = carry;
      carry = lane(body.lambda_start, k) + lane(body.product, k) * carry;
    }
    body.lambda = load<V>(ends);
    backward(p, body, true);
    if (head.rows == 0) return carry;
    head.lambda = carry;
    backward(p1, head, true);
    return head.lambda_start;
  }

  static constexpr std::size_t packed_state = kStateParameters * (kStateParameters + 1) / 2;
};

template <int W>
bool one_state(StateFamily family, StateLaw law, LaneOrder order, const LaneSeries& series,
               const StatePoint& point, StateWork& work, double* sums) {
  using V = typename LaneVector<W>::type;
  const auto under = [&]<StateFamily F>() {
    using enum StateLaw;
    switch (law) {
      case normal: return OneState<F, normal, V>(series, point, work).run(order, sums);
      case student: return OneState<F, student, V>(series, point, work).run(order, sums);
      case skew_student: return OneState<F, skew_student, V>(series, point, work).run(order, sums);
      case ged: return OneState<F, ged, V>(series, point, work).run(order, sums);
    }
    return false;
  };
  switch (family) {
    case StateFamily::garch: return under.template operator()<StateFamily::garch>();
    case StateFamily::gjr: return under.template operator()<StateFamily::gjr>();
    case StateFamily::egarch: return under.template operator()<StateFamily::egarch>();
    case StateFamily::aparch: return under.template operator()<StateFamily::aparch>();
  }
  return false;
}

}  // namespace
}  // namespace brace::inline v0
