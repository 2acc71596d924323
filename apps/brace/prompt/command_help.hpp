// SPDX-License-Identifier: Apache-2.0
// What `--help` prints, from the table of commands: a command's own options, and those that many
// commands share by their names alone, behind a group.
//
//   std::cout << help_of(command, "", 80);          // within two screens
//   std::cout << help_of(command, "reading", 80);   // one group, whole
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "command.hpp"

namespace brace::app {

// Options under one heading, and the word that names them after --help.
struct HelpGroup {
  std::string heading, word;
  std::vector<const Option*> options;
};
[[nodiscard]] std::vector<HelpGroup> help_groups(const Command& command);

// Two screens of a plain terminal.
inline constexpr std::size_t kLinesOfHelp = 48;
// All groups, whole.
inline constexpr const char* kAllGroups = "all";

// `group`: a word of help_groups, kAllGroups, or empty for what fits two screens. Throws Error
// (bad_option) for another.
[[nodiscard]] std::string help_of(const Command& command, const std::string& group,
                                  std::size_t width);
// Of the tool: its commands in the order of the job.
[[nodiscard]] std::string help_of_tool(const std::deque<Command>& commands, std::size_t width);
// What `brace` alone says.
[[nodiscard]] std::string welcome(std::size_t width);

// The command's call: "brace fit FILE [options]".
[[nodiscard]] std::string call_of(const Command& command);
// What stands for an option's value: "N", "FILE", "log|simple|none"; empty for a flag.
[[nodiscard]] std::string value_word(const Option& option);
// Which values it takes beyond its type, in words: "from 1 to 100"; empty: any.
[[nodiscard]] std::string limits_of(const Option& option);
// Whether it stands by its place, without dashes.
[[nodiscard]] inline bool by_place(const Option& option) {
  return option.name.front() != '-';
}
// Whether it may be given again.
[[nodiscard]] bool repeats(const Option& option);

}  // namespace brace::app
