// SPDX-License-Identifier: Apache-2.0
// What a desk reads of a run first: what went well, what did not and why, what changed since the
// run before, what is doubtful.
//
//   std::cout << brace::summarise(store, store.last_run());
//
// Threads: plain values and functions; a store belongs to one thread at a time.
#pragma once

#include <cstdint>
#include <iosfwd>
#include <optional>
#include <string>
#include <vector>

#include "brace/base/api.hpp"
#include "brace/batch/store.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Series of which one thing is true: how many, and the first of them in the order of the run.
struct Named {
  std::size_t count = 0;
  std::vector<std::string> examples;
};

struct BatchSummary {
  std::string store;
  RunRow run;

  // ---- How it went; the four make up the series ----
  std::size_t series = 0, converged = 0, boundary = 0, failed = 0, refused = 0;
  std::size_t fits = 0;  // of all models
  std::size_t kept = 0;  // with parameters of an earlier run
  struct Failure {
    std::string step, code, message;  // message: of the first
    Named names;
  };
  std::vector<Failure> failures;  // most frequent first
  struct Model {
    std::string model;
    std::size_t chosen = 0;
  };
  std::vector<Model> models;  // chosen most often first

  // ---- What is doubtful ----
  std::size_t checked = 0;
  Named not_white, variance_left, law_departs, not_constant;  // a question of the check that fails
  Named broken;                                               // a break was found
  std::size_t looked_for_breaks = 0;
  struct Doubt {
    std::string code;
    Named names;
  };
  std::vector<Doubt> warnings;  // most frequent first
  Named ended_early;            // their last row is older than that of most
  std::string last;             // which is this

  // ---- Against another run ----
  struct Change {
    std::string name;
    double before = 0, now = 0;  // volatility forecast for the next row
  };
  struct Against {
    std::string store;
    RunRow run;
    std::size_t compared = 0;
    std::optional<double> median_ratio;  // of now to before
    std::vector<Change> largest;         // by the size of the log of the ratio, at most ten
    Named fresh, gone;                   // series of one run only
    Named estimated_again, kept, as_before;
    Named newly_not_white;
  };
  std::optional<Against> against;

  struct Slow {
    std::string name;
    double seconds = 0;
  };
  std::vector<Slow> slowest;  // at most ten
};

// `against` is a run of the same store, or of `other`.
[[nodiscard]] BatchSummary summarise(const ResultStore& store, const RunRow& run,
                                     const std::optional<RunRow>& against = {},
                                     const ResultStore* other = nullptr);

// Verdict first, then a paragraph a question; at most a hundred signs wide.
std::ostream& operator<<(std::ostream& out, const BatchSummary& summary);

// One row a series: what became of it, the chosen model, the forecast, what is doubtful.
[[nodiscard]] std::vector<std::vector<std::string>> summary_table(const ResultStore& store,
                                                                  const RunRow& run);

// {brace, command: "batch", result, warnings} as the other documents (docs/json.md).
[[nodiscard]] std::string json_document(const BatchSummary& summary);

}  // namespace brace::inline v0
BRACE_API_END
