// SPDX-License-Identifier: Apache-2.0
// Running the job that a study file states, step by step, into results and a page.
//
//   return run_study({.file = "kelp.toml"});
#pragma once

#include <string>
#include <vector>

#include "options.hpp"

namespace brace::app {

struct StudyRun {
  std::string file;                    // the study file
  std::string results{}, report{};     // in place of those that the file names
  bool again = false;                  // run also what has not changed
  bool quiet = false, guided = false;  // guided: with each step's question, as the demo has it
  bool json = false;                   // the record on standard output, and nothing else
  int threads = 0;
};

// The exit status: that of the first step that had another than 0. Throws Error where nothing can
// be run.
[[nodiscard]] int run_study(const StudyRun& asked);

// What this forecast says otherwise than the last run of the study that was named (--study), a
// sentence each; empty where none was, or where it ended at the same row.
[[nodiscard]] std::vector<std::string> changes_since_study(const Options& o, const Fit& fit,
                                                           const Forecast& ahead);

// Runs a command of the job as it is, and writes --report: a page of that step alone. `typed` is
// the command line that gives the same.
[[nodiscard]] int run_with_report(const Command& command, Options& o, const std::string& typed);

}  // namespace brace::app
