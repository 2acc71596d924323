// SPDX-License-Identifier: Apache-2.0
// The command line by CLI11, which takes long to compile: here alone. Covered by
// tests/tool/options_test.cpp and tests/tool/tool_test.cpp.
#include "command_line.hpp"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <iostream>

#include "brace/base/text.hpp"
#include "brace/base/version.hpp"
#include "brace/io/json.hpp"

namespace brace::app {
namespace {

void restrict(CLI::Option& option, const Allowed& allowed) {
  if (const auto* one = std::get_if<OneOf>(&allowed)) option.check(CLI::IsMember(one->words));
  if (const auto* whole = std::get_if<WholeRange>(&allowed))
    option.check(CLI::Range(whole->least, whole->most));
  if (const auto* real = std::get_if<RealRange>(&allowed))
    option.check(CLI::Range(real->least, real->most));
  if (std::holds_alternative<Positive>(allowed)) option.check(CLI::PositiveNumber);
  if (std::holds_alternative<NotNegative>(allowed)) option.check(CLI::NonNegativeNumber);
}

void add(CLI::App& command, const Option& o) {
  CLI::Option* option = std::visit(
      [&]<class T>(T* target) {
        if constexpr (std::is_same_v<T, bool>)
          return command.add_flag(o.name, *target, o.what);
        else
          return command.add_option(o.name, *target, o.what);
      },
      o.target);
  if (!o.heading.empty()) option->group(o.heading);
  if (!o.value.empty()) option->option_text(o.value);
  if (o.listed) option->delimiter(',');
  if (o.one_each) option->allow_extra_args(false);
  if (o.needed) option->required();
  restrict(*option, o.allowed);
}

// Whole numbers are decimal: "010" is ten, and "0x10" is none.
void read_whole_numbers_as_decimal(CLI::App& app) {
  for (CLI::App* command : app.get_subcommands({}))
    for (CLI::Option* option : command->get_options())
      if (option->get_type_name() == "INT" || option->get_type_name() == "UINT" ||
          option->get_type_name() == "N")
        option->transform(CLI::Validator(
            [](std::string& text) -> std::string {
              const std::size_t sign = text.starts_with('-') || text.starts_with('+') ? 1 : 0;
              if (text.size() == sign ||
                  text.find_first_not_of("0123456789", sign) != std::string::npos)
                return "'" + text + "' is not a whole number";
              const std::size_t first =
                  std::min(text.find_first_not_of('0', sign), text.size() - 1);
              text = (text.starts_with('-') ? "-" : "") + text.substr(first);
              return "";
            },
            "", ""));
}

// "'inspct' is not a command (did you mean 'inspect'?)" where the first word is none.
std::optional<std::string> unknown_command(const CLI::App& app, int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') return std::nullopt;
  const std::string word = argv[1];
  std::vector<std::string> commands;
  for (const CLI::App* command : app.get_subcommands({})) {
    if (command->get_name() == word) return std::nullopt;
    commands.push_back(command->get_name());
  }
  const auto near = text::nearest(word, commands);
  return "'" + word + "' is not a command" + (near ? " (did you mean '" + *near + "'?)" : "");
}

// What was meant by what the command line's reader did not understand; empty where it is not clear.
std::string mend_of(const CLI::App& app, const CLI::ParseError& error, int argc, char** argv) {
  if (argc > 1 && argv[1][0] == '-')
    return std::string("; options follow the command: brace COMMAND FILE ") + argv[1];
  const CLI::App* command = nullptr;
  for (const CLI::App* c : app.get_subcommands({}))
    if (argc > 1 && c->get_name() == argv[1]) command = c;
  if (!command) return "";
  const std::string what = error.what();
  // "--criterion: BIC not in {aic,bic}"
  if (const auto at = what.find(" not in {"); at != std::string::npos) {
    const auto from = what.rfind(' ', at - 1) + 1;
    std::string given = what.substr(from, at - from);
    for (char& c : given) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    std::vector<std::string> known;
    std::string word;
    for (const char c : what.substr(at + 9))
      if (c == ',' || c == '}') {
        known.push_back(word);
        word.clear();
      } else {
        word += c;
      }
    const auto near = text::nearest(given, known);
    return near ? "; did you mean '" + *near + "'?" : "";
  }
  if (what.find("not expected") == std::string::npos) return "";
  std::vector<std::string> known;
  for (const CLI::Option* option : command->get_options())
    for (const std::string& name : option->get_lnames()) known.push_back("--" + name);
  const auto has = [&](const char* name) {
    return std::find(known.begin(), known.end(), name) != known.end();
  };
  for (int i = 2; i < argc; ++i) {
    const std::string word = std::string(argv[i]).substr(0, std::string(argv[i]).find('='));
    if (word == "/") return "; put the model line in quotes: --model 'const / garch / student'";
    if (!word.starts_with("--") || has(word.c_str())) continue;
    if (word == "--steps" && has("--horizon")) return "; did you mean '--horizon'?";
    if (word == "--season" && has("--period")) return "; did you mean '--period'?";
    if (word == "--period" && has("--season")) return "; did you mean '--season'?";
    if (const auto near = text::nearest(word, known)) return "; did you mean '" + *near + "'?";
  }
  return "";
}

}  // namespace

Parsed parse_command_line(const std::deque<Command>& commands, int argc, char** argv) {
  CLI::App app{"brace: unit roots, ARMA-GARCH models and volatility forecasts for financial series",
               "brace"};
  app.footer(
      "The order of the job: inspect, unitroot, lags, season, breaks, search, fit, check, compare, "
      "forecast.\n'brace simulate' makes a series of a known process; 'brace demo' shows it whole. "
      "'brace COMMAND --help' has the options and an example.");
  app.set_version_flag("--version", std::string("brace ") + std::string(version()));
  app.require_subcommand(1);
  Parsed parsed;
  for (std::size_t i = 0; i < commands.size(); ++i) {
    const Command& c = commands[i];
    CLI::App* command = app.add_subcommand(c.name, c.what);
    for (const Option& o : c.options) add(*command, o);
    // Which others an option needs or forbids can be said when all are there.
    for (const Option& o : c.options) {
      if (!o.wants.empty()) command->get_option(o.name)->needs(o.wants);
      if (!o.forbids.empty()) command->get_option(o.name)->excludes(o.forbids);
    }
    command->footer(c.footer);
    command->callback([&parsed, i] { parsed.command = i; });
  }
  read_whole_numbers_as_decimal(app);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    parsed.command.reset();
    if (error.get_exit_code() == 0) {  // --help, --version
      parsed.status = app.exit(error);
      return parsed;
    }
    std::cerr << "brace: " << unknown_command(app, argc, argv).value_or(error.what())
              << mend_of(app, error, argc, argv)
              << "; 'brace --help' and 'brace COMMAND --help' list what there is\n";
    parsed.status = 2;
  }
  return parsed;
}

}  // namespace brace::app
