// SPDX-License-Identifier: Apache-2.0
// A fitted model that follows its series one row at a time, for loops that cannot wait: the cost of
// a row does not depend on the number of earlier rows, and nothing is allocated (but by an exact
// fit after a missing value, until its state is certain again).
//
//   brace::Tracker tracker(fitted);
//   tracker.push(tick);
//   double limit = tracker.value_at_risk(1);
//
//
// Threads: a Tracker belongs to one thread at a time; copies are independent.
#pragma once

#include <cstddef>
#include <memory>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"
#include "brace/forecast/next_row.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Says of each row ahead what forecast() with ForecastMethod::plug_in says of it after update(),
// to rounding. The parameters stay those of the fit.
class Tracker {
 public:
  // Begins at the end of the rows that were fitted. Throws Error (bad_option) for a fit that is not
  // usable, and for terms that need more of a row than its value: a trend, a season, dates,
  // columns.
  explicit Tracker(const Fit& fit);
  ~Tracker();
  Tracker(const Tracker& other);
  Tracker& operator=(const Tracker& other);
  Tracker(Tracker&&) noexcept;
  Tracker& operator=(Tracker&&) noexcept;

  // The law of the coming row, given all that were taken; valid until the next push.
  [[nodiscard]] const NextRow& next() const;

  // Takes the row that came, NaN where it is missing, and says the law of the one after it. Throws
  // Error (not_finite) for a value beyond kLargest, and (too_few_observations) for a missing value
  // under differences with a conditional likelihood, which could not go on from it; nothing is
  // taken then.
  const NextRow& push(double y);

  // What next() says of quantiles and tail risk, quicker: each shock's own figure is computed the
  // first time that it is asked for and only scaled from then on (the 16 levels asked for last).
  [[nodiscard]] double quantile(double p) const;
  [[nodiscard]] double value_at_risk(double percent) const;
  [[nodiscard]] double shortfall(double percent) const;

  // Rows taken since the fit.
  [[nodiscard]] std::size_t rows() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// E h of each of the `horizon` rows after the fit's last one, in the square of the data's unit, by
// the recursion of expectations: infinite where the mean of h is. Throws Error (bad_option) as
// Tracker does, and for families without a closed form (aparch with a delta other than 2), which
// forecast() simulates.
[[nodiscard]] std::vector<double> variance_path(const Fit& fit, std::size_t horizon);

}  // namespace brace::inline v0
BRACE_API_END
