// SPDX-License-Identifier: Apache-2.0
// The judgement over a finished rolling origin.
#pragma once

#include "brace/evaluate/backtest.hpp"

namespace brace {

// Fills scores, contests, reading and warnings from the steps.
void judge(Backtest& backtest, const BacktestOptions& options);

}  // namespace brace
