// SPDX-License-Identifier: Apache-2.0
// All of Brace's library: series, tests, models, forecasts, and files in and out.
//
//   #include <brace/brace.hpp>
//   auto returns = brace::log_returns(brace::read_csv("data/kelp-fibre.csv", {.value = "settle"}));
//
// Threads: as each of these headers says.
#pragma once

#include "brace/core.hpp"
#include "brace/io/csv.hpp"
#include "brace/io/files.hpp"
#include "brace/io/journal.hpp"
#include "brace/io/json.hpp"
#include "brace/io/saved_model.hpp"
#include "brace/io/table.hpp"
#include "brace/io/universe.hpp"
