// SPDX-License-Identifier: Apache-2.0
// Made series for the tests of hypotheses: white noise and random walks by stream.
#pragma once

#include <string>

#include "brace/maths/random.hpp"
#include "brace/series/series.hpp"

namespace brace::test {

inline Series white(std::uint64_t stream, int n) {
  RandomStream random(7, stream);
  std::vector<double> y(static_cast<std::size_t>(n));
  for (double& v : y) v = random.normal();
  return make_series(std::move(y), "y");
}

inline Series walk(std::uint64_t stream, int n, double drift = 0) {
  Series y = white(stream, n);
  double sum = 0;
  for (double& v : y.values) v = sum += v + drift;
  return y;
}

// White noise with `size` added from observation `from` (0-based) on.
inline Series stepped(std::uint64_t stream, int n, int from, double size) {
  Series y = white(stream, n);
  for (auto t = static_cast<std::size_t>(from); t < y.size(); ++t) y.values[t] += size;
  return y;
}

}  // namespace brace::test
