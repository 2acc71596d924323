// SPDX-License-Identifier: Apache-2.0
// Vectors of doubles, a lane each, and the elementary functions that the passes need in all lanes
// at once. Nothing in it may have external linkage: every kernel file compiles it for another
// machine, so all is in an unnamed namespace, on purpose in a header.
//
//   using V = LaneVector<4>::type;
//   V s = exp_of(-0.5 * log_of(load<V>(h)));
//
// exp and log are within 1.3 units in the last place (tests/likelihood/lanes_test.cpp) for normal
// arguments; log asks for a positive one.
#pragma once

#include <cmath>
#include <cstring>
#if defined(__SSE2__)
#include <immintrin.h>
#endif

namespace brace::inline v0 {
namespace {  // NOLINT: see the head of this file

template <int W>
struct LaneVector {
  typedef double type __attribute__((vector_size(W * sizeof(double))));
};
template <>
struct LaneVector<1> {
  using type = double;
};

template <class V>
constexpr int lanes_of = sizeof(V) / sizeof(double);

template <class V>
struct LaneBits {
  typedef long long type __attribute__((vector_size(sizeof(V))));
};

template <class V>
inline V load(const double* from) {
  V v;
  std::memcpy(&v, from, sizeof v);
  return v;
}

template <class V>
inline void store(double* to, const V& v) {
  std::memcpy(to, &v, sizeof v);
}

template <class V>
inline double lane(const V& v, int k) {
  if constexpr (lanes_of<V> == 1)
    return v;
  else
    return v[k];
}

template <class V>
inline void set_lane(V& v, int k, double x) {
  if constexpr (lanes_of<V> == 1)
    v = x;
  else
    v[k] = x;
}

template <class V>
inline V all(double x) {
  return V{} + x;
}

template <class V>
inline double sum_of_lanes(const V& v) {
  double sum = 0;
  for (int k = 0; k < lanes_of<V>; ++k) sum += lane(v, k);
  return sum;
}

// The part of v below zero.
template <class V>
inline V below(const V& v) {
  return v < 0 ? v : V{};
}

// -1 where v is below zero, else 1.
template <class V>
inline V side_of(const V& v) {
  return v < 0 ? all<V>(-1) : all<V>(1);
}

template <class V>
inline V size_of(const V& v) {
  return v < 0 ? -v : v;
}

template <class V>
inline V root_of(const V& v) {
  if constexpr (lanes_of<V> == 1) {
    return std::sqrt(v);
#if defined(__SSE2__)
  } else if constexpr (lanes_of<V> == 2) {
    return V(_mm_sqrt_pd(__m128d(v)));
#endif
#if defined(__AVX__)
  } else if constexpr (lanes_of<V> == 4) {
    return V(_mm256_sqrt_pd(__m256d(v)));
#endif
#if defined(__AVX512F__)
  } else if constexpr (lanes_of<V> == 8) {
    return V(_mm512_sqrt_pd(__m512d(v)));
#endif
  } else {
    V out{};
    for (int k = 0; k < lanes_of<V>; ++k) set_lane(out, k, std::sqrt(lane(v, k)));
    return out;
  }
}

// x = n ln 2 + r, exp r by a polynomial of degree 11 through Chebyshev points, 2^n by the bits of
// the exponent. Arguments beyond +-708 are taken as +-708: no infinity, no denormal number.
template <class V>
inline V exp_of(const V& v) {
  if constexpr (lanes_of<V> == 1) {
    return std::exp(v < -708 ? -708 : v > 708 ? 708 : v);
  } else {
    using Bits = typename LaneBits<V>::type;
    constexpr double kRound = 0x1.8p52, kOverLn2 = 1.4426950408889634, kLn2 = 0x1.62e42fefap-1,
                     kRestOfLn2 = 0x1.cf79abc9e3b39p-40;
    const V low = v < -708 ? all<V>(-708) : v, x = low > 708 ? all<V>(708) : low;
    const V shifted = x * kOverLn2 + kRound, n = shifted - kRound;
    const V r = (x - n * kLn2) - n * kRestOfLn2;
    const V r2 = r * r, r4 = r2 * r2, r8 = r4 * r4;
    const V q01 = 0.5 + r * 0.16666666666666669,
            q23 = 0.04166666666662413 + r * 0.008333333333330062,
            q45 = 0.0013888888917213717 + r * 0.00019841269863053618,
            q67 = 2.4801521295954376e-05 + r * 2.7557268459997064e-06,
            q89 = 2.7620088445409746e-07 + r * 2.510038549551032e-08;
    const V q = (q01 + r2 * q23) + r4 * (q45 + r2 * q67) + r8 * q89;
    const V p = 1.0 + (r + r2 * q);
    return V(Bits(p) + (Bits(shifted) << 52));
  }
}

// v = 2^k (1 + f) with 1 + f within a factor of root 2 of one; s = f / (2 + f) and the series of
// the inverse hyperbolic tangent as in the classic library of Sun (e_log.c, 1993).
template <class V>
inline V log_of(const V& v) {
  if constexpr (lanes_of<V> == 1) {
    return std::log(v);
  } else {
    using Bits = typename LaneBits<V>::type;
    constexpr long long kRootHalf = 0x3fe6a09e667f3bcdLL;
    constexpr double kLn2 = 6.93147180369123816490e-01, kRestOfLn2 = 1.90821492927058770002e-10;
    const Bits bits = Bits(v), over = bits - kRootHalf;
    const V m = V(bits - (over & static_cast<long long>(0xfff0000000000000ULL)));
    // The exponent as a double without a conversion of 64 bits, which older machines lack.
    const Bits biased = (((over >> 52 & 0xfff) + 0x400) & 0xfff) | 0x4330000000000000LL;
    const V k = V(biased) - (4503599627370496.0 + 1024.0);
    const V f = m - 1.0, s = f / (2.0 + f), z = s * s, w = z * z;
    const V even = w * (3.999999999940941908e-01 +
                        w * (2.222219843214978396e-01 + w * 1.531383769920937332e-01));
    const V odd = z * (6.666666666666735130e-01 +
                       w * (2.857142874366239149e-01 +
                            w * (1.818357216161805012e-01 + w * 1.479819860511658591e-01)));
    const V half = 0.5 * f * f;
    return k * kLn2 - ((half - (s * (half + even + odd) + k * kRestOfLn2)) - f);
  }
}

// Of zeros, infinities and what is no number too, by the library.
template <class V>
inline V any_log_of(const V& v) {
  bool normal = true;
  for (int k = 0; k < lanes_of<V>; ++k)
    normal = normal && lane(v, k) > 1e-300 && lane(v, k) < 1e300;
  if (normal) return log_of(v);
  V out{};
  for (int k = 0; k < lanes_of<V>; ++k) set_lane(out, k, std::log(lane(v, k)));
  return out;
}

}  // namespace
}  // namespace brace::inline v0
