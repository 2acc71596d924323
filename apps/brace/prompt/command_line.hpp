// SPDX-License-Identifier: Apache-2.0
// From the words of a command line to a command and its options.
//
//   const Parsed parsed = parse_command_line(commands, argc, argv);
//   if (parsed.command) commands[*parsed.command].run(options);
#pragma once

#include <deque>
#include <optional>
#include <string>
#include <vector>

#include "command.hpp"
#include "options.hpp"

namespace brace::app {

struct Parsed {
  std::optional<std::size_t> command{};  // which of them; empty: nothing is to be run
  int status = 0;                        // of the program then: help was printed, or a refusal
  std::vector<TypedOption> typed{};      // in the order of the help
};

// Fills the targets of the options given. Help goes to standard output, a refusal with what may
// have been meant to standard error.
[[nodiscard]] Parsed parse_command_line(const std::deque<Command>& commands, int argc, char** argv);

// Why an option refuses these words; empty where it takes them. Its target is written.
[[nodiscard]] std::optional<std::string> refusal_of(const Option& option,
                                                    const std::vector<std::string>& words);

// Fills the command's targets from words. Throws Error (bad_option).
void read_words(const Command& command, const std::vector<std::string>& words);

}  // namespace brace::app
