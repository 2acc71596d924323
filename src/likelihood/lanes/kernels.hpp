// SPDX-License-Identifier: Apache-2.0
// Passes over GARCH(1,1), and over GJR(1,1), with a constant mean in lanes of a vector register,
// compiled for several instruction sets and chosen when the program runs.
//
//   const brace::LaneKernels& kernels = brace::lane_kernels();
//   kernels.chunked(law, order, {.lanes = ..., .n = ...}, theta, presample, sums);
//
// The recursion waits for itself: one row cannot begin before h of the row before is known. Lanes
// break the wait in two ways. `chunked` cuts one series in W pieces, runs them side by side from
// zero, patches the state at the start of each (the recursion is linear in it) and runs again from
// there: equal to one scalar pass to rounding. `side_by_side` runs W windows of a series, or W
// points on one window, a lane each.
//
// A kernel's file must not define anything that another file may share: a function of the standard
// library compiled for a newer machine would be linked in the place of the plain one
// (tests/likelihood/lanes_test.cpp looks at the symbols).
#pragma once

#include <cstddef>
#include <vector>

namespace brace::inline v0 {

enum class LaneFamily { garch, gjr };
enum class LaneLaw { normal, student };
// `products` are sums of products of the rows' gradients.
enum class LaneOrder { value, gradient, scoring, hessian, products };

// mu, omega, alpha, beta, nu (read by Student's law only) and gamma (by gjr only), on data of about
// unit variance.
inline constexpr std::size_t kLaneParameters = 6;
// Log-likelihood without the law's constants, its gradient, and a packed lower triangle: of second
// derivatives (hessian), of the expected information in all but nu (scoring), or of products of
// rows' gradients.
inline constexpr std::size_t kLaneSums =
    1 + kLaneParameters + kLaneParameters * (kLaneParameters + 1) / 2;
inline constexpr int kMostLanes = 8;

// The mean of e^2 with its first and second derivative by mu: e^2 and h before the first row.
struct LanePresample {
  double m, m1, m2;
};

struct LaneSeries {
  const double* lanes;  // (n / width) x width: row j of every piece, then
  const double* rest;   // the n % width rows that are left over
  std::size_t n;
};

struct LaneWindows {
  const double* first;  // first row of the first window
  std::size_t n;        // rows of each
  std::size_t stride;   // rows from one window's start to the next's; 0: the same window
};

// ---- Any variance equation of one state under any law (one_state.hpp) ----

enum class StateFamily { garch, gjr, egarch, aparch };
enum class StateLaw { normal, student, skew_student, ged };

// mu, omega, alpha, beta, gamma, delta and two of the law, where the model has them.
inline constexpr std::size_t kStateParameters = 8;
namespace state_place {
enum : std::size_t { kMu, kOmega, kAlpha, kBeta, kGamma, kDelta, kShape };
}
// The log-likelihood without what depends on the law's shape alone, its gradient, and a packed
// lower triangle as above.
inline constexpr std::size_t kStateSums =
    1 + kStateParameters + kStateParameters * (kStateParameters + 1) / 2;

// What a pass must know of a law at its shape.
struct LawNumbers {
  double numbers[14];  // law_terms.cpp
  double slope[2];     // of the constant of ln f in the shape
  // Expected information of a row, of e in units of 1 / h, and of ln h; for scoring.
  double ee, hh, hs[2];
};

struct StatePoint {
  double theta[kStateParameters];
  // The state of the first row, h, ln h (egarch) or sd^delta (aparch), with its derivatives.
  double x, D[kStateParameters], D2[kStateParameters * (kStateParameters + 1) / 2];
  LawNumbers law;
  // E|z| with its derivatives, of egarch.
  double size, size1[2], size2[3];
};

// Room for the sweeps, and where the lanes began at the parameters before.
struct StateWork {
  double* rows;      // 8 arrays of `each` numbers, aligned
  std::size_t each;  // n and kMostLanes more, rounded up to kMostLanes
  double starts[kMostLanes];
  bool known = false;
};

// ---- A variance that is linear in two lags of e^2 and of itself (two_lags.hpp) ----

// mu, a0, a1, a2, b1, b2, h and v of the first row, and two of the law.
inline constexpr std::size_t kTwoLagParameters = 10;
namespace two_lag_place {
enum : std::size_t { kMean, kA0, kA1, kA2, kB1, kB2, kFirstH, kFirstV, kOfLaw };
}
inline constexpr std::size_t kTwoLagSums =
    1 + kTwoLagParameters + kTwoLagParameters * (kTwoLagParameters + 1) / 2;

struct TwoLagPoint {
  double theta[kTwoLagParameters];
  LawNumbers law;
};

struct LaneKernels {
  const char* name;  // as a compiler's -march
  int width;         // lanes

  // theta: kLaneParameters numbers; sums: kLaneSums.
  void (*chunked)(LaneFamily family, LaneLaw law, LaneOrder order, const LaneSeries& series,
                  const double* theta, const LanePresample& presample, double* sums);

  // Element (i, lane) of theta, and of sums, at i * width + lane; a presample a lane.
  void (*side_by_side)(LaneFamily family, LaneLaw law, LaneOrder order, const LaneWindows& windows,
                       const double* theta, const LanePresample* presample, double* sums);

  // sums: kStateSums. The rest of the series are its first rows here. False where the pieces do not
  // meet, or numbers leave the range in which they are to be trusted.
  bool (*one_state)(StateFamily family, StateLaw law, LaneOrder order, const LaneSeries& series,
                    const StatePoint& point, StateWork& work, double* sums);

  // The same; `work.known` and its starts are not looked at.
  bool (*two_lags)(StateLaw law, LaneOrder order, const LaneSeries& series,
                   const TwoLagPoint& point, StateWork& work, double* sums);

  // out[i] = sum of w[j] x[i + j] over j < lags, for i < n.
  void (*slide)(const double* w, std::size_t lags, const double* x, std::size_t n, double* out);

  // |x|^power of n numbers, 0 of 0.
  void (*powers)(const double* x, std::size_t n, double power, double* out);
};

// The fastest of those that this machine can run, or the plain ones (use_plain_kernels()).
[[nodiscard]] const LaneKernels& lane_kernels();
// All that it can run, plainest first.
[[nodiscard]] const std::vector<const LaneKernels*>& runnable_lane_kernels();

}  // namespace brace::inline v0
