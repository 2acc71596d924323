// SPDX-License-Identifier: Apache-2.0
// Saved models: an open, versioned JSON form (docs/saved-model.md) that reads back to the same
// numbers.
//
//   brace::save_model(fitted, "kelp.json");
//   brace::Fit again = brace::load_model("kelp.json");   // check, forecast as if just fitted
//
// Threads: calls that write different files may run at once.
#pragma once

#include <string>

#include "brace/base/api.hpp"
#include "brace/estimation/fit.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Writes the model line, the parameters with their errors and covariance, the certificate, the data
// of the fitted window, the presample value and the last state. Whole or not at all.
void save_model(const Fit& fit, const std::string& path);

// Reads one back and filters the data again from the stored presample value. Throws Error
// (bad_saved_model) for a file that is not one, or whose stored state its own data do not
// reproduce.
[[nodiscard]] Fit load_model(const std::string& path);

// Whether a file is meant as a saved model: its first sign opens a JSON object, as no CSV file
// does. Pipes, which can be read once only, never are.
[[nodiscard]] bool is_saved_model(const std::string& path);

}  // namespace brace::inline v0
BRACE_API_END
