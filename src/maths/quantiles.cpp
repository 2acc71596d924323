// SPDX-License-Identifier: Apache-2.0
// Quantiles by selection from a bracket (Floyd and Rivest 1975): a sorted sample tells between
// which two values a rank lies, one pass without branches collects those, and only they are
// partitioned. Covered by tests/maths/maths_test.cpp.
#include "maths/quantiles.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace brace::inline v0::maths {
namespace {

// Values from which a sample pays, its size, and how many standard errors its bracket is wide.
constexpr std::size_t kMany = 2000, kSample = 256;
constexpr double kWide = 3.5;

// The order statistic of `rank` and the next one up, which is the same at the end.
struct Neighbours {
  double below, above;
};

Neighbours neighbours(std::vector<double>& values, std::size_t rank) {
  const auto at = values.begin() + static_cast<std::ptrdiff_t>(rank);
  std::nth_element(values.begin(), at, values.end());
  return {*at, at + 1 == values.end() ? *at : *std::min_element(at + 1, values.end())};
}

class Selection {
 public:
  explicit Selection(std::span<const double> values) : values_(values) {
    if (values.size() < kMany) return;
    for (std::size_t i = 0; i < kSample; ++i)
      sample_.push_back(values[i * values.size() / kSample]);
    std::sort(sample_.begin(), sample_.end());
  }

  Neighbours at(std::size_t rank) {
    if (!sample_.empty() && collect(rank)) return neighbours(bracket_, rank - below_);
    bracket_.assign(values_.begin(), values_.end());
    return neighbours(bracket_, rank);
  }

 private:
  // False where the sample misled: the rank or the next one lies outside.
  bool collect(std::size_t rank) {
    const double p = static_cast<double>(rank) / static_cast<double>(values_.size());
    const double centre = p * kSample, reach = kWide * std::sqrt(kSample * p * (1 - p)) + 1;
    const auto sampled = [&](double place) {
      return sample_[static_cast<std::size_t>(std::clamp(place, 0.0, kSample - 1.0))];
    };
    const bool from_start = centre<reach, to_end = centre + reach> kSample - 1;
    const double low = from_start ? -HUGE_VAL : sampled(centre - reach),
                 high = to_end ? HUGE_VAL : sampled(centre + reach);
    bracket_.resize(values_.size());
    below_ = 0;
    std::size_t inside = 0;
    for (const double v : values_) {
      below_ += v < low ? 1 : 0;
      bracket_[inside] = v;
      inside += v >= low && v <= high ? 1 : 0;
    }
    bracket_.resize(inside);
    const std::size_t last = std::min(rank + 1, values_.size() - 1);
    return rank >= below_ && last < below_ + inside;
  }

  std::span<const double> values_;
  std::vector<double> sample_, bracket_;
  std::size_t below_ = 0;  // values below the bracket
};

}  // namespace

std::vector<double> quantiles(std::span<const double> values, std::span<const double> p) {
  const auto n = static_cast<double>(values.size());
  Selection selection(values);
  std::vector<double> out;
  for (const double order : p) {
    const double at = std::clamp(order * (n + 1) - 1, 0.0, n - 1);
    const auto [below, above] = selection.at(static_cast<std::size_t>(at));
    out.push_back(below + (at - std::floor(at)) * (above - below));
  }
  return out;
}

}  // namespace brace::inline v0::maths
