// SPDX-License-Identifier: Apache-2.0
// What the unit-root tests share: lags by a rule, and a TestResult from a simulated law.
#pragma once

#include <string>
#include <vector>

#include "brace/hypothesis/unit_root.hpp"
#include "brace/laws/simulated.hpp"

namespace brace::inline v0::hypothesis::unit_root {

// The lags asked for or chosen; throws Error (bad_option) where the series cannot carry them.
[[nodiscard]] int lags_for(const std::vector<double>& y, Deterministic terms, LagRule rule,
                           int lags, std::optional<int> max_lags, const std::string& test);

enum class RejectsWhen { low, high };

// p-value (down to the law's floor), critical values and the sentence; T as the law counts it.
[[nodiscard]] TestResult by_law(const std::string& id, const std::string& variant, double statistic,
                                laws::SimulatedLaw law, int T,
                                RejectsWhen rejects = RejectsWhen::low);

// The law of a group that has one for a constant and one for a trend after it.
[[nodiscard]] laws::SimulatedLaw law_with(laws::SimulatedLaw constant, laws::SimulatedLaw trend,
                                          Deterministic terms);

// Whether a test for a unit root needs a trend term: the mean of the differences is away from zero
// at 5 % (long-run variance), as where a unit root drifts; or adf with a trend rejects the unit
// root at 1 % and the slope is away from zero at 5 %, as around a trend, where the long-run
// variance of the differences is 0 and every estimate of it too large.
[[nodiscard]] bool drifts(const Series& series);

// The latest rows, enough to tell a unit root: the search over lags is dear on long series.
[[nodiscard]] Series latest_rows(const Series& series);

// Where a break stands, with its date.
[[nodiscard]] TestResult::Break break_at(const Series& series, std::size_t rows_before);

}  // namespace brace::inline v0::hypothesis::unit_root
