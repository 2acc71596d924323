// SPDX-License-Identifier: Apache-2.0
// Made series for the tests of hypotheses, white noise and random walks by stream, and how often a
// test rejects.
#pragma once

#include <fmt/format.h>

#include <cstdint>
#include <string>

#include "brace/hypothesis/test_result.hpp"
#include "brace/maths/random.hpp"
#include "brace/series/series.hpp"

namespace brace::test {

inline Series white(std::uint64_t stream, int n) {
  maths::RandomStream random(7, stream);
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

// Share of rejections at 5 % in series made from seeds 1 .. `count`; prints its row of
// docs/sizes.md.
template <class F>
double rejections(int count, F test_of_seed) {
  int rejected = 0;
  TestResult last;
  for (int i = 1; i <= count; ++i) {
    last = test_of_seed(static_cast<std::uint64_t>(i));
    rejected += *last.rejects();
  }
  const double share = static_cast<double>(rejected) / count;
  fmt::print("  {:<18}{:<10}rows {:>4}  rejects in {:.1f} % of {} series\n", last.test,
             last.deterministic ? to_string(*last.deterministic) : "", last.observations,
             100 * share, count);
  return share;
}

}  // namespace brace::test
