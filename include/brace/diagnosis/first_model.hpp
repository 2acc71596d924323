// SPDX-License-Identifier: Apache-2.0
// A model line to begin with, before anything is known of a series but its memory.
//
//   brace::Model model = brace::first_model(returns);   // const / garch / student
//   std::cout << brace::estimate(model, returns);
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include "brace/base/api.hpp"
#include "brace/model/model.hpp"
#include "brace/series/series.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// const / garch / student, with AR lags 1 .. p where the robust Ljung-Box test rejects at 5 %: p,
// at most 5, by BIC on autoregressions by least squares. Gaps are closed.
[[nodiscard]] Model first_model(const Series& series);

}  // namespace brace::inline v0
BRACE_API_END
