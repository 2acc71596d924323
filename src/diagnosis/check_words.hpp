// SPDX-License-Identifier: Apache-2.0
// What a check found, as codes and numbers, and the sentences that tell it.
//
//   Findings found = ...;                 // check.cpp decides
//   put_into_words(found, checked);       // readings of the groups and of the whole
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "brace/diagnosis/check.hpp"
#include "brace/diagnosis/law_fit.hpp"
#include "diagnosis/advice.hpp"

namespace brace::inline v0 {

// The lag whose autocorrelation is largest.
struct LargestLag {
  int lag = 0;
  double correlation = 0;
};

// What decides each question, and what stands beside it.
struct Findings {
  struct OfMean {
    bool memory = false;       // in z: by the robust form where clustering is left
    bool season_left = false;  // a seasonal lag far outside its band
    bool clustering = false;
    LargestLag largest;
    std::vector<Spike> seasonal;
    Advice advice;
  } mean;
  struct OfVariance {
    bool memory = false, asymmetry = false;
    bool has_equation = false, has_signs = false;
    LargestLag largest;  // of z^2
    Advice advice, on_signs;
  } variance;
  struct OfLaw {
    bool departs = false;
    std::string name;
    std::vector<LawDeparture> departures;
    Advice advice;
  } law;
  struct OfConstancy {
    bool changed = false;
    std::optional<std::string> halves;  // what the two halves say, where they are what is compared
  } constancy;
};

void put_into_words(const Findings& found, Check& check);

}  // namespace brace::inline v0
