// SPDX-License-Identifier: Apache-2.0
// What a chapter shows: its question, the tables of its document, and how to read them.
//
//   for (const EvidenceTable& table : evidence_of("fit", document)) ...
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace brace::inline v0 {

struct EvidenceTable {
  std::string caption;
  std::vector<std::string> heads;
  std::vector<std::vector<std::string>> rows;
  // Columns that hold words, which stand at the left; the others are numbers.
  std::vector<bool> words;
};

[[nodiscard]] std::vector<EvidenceTable> evidence_of(const std::string& step,
                                                     const nlohmann::json& document);

// The volatility of a few steps ahead, for the first screen; empty where there is no forecast.
[[nodiscard]] EvidenceTable volatility_ahead(const nlohmann::json& document);

// What a step asks, and two sentences for a reader who is no statistician.
struct StepWords {
  std::string title, question, how_to_read;
};
[[nodiscard]] const StepWords& words_of_step(const std::string& step);

}  // namespace brace::inline v0
