// SPDX-License-Identifier: Apache-2.0
// Long memory: does dependence die out over days or linger over years?
//
//   brace::MemoryEstimate sizes = brace::local_whittle(brace::absolute_values(returns));
//   sizes.d;        // 0: short memory; above 0.1 or so: it lingers; 0.5 and more: not stationary
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <optional>
#include <string>

#include "brace/base/api.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct MemoryEstimate {
  std::string of;
  double d = 0;       // order of fractional integration, within [-1/2, 1]
  double se = 0;      // 1 / (2 sqrt m), right for -1/2 < d < 3/4
  int bandwidth = 0;  // m, frequencies used
  std::size_t observations = 0;
  double objective = 0;  // R(d) at its least
  bool at_edge = false;  // d lies at an end of its range
  std::string reading;
};

// Local Whittle estimate from the first m frequencies 2 pi j / n of the periodogram:
//   R(d) = ln( (1/m) sum l_j^{2d} I_j ) - (2d/m) sum ln l_j
// (Robinson 1995). bandwidth left out: floor(n^0.65). Gaps are closed. A break in mean or
// a slow trend passes for long memory. At least 50 values, else Error.
[[nodiscard]] MemoryEstimate local_whittle(const Series& series, std::optional<int> bandwidth = {});

}  // namespace brace::inline v0
BRACE_API_END
