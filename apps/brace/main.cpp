// SPDX-License-Identifier: Apache-2.0
// The tool: reads the command line, runs one command, turns errors into a line on stderr and an
// exit status.
#include <cstdio>
#include <exception>
#include <iostream>

#include "options.hpp"

namespace {

// "'inspct' is not a command (did you mean 'inspect'?)" where the first word is none.
std::optional<std::string> unknown_command(const CLI::App& app, int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') return std::nullopt;
  const std::string word = argv[1];
  std::vector<std::string> commands;
  for (const CLI::App* command : app.get_subcommands({})) {
    if (command->get_name() == word) return std::nullopt;
    commands.push_back(command->get_name());
  }
  const auto near = brace::text::nearest(word, commands);
  return "'" + word + "' is not a command" + (near ? " (did you mean '" + *near + "'?)" : "");
}

int run_tool(int argc, char** argv) {
  CLI::App app{"brace: unit roots, ARMA-GARCH models and volatility forecasts for financial series",
               "brace"};
  app.footer(
      "The order of the job: inspect, unitroot, lags, season, breaks, search, fit, check, compare, "
      "forecast.\n'brace simulate' makes a series of a known process; 'brace demo' shows it whole. "
      "'brace COMMAND --help' has the options and an example.");
  app.set_version_flag("--version", std::string("brace ") + std::string(brace::version()));
  app.require_subcommand(1);

  brace::app::Options options;
  brace::app::Run run = nullptr;
  brace::app::add_inspect(app, options, run);
  brace::app::add_unitroot(app, options, run);
  brace::app::add_lags(app, options, run);
  brace::app::add_season(app, options, run);
  brace::app::add_breaks(app, options, run);
  brace::app::add_search(app, options, run);
  brace::app::add_fit(app, options, run);
  brace::app::add_check(app, options, run);
  brace::app::add_compare(app, options, run);
  brace::app::add_forecast(app, options, run);
  brace::app::add_update(app, options, run);
  brace::app::add_backtest(app, options, run);
  brace::app::add_simulate(app, options, run);
  brace::app::add_demo(app, options, run);

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) return app.exit(error);  // --help, --version
    std::cerr << "brace: " << unknown_command(app, argc, argv).value_or(error.what())
              << "; 'brace --help' and 'brace COMMAND --help' list what there is\n";
    return 2;
  }
  try {
    return run(options);
  } catch (const brace::Error& error) {
    // A second line points at something in the first: both move by the same prefix.
    std::string message = error.what();
    for (auto at = message.find('\n'); at != std::string::npos; at = message.find('\n', at + 1))
      message.insert(at + 1, "       ");
    std::cerr << "brace: " << message << '\n';
    return brace::exit_status(error);
  }
}

}  // namespace

int main(int argc, char** argv) {
  try {
    return run_tool(argc, argv);
  } catch (const std::exception& error) {
    // Not through a stream, which may be what failed.
    std::fprintf(stderr, "brace: unexpected: %s; please report this with the command\n",
                 error.what());
    return 1;
  }
}
