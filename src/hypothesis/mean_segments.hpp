// SPDX-License-Identifier: Apache-2.0
// Least-squares partitions of a mean as bare numbers; tools/laws/simulate_laws makes the laws of
// their F statistics from them.
#pragma once

#include <cstddef>
#include <numeric>
#include <vector>

#include "brace/hypothesis/mean_breaks.hpp"

namespace brace::inline v0::hypothesis::breaks {

inline constexpr double kTrim = 0.15;

// Of F_1 over F_k at 5 % on a grid of 1,000 steps: what WDmax weighs them by (Bai and Perron 1998).
inline constexpr double kWeights[] = {1.0, 1.20884, 1.45826, 1.74582, 2.24443};

// Sums of y and y^2 up to each observation, y centred.
class MeanSegments {
 public:
  explicit MeanSegments(const std::vector<double>& y) : sum_(y.size() + 1), squares_(y.size() + 1) {
    const double mean = std::accumulate(y.begin(), y.end(), 0.0) / static_cast<double>(y.size());
    for (std::size_t t = 0; t < y.size(); ++t) {
      const double d = y[t] - mean;
      sum_[t + 1] = sum_[t] + d;
      squares_[t + 1] = squares_[t] + d * d;
    }
  }
  // Squares around the mean of observations from + 1 .. to.
  [[nodiscard]] double ssr(std::size_t from, std::size_t to) const {
    const double s = sum_[to] - sum_[from];
    return squares_[to] - squares_[from] - s * s / static_cast<double>(to - from);
  }

 private:
  std::vector<double> sum_, squares_;
};

// Least-squares dates of 0 .. most breaks in segments of at least h; quadratic in n.
[[nodiscard]] std::vector<BaiPerron::Partition> best_partitions(const MeanSegments& segments,
                                                                std::size_t n, std::size_t h,
                                                                int most);

// F of k = 1 .. breaks against none, UDmax and WDmax of them.
struct Statistics {
  std::vector<double> F;
  double ud = 0, wd = 0;
};
[[nodiscard]] Statistics statistics(const std::vector<BaiPerron::Partition>& partitions,
                                    std::size_t n);

}  // namespace brace::inline v0::hypothesis::breaks
