// SPDX-License-Identifier: Apache-2.0
// Partitions of a mean. Covered by tests/hypothesis/mean_breaks_test.cpp.
#include "hypothesis/mean_segments.hpp"

#include <algorithm>
#include <limits>

namespace brace::inline v0::hypothesis::breaks {

// Least-squares dates of 1 .. most breaks in segments of at least h; `previous[m][j]` is the last
// break before j when m breaks stand in the first j observations.
std::vector<BaiPerron::Partition> best_partitions(const MeanSegments& segments, std::size_t n,
                                                  std::size_t h, int most) {
  std::vector<double> before(n + 1, std::numeric_limits<double>::infinity()), now(n + 1);
  for (std::size_t j = h; j <= n; ++j) before[j] = segments.ssr(0, j);
  std::vector<BaiPerron::Partition> out{{{}, before[n], 0, 0}};
  std::vector<std::vector<std::size_t>> previous;
  for (int m = 1; m <= most; ++m) {
    const std::size_t least = (static_cast<std::size_t>(m) + 1) * h;
    if (least > n) break;
    previous.emplace_back(n + 1);
    std::fill(now.begin(), now.end(), std::numeric_limits<double>::infinity());
    for (std::size_t j = least; j <= n; ++j)
      for (std::size_t i = least - h; i + h <= j; ++i) {
        const double total = before[i] + segments.ssr(i, j);
        if (total < now[j]) {
          now[j] = total;
          previous.back()[j] = i;
        }
      }
    BaiPerron::Partition best{std::vector<std::size_t>(static_cast<std::size_t>(m)), now[n], 0, 0};
    std::size_t at = n;
    for (std::size_t b = best.breaks.size(); b-- > 0;) best.breaks[b] = at = previous[b][at];
    out.push_back(std::move(best));
    std::swap(before, now);
  }
  return out;
}

Statistics statistics(const std::vector<BaiPerron::Partition>& partitions, std::size_t n) {
  const auto N = static_cast<double>(n);
  Statistics out;
  for (std::size_t k = 1; k < partitions.size(); ++k) {
    const auto breaks = static_cast<double>(k);
    const double s2 = partitions[k].ssr / (N - breaks - 1);
    out.F.push_back((partitions[0].ssr - partitions[k].ssr) / breaks / s2);
    out.ud = std::max(out.ud, out.F.back());
    out.wd = std::max(out.wd, kWeights[k - 1] * out.F.back());
  }
  return out;
}

}  // namespace brace::inline v0::hypothesis::breaks
