// SPDX-License-Identifier: Apache-2.0
// The commands in the order of the help.
#include "options.hpp"

namespace brace::app {

std::deque<Command> job_commands(std::deque<Options>& targets) {
  std::deque<Command> commands;
  for (const auto command : {inspect_command, unitroot_command, lags_command, season_command,
                             breaks_command, search_command, fit_command, check_command,
                             compare_command, forecast_command, backtest_command})
    commands.push_back(command(targets.emplace_back()));
  return commands;
}

std::deque<Command> all_commands(std::deque<Options>& targets) {
  std::deque<Command> commands = job_commands(targets);
  for (const auto command : {update_command, batch_command, study_command, report_command,
                             simulate_command, demo_command, help_command})
    commands.push_back(command(targets.emplace_back()));
  return commands;
}

}  // namespace brace::app
