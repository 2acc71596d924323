// SPDX-License-Identifier: Apache-2.0
// A study file: TOML whose tables are the steps of the job and whose keys are the options of their
// commands. [series] holds what all steps share of reading the series; `model`, `fix` and the other
// options of the model stand in [fit] and hold for every step that has them.
//
//   const StudyFile study("kelp.toml");
//   for (const Given& given : study.given(command)) ...   // what the file says for a command
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "command.hpp"

namespace brace::app {

// The steps of the job in its order; each is a command.
[[nodiscard]] const std::vector<std::string>& steps_of_the_job();

// One option as the file gives it: the words of a command line ("--horizon=5"), none for a flag
// that is false.
struct Given {
  std::string option;  // "--horizon"; "FILE"
  std::vector<std::string> words;
  std::size_t line = 0, column = 0;
};

// What [study] says of the whole.
struct StudySettings {
  std::string title;                   // of the report; the name of the file where it is not given
  std::string results;                 // folder
  std::string report;                  // HTML file
  bool insist = false;                 // on modelling a level that has a unit root
  std::vector<std::string> leave_out;  // chapters that the report does without
};

class StudyFile {
 public:
  // Reads it and refuses what no command would take: Error (bad_option) with line, column and the
  // mend. Nothing has run then.
  explicit StudyFile(std::string path);

  [[nodiscard]] const std::string& path() const { return path_; }
  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] const StudySettings& settings() const { return settings_; }
  // Its steps in the order of the job.
  [[nodiscard]] std::vector<std::string> steps() const;

  // What the file gives of the command's options, those of [series] and [fit] included. Paths are
  // taken from the study's folder.
  [[nodiscard]] std::vector<Given> given(const Command& command) const;

 private:
  struct Key {
    std::string name;
    Given given;
  };
  struct Step {
    std::string name;
    std::size_t line = 0;
    std::vector<Key> keys;
  };
  [[nodiscard]] const Step* step(const std::string& name) const;

  std::string path_, text_;
  StudySettings settings_;
  std::vector<Step> tables_;  // in the order of the file
};

}  // namespace brace::app
