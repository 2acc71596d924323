// SPDX-License-Identifier: Apache-2.0
// Order statistics of many ranks at once: a sorted sample tells the range, one pass counts the
// values in narrow bins of it, and only the bins that hold a rank are sorted. Covered by
// tests/maths/maths_test.cpp.
#include "maths/quantiles.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

namespace brace::inline v0::maths {
namespace {

// Values from which bins pay, the most of them, and the values in one on average.
constexpr std::size_t kMany = 400, kMostBins = 2048, kInOne = 4;
// The sample that spreads the bins, and what of it lies beyond the first and the last one, which
// take the tails.
constexpr std::size_t kSample = 128, kBeyond = 2;

std::vector<double> by_sorting(std::span<const double> values, std::span<const std::size_t> ranks) {
  std::vector<double> sorted(values.begin(), values.end()), out;
  std::sort(sorted.begin(), sorted.end());
  for (const std::size_t rank : ranks) out.push_back(sorted[rank]);
  return out;
}

class Bins {
 public:
  explicit Bins(std::span<const double> values)
      : values_(values),
        bin_of_(values.size()),
        count_(std::min(values.size() / kInOne, kMostBins)) {
    const auto bins = static_cast<double>(count_.size());
    std::array<double, kSample> sample{};
    for (std::size_t i = 0; i < kSample; ++i) sample[i] = values[i * values.size() / kSample];
    std::sort(sample.begin(), sample.end());
    const double low = sample[kBeyond], high = sample[kSample - 1 - kBeyond];
    const double scale = high > low ? (bins - 2) / (high - low) : 0;
    for (std::size_t i = 0; i < values.size(); ++i) {
      const double place = std::min(bins - 1, std::max(0.0, (values[i] - low) * scale + 1));
      bin_of_[i] = static_cast<std::uint16_t>(place);
    }
    for (const std::uint16_t bin : bin_of_) ++count_[bin];
  }

  std::vector<double> at(std::span<const std::size_t> ranks) {
    // Where each rank lies, and at which place of its bin.
    std::vector<std::size_t> bins, places;
    std::vector<char> wanted(count_.size());
    for (const std::size_t rank : ranks) {
      std::size_t bin = 0, below = 0;
      while (below + count_[bin] <= rank) below += count_[bin++];
      bins.push_back(bin);
      places.push_back(rank - below);
      wanted[bin] = 1;
    }
    std::vector<std::pair<std::uint16_t, double>> held;
    for (std::size_t i = 0; i < values_.size(); ++i)
      if (wanted[bin_of_[i]] != 0) held.emplace_back(bin_of_[i], values_[i]);
    std::sort(held.begin(), held.end());
    std::vector<double> out;
    for (std::size_t i = 0; i < ranks.size(); ++i) {
      const auto first =
          std::lower_bound(held.begin(), held.end(), bins[i],
                           [](const auto& one, std::size_t bin) { return one.first < bin; });
      out.push_back((first + static_cast<std::ptrdiff_t>(places[i]))->second);
    }
    return out;
  }

 private:
  std::span<const double> values_;
  std::vector<std::uint16_t> bin_of_;
  std::vector<std::size_t> count_;
};

}  // namespace

std::vector<double> order_statistics(std::span<const double> values,
                                     std::span<const std::size_t> ranks) {
  return values.size() < kMany ? by_sorting(values, ranks) : Bins(values).at(ranks);
}

std::vector<double> quantiles(std::span<const double> values, std::span<const double> p) {
  const auto n = static_cast<double>(values.size());
  std::vector<double> places;
  std::vector<std::size_t> ranks;
  for (const double order : p) {
    places.push_back(std::clamp(order * (n + 1) - 1, 0.0, n - 1));
    const auto rank = static_cast<std::size_t>(places.back());
    ranks.push_back(rank);
    ranks.push_back(std::min(rank + 1, values.size() - 1));
  }
  const std::vector<double> found = order_statistics(values, ranks);
  std::vector<double> out;
  for (std::size_t i = 0; i < places.size(); ++i)
    out.push_back(found[2 * i] +
                  (places[i] - std::floor(places[i])) * (found[2 * i + 1] - found[2 * i]));
  return out;
}

double mean_of_lowest(std::span<const double> values, std::size_t count, double last) {
  double sum = 0;
  std::size_t below = 0;
  for (const double v : values)
    if (v < last) {
      sum += v;
      ++below;
    }
  return (sum + static_cast<double>(count - below) * last) / static_cast<double>(count);
}

}  // namespace brace::inline v0::maths
