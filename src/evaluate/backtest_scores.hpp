// SPDX-License-Identifier: Apache-2.0
// The judgement over a finished rolling origin.
#pragma once

#include "brace/evaluate/backtest.hpp"

namespace brace::inline v0 {

// Fills scores, contests, reading and warnings from the steps.
void judge(Backtest& backtest, const BacktestOptions& options);

}  // namespace brace::inline v0
