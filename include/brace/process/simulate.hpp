// SPDX-License-Identifier: Apache-2.0
// Made-up series from a model whose parameters are known.
//
//   auto model = brace::parse_model("const / garch / student");
//   brace::Series y = brace::simulate(model, {.03, .02, .08, .9, 6}, 2500, {.seed = 7});
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/model/model.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// From this row on (0-based) the process has other parameters; earlier rows keep theirs.
struct SimulatedBreak {
  std::size_t row = 0;
  std::vector<double> parameters;
};

struct SimulateOptions {
  std::uint64_t seed = 1;
  std::uint64_t stream = 0;              // independent series from one seed
  std::size_t burn_in = 1000;            // rows thrown away first, so that the start is forgotten
  std::vector<SimulatedBreak> breaks{};  // ascending
  // The rows to be made, for models with regressors: their dates and companions; the values are not
  // looked at. n must be as many.
  std::optional<Series> rows{};
};

struct Simulated {
  Series series;                  // y, n values
  std::vector<double> variances;  // h of each row
  std::vector<double> shocks;     // e of each row
  // Of row n + 1, given the rows before: the truth that a forecast aims at. None with regressors,
  // whose coming row is not known.
  std::optional<double> next_mean, next_variance;
};

// `parameters` in the order of parameter_names(model). The same seed gives the same series on every
// machine with IEEE doubles, up to rounding in log, cos and sqrt. Throws Error for parameters that
// do not describe a stationary process, and for regressors without `rows` that hold them.
[[nodiscard]] Simulated simulate_path(const Model& model, const std::vector<double>& parameters,
                                      std::size_t n, const SimulateOptions& options = {});
[[nodiscard]] Series simulate(const Model& model, const std::vector<double>& parameters,
                              std::size_t n, const SimulateOptions& options = {});

}  // namespace brace::inline v0
BRACE_API_END
