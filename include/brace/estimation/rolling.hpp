// SPDX-License-Identifier: Apache-2.0
// One model fitted again and again on windows that move through a series.
//
//   auto fits = brace::fit_rolling(model, returns, {.window = 1000}, brace::Executor(2));
//   for (const brace::RollingFit& f : fits) use(f.end(), f.estimates);
//
// Threads: every function here may be called from several threads at once; work is shared among
// those of the Executor, and no result depends on their number.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/progress.hpp"
#include "brace/estimation/fit.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

struct RollingOptions {
  // Rows of the first window; every later one has as many, or all rows from the first on where
  // `expanding`.
  std::size_t window = 1000;
  bool expanding = false;

  // Rows from the end of one window to the end of the next.
  std::size_t every = 1;

  // The end of the first window (left out: `window`), and the last row that a window may hold (the
  // series' end).
  std::optional<std::size_t> first_end{}, last_end{};

  // Windows of the commonest model, garch e1 h1 with a zero or constant mean and normal or Student
  // shocks on a series without gaps, run beside one another in the lanes of a register. Off, every
  // window is climbed alone: to see that nothing depends on it.
  bool lanes = true;

  // What the rows of a window are turned into before they are fitted, such as a transform with
  // parts that are estimated; left out: as they are. Lanes do not serve where it is given.
  std::function<Series(const Series& window)> prepare{};

  // In windows. After a stop the status of those not begun stays not_run.
  Progress progress{};
};

struct RollingFit {
  std::size_t first = 0, count = 0;  // rows of the series
  FitStatus status = FitStatus::not_run;
  std::vector<double> estimates;  // in the order of parameter_names
  double log_likelihood = 0;
  double gradient_norm = 0;  // as in Convergence
  Matrix covariance;         // k x k, (-H)^-1; zero rows: held or on a bound
  bool cold = false;         // fitted from the usual starting points, not from the window before
  [[nodiscard]] std::size_t end() const { return first + count; }
};

// Maximum likelihood on every window. A window starts from the estimates of the one before it, and
// from the usual starting points at every 64th window and wherever that start fails, so results do
// not depend on the number of threads. Throws Error as estimate() does, and for a window that is
// longer than the series.
[[nodiscard]] std::vector<RollingFit> fit_rolling(const Model& model, const Series& series,
                                                  const RollingOptions& options = {},
                                                  const Executor& executor = serial());

}  // namespace brace::inline v0
BRACE_API_END
