// SPDX-License-Identifier: Apache-2.0
// All of Brace's library: series, tests, models, forecasts, and files in and out.
//
//   #include <brace/brace.hpp>
//   auto returns = brace::log_returns(brace::read_csv("data/kelp-fibre.csv", {.value = "settle"}));
#pragma once

#include "brace/base/date.hpp"
#include "brace/base/error.hpp"
#include "brace/base/executor.hpp"
#include "brace/base/text.hpp"
#include "brace/base/warning.hpp"
#include "brace/forecast/forecast.hpp"
#include "brace/hypothesis/arch_effects.hpp"
#include "brace/hypothesis/autocorrelation.hpp"
#include "brace/hypothesis/inspection.hpp"
#include "brace/hypothesis/moments.hpp"
#include "brace/hypothesis/test_result.hpp"
#include "brace/hypothesis/unit_root.hpp"
#include "brace/hypothesis/whiteness.hpp"
#include "brace/io/csv.hpp"
#include "brace/io/files.hpp"
#include "brace/io/json.hpp"
#include "brace/io/saved_model.hpp"
#include "brace/laws/dickey_fuller.hpp"
#include "brace/laws/kpss.hpp"
#include "brace/laws/standard.hpp"
#include "brace/model/check.hpp"
#include "brace/model/estimate.hpp"
#include "brace/model/fit.hpp"
#include "brace/model/model.hpp"
#include "brace/model/model_line.hpp"
#include "brace/model/simulate.hpp"
#include "brace/series/calendar.hpp"
#include "brace/series/series.hpp"
#include "brace/series/transform.hpp"
