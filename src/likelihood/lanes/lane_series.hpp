// SPDX-License-Identifier: Apache-2.0
// Numbers that begin where the widest vector may, and a series laid out in lanes.
//
//   LaneRows y = in_lanes(values, width);            // row j of piece c at j * width + c
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "likelihood/lanes/kernels.hpp"

namespace brace::inline v0 {

class LaneRows {
 public:
  explicit LaneRows(std::size_t n) : storage_(n + kMostLanes) {}
  [[nodiscard]] double* data() {
    constexpr std::uintptr_t kAlignment = sizeof(double) * kMostLanes;
    const auto at = reinterpret_cast<std::uintptr_t>(storage_.data());
    return storage_.data() + (kAlignment - at % kAlignment) % kAlignment / sizeof(double);
  }

 private:
  std::vector<double> storage_;
};

// y in `width` pieces of equal length; what is left over is not in it.
[[nodiscard]] inline LaneRows in_lanes(std::span<const double> y, std::size_t width) {
  const std::size_t pieces = y.size() / width;
  LaneRows rows(pieces * width);
  double* const lanes = rows.data();
  for (std::size_t j = 0; j < pieces; ++j)
    for (std::size_t c = 0; c < width; ++c) lanes[j * width + c] = y[c * pieces + j];
  return rows;
}

// Numbers of one array of StateWork: rows in lanes, then those that are left over.
[[nodiscard]] inline std::size_t rows_of_work(std::size_t n) {
  return (n + 2 * kMostLanes - 1) / kMostLanes * kMostLanes;
}

}  // namespace brace::inline v0
