// SPDX-License-Identifier: Apache-2.0
// Hill's index and the extreme days. Covered by tests/hypothesis/first_look_test.cpp.
#include "brace/hypothesis/tails.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/given_or.hpp"
#include "brace/base/error.hpp"
#include "brace/hypothesis/moments.hpp"

namespace brace::inline v0 {

TailIndex tail_index(const Series& series, TailSide tail, std::optional<std::size_t> k) {
  require_usable(series, 100, "a tail index");
  const std::vector<double> y = series.present_values();
  const double median = brace::maths::median(y);
  std::vector<double> sizes;
  for (const double v : y) {
    const double d = v - median;
    if (d == 0 || (tail == TailSide::left && d > 0) || (tail == TailSide::right && d < 0)) continue;
    sizes.push_back(std::abs(d));
  }
  TailIndex out;
  out.tail = tail;
  out.k = given_or(k, std::max<std::size_t>(10, sizes.size() / 20), "k");
  if (out.k >= sizes.size())
    throw Error(
        ErrorCode::bad_option,
        fmt::format("tail_index: k = {} of {} values that differ from the median; choose fewer",
                    out.k, sizes.size()));
  const auto last = sizes.begin() + static_cast<std::ptrdiff_t>(out.k);
  std::nth_element(sizes.begin(), last, sizes.end(), std::greater<>());
  out.threshold = *last;
  double sum = 0;
  for (auto x = sizes.begin(); x != last; ++x) sum += std::log(*x / out.threshold);
  if (!(sum > 0))
    throw Error(
        ErrorCode::constant_series,
        fmt::format("tail_index: the {} largest values of {} are equal", out.k + 1, series.name));
  out.alpha = static_cast<double>(out.k) / sum;
  out.se = out.alpha / std::sqrt(static_cast<double>(out.k));
  return out;
}

std::vector<ExtremeRow> extremes(const Series& series, std::size_t count) {
  require_usable(series, 5, "a list of extremes");
  const std::vector<double> y = series.present_values();
  const double median = brace::maths::median(y);
  std::vector<double> deviations;
  for (const double v : y) deviations.push_back(std::abs(v - median));
  double scale = 1.4826 * brace::maths::median(deviations);
  if (!(scale > 0)) {  // more than half of the values are the same
    for (const double d : deviations) scale += d * d / static_cast<double>(y.size());
    scale = std::sqrt(scale);
  }
  std::vector<ExtremeRow> out;
  for (std::size_t i = 0; i < series.size(); ++i)
    if (!std::isnan(series.values[i]))
      out.push_back({i, i < series.times.size() ? std::optional(series.times[i]) : std::nullopt,
                     series.values[i], (series.values[i] - median) / scale});
  count = std::min(count, out.size());
  const auto farther = [](const ExtremeRow& a, const ExtremeRow& b) {
    return std::abs(a.sizes) != std::abs(b.sizes) ? std::abs(a.sizes) > std::abs(b.sizes)
                                                  : a.index < b.index;
  };
  std::partial_sort(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(count), out.end(),
                    farther);
  out.resize(count);
  return out;
}

}  // namespace brace::inline v0
