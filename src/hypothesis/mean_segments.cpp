// SPDX-License-Identifier: Apache-2.0
// Partitions of a mean. Covered by tests/hypothesis/mean_breaks_test.cpp.
#include "hypothesis/mean_segments.hpp"

#include <algorithm>
#include <limits>

namespace brace::inline v0::hypothesis::breaks {
namespace {

// The programme is quadratic in the dates that it looks at: on longer series in every so-manieth.
constexpr std::size_t kMostDates = 3000;

double total_of(const MeanSegments& segments, const std::vector<std::size_t>& breaks,
                std::size_t n) {
  double total = 0;
  std::size_t from = 0;
  for (const std::size_t b : breaks) {
    total += segments.ssr(from, b);
    from = b;
  }
  return total + segments.ssr(from, n);
}

// Each break moved to its best date between its neighbours, until none moves.
void refine(const MeanSegments& segments, std::size_t n, std::size_t h,
            BaiPerron::Partition& part) {
  for (bool moved = true; moved;) {
    moved = false;
    for (std::size_t b = 0; b < part.breaks.size(); ++b) {
      const std::size_t from = b > 0 ? part.breaks[b - 1] : 0,
                        to = b + 1 < part.breaks.size() ? part.breaks[b + 1] : n;
      std::size_t best = part.breaks[b];
      double least = segments.ssr(from, best) + segments.ssr(best, to);
      for (std::size_t at = from + h; at + h <= to; ++at)
        if (const double ssr = segments.ssr(from, at) + segments.ssr(at, to);
            ssr < least * (1 - 1e-14)) {
          least = ssr;
          best = at;
        }
      moved = moved || best != part.breaks[b];
      part.breaks[b] = best;
    }
  }
  part.ssr = total_of(segments, part.breaks, n);
}

}  // namespace

// Least-squares dates of 1 .. most breaks in segments of at least h; `previous[m][j]` is the last
// break before date j when m breaks stand before it.
std::vector<BaiPerron::Partition> best_partitions(const MeanSegments& segments, std::size_t n,
                                                  std::size_t h, int most) {
  // The dates looked at: all, or every so-manieth and the end.
  const std::size_t step = (n + kMostDates - 1) / kMostDates;
  std::vector<std::size_t> dates;
  for (std::size_t at = 0; at < n; at += step) dates.push_back(at);
  dates.push_back(n);
  const std::size_t last = dates.size() - 1;
  std::vector<double> before(last + 1, std::numeric_limits<double>::infinity()), now(last + 1);
  for (std::size_t j = 0; j <= last; ++j)
    if (dates[j] >= h) before[j] = segments.ssr(0, dates[j]);
  std::vector<BaiPerron::Partition> out{{{}, before[last], 0, 0}};
  std::vector<std::vector<std::size_t>> previous;
  for (int m = 1; m <= most; ++m) {
    const std::size_t least = (static_cast<std::size_t>(m) + 1) * h;
    if (least > n) break;
    previous.emplace_back(last + 1);
    std::fill(now.begin(), now.end(), std::numeric_limits<double>::infinity());
    const auto first = static_cast<std::size_t>(
        std::lower_bound(dates.begin(), dates.end(), least - h) - dates.begin());
    for (std::size_t j = first; j <= last; ++j)
      for (std::size_t i = first; dates[i] + h <= dates[j]; ++i) {
        const double total = before[i] + segments.ssr(dates[i], dates[j]);
        if (total < now[j]) {
          now[j] = total;
          previous.back()[j] = i;
        }
      }
    if (now[last] == std::numeric_limits<double>::infinity()) break;
    BaiPerron::Partition best{std::vector<std::size_t>(static_cast<std::size_t>(m)), now[last], 0,
                              0};
    std::size_t at = last;
    for (std::size_t b = best.breaks.size(); b-- > 0;) {
      at = previous[b][at];
      best.breaks[b] = dates[at];
    }
    if (step > 1) refine(segments, n, h, best);
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
