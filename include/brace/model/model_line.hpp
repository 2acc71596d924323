// SPDX-License-Identifier: Apache-2.0
// The model line: the one label of a model, read and written.  mean / variance / shocks
//
//   brace::Model m = brace::parse_model("const ar1 ma9 / garch / student");
//   brace::to_string(m);     // "const ar1 ma9 / garch e1 h1 / student", always canonical
//
// Threads: every function here may be called from several threads at once.
#pragma once

#include <iosfwd>
#include <string>
#include <string_view>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/model/model.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Parses the whole grammar of docs/model-line.md and returns the canonical model. Throws Error
// (bad_model_line) whose second line points at the term, with the nearest known one.
[[nodiscard]] Model parse_model(std::string_view line);

// Canonical form: every part, in the order of the grammar, lags merged, nothing hidden.
[[nodiscard]] std::string to_string(const Model& model);
std::ostream& operator<<(std::ostream& out, const Model& model);

// The words that may begin a term of each part: "ar" of ar1, "garch", "student".
struct ModelTerms {
  std::vector<std::string> mean, variance, shocks;
};
[[nodiscard]] ModelTerms model_terms();

// One part of it, for tables that have a row a part.
[[nodiscard]] std::string mean_part(const Model& model);
[[nodiscard]] std::string variance_part(const Model& model);
[[nodiscard]] std::string shocks_part(const Model& model);

}  // namespace brace::inline v0
BRACE_API_END
