// SPDX-License-Identifier: Apache-2.0
// Quantiles by selection. Covered by tests/maths/maths_test.cpp.
#include "maths/quantiles.hpp"

#include <algorithm>
#include <cmath>

namespace brace {
namespace {

// Puts the order statistics `ranks`, ascending, of values[from .. to) where they belong; the middle
// one first, so that the others look at half of what is left.
void select(std::span<double> values, std::size_t from, std::size_t to,
            std::span<const std::size_t> ranks) {
  if (ranks.empty() || to - from < 2) return;
  const std::size_t middle = ranks.size() / 2, rank = ranks[middle];
  const auto at = [&](std::size_t i) { return values.begin() + static_cast<std::ptrdiff_t>(i); };
  if (rank >= from && rank < to) std::nth_element(at(from), at(rank), at(to));
  select(values, from, std::max(from, rank), ranks.first(middle));
  select(values, std::min(to, rank + 1), to, ranks.subspan(middle + 1));
}

}  // namespace

std::vector<double> quantiles(std::span<double> values, std::span<const double> p) {
  const auto n = static_cast<double>(values.size());
  std::vector<std::size_t> ranks;
  std::vector<double> shares, out;
  for (const double order : p) {
    const double at = std::clamp(order * (n + 1) - 1, 0.0, n - 1), below = std::floor(at);
    ranks.push_back(static_cast<std::size_t>(below));
    shares.push_back(at - below);
  }
  select(values, 0, values.size(), ranks);
  for (std::size_t i = 0; i < ranks.size(); ++i) {
    const double below = values[ranks[i]];
    // The next one up lies before the next rank that was put in its place.
    const std::size_t after = ranks[i] + 1;
    std::size_t end = values.size();
    for (std::size_t j = i + 1; j < ranks.size() && end == values.size(); ++j)
      if (ranks[j] > ranks[i]) end = ranks[j] + 1;
    const double above =
        after < end ? *std::min_element(values.begin() + static_cast<std::ptrdiff_t>(after),
                                        values.begin() + static_cast<std::ptrdiff_t>(end))
                    : below;
    out.push_back(below + shares[i] * (above - below));
  }
  return out;
}

}  // namespace brace
