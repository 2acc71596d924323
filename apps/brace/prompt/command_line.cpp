// SPDX-License-Identifier: Apache-2.0
// The command line by CLI11, which takes long to compile: here alone. Covered by
// tests/tool/options_test.cpp and tests/tool/tool_test.cpp.
#include "prompt/command_line.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <iostream>
#include <regex>
#include <sstream>

#include "brace/base/text.hpp"
#include "brace/base/version.hpp"
#include "options.hpp"
#include "prompt/command_help.hpp"
#include "prompt/terminal.hpp"
#include "study_file.hpp"

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
  if (o.listed) option->delimiter(',');
  if (o.one_each) option->allow_extra_args(false);
  if (o.needed) option->required();
  restrict(*option, o.allowed);
}

// Whole numbers are decimal: "010" is ten, and "0x10" is none.
void read_whole_numbers_as_decimal(CLI::App& command) {
  for (CLI::Option* option : command.get_options())
    if (option->get_type_name() == "INT" || option->get_type_name() == "UINT" ||
        option->get_type_name() == "N")
      option->transform(CLI::Validator(
          [](std::string& text) -> std::string {
            const std::size_t sign = text.starts_with('-') || text.starts_with('+') ? 1 : 0;
            if (text.size() == sign ||
                text.find_first_not_of("0123456789", sign) != std::string::npos)
              return "'" + text + "' is not a whole number";
            const std::size_t first = std::min(text.find_first_not_of('0', sign), text.size() - 1);
            text = (text.starts_with('-') ? "-" : "") + text.substr(first);
            return "";
          },
          "", ""));
}

// A command for itself, with no word on which options go together.
void add_options(CLI::App& app, const Command& command, bool all_needed) {
  for (const Option& o : command.options) {
    add(app, o);
    if (!all_needed) app.get_option(o.name)->required(false);
  }
  read_whole_numbers_as_decimal(app);
}
void parse_words(CLI::App& app, std::vector<std::string> words) {
  std::reverse(words.begin(), words.end());  // as CLI11 takes them
  app.parse(std::move(words));
}

// Those that were typed.
std::vector<TypedOption> typed_options(const CLI::App& app, const Command& command) {
  std::vector<TypedOption> out;
  for (const Option& o : command.options) {
    const CLI::Option* at = app.get_option(o.name);
    if (at->count() == 0) continue;
    out.push_back(
        {&o, std::holds_alternative<bool*>(o.target) ? std::vector<std::string>{} : at->results()});
  }
  return out;
}

// The words typed and, before them, what the study file that they name says of options that were
// not.
struct WithStudy {
  std::vector<std::string> words;
  std::vector<TypedOption> typed;
};
WithStudy with_study(const std::deque<Command>& commands, std::vector<std::string> words) {
  WithStudy out{.words = words, .typed = {}};
  if (words.empty()) return out;
  const auto command = std::find_if(commands.begin(), commands.end(),
                                    [&](const Command& c) { return c.name == words[0]; });
  if (command == commands.end()) return out;
  CLI::App app;
  add_options(app, *command, false);
  words.erase(words.begin());
  try {
    parse_words(app, words);
  } catch (const CLI::ParseError&) {
    return out;  // told where all words are read
  }
  out.typed = typed_options(app, *command);
  const CLI::Option* named = app.get_option_no_throw("--study");
  if (!named || named->count() == 0) return out;
  const auto typed = [&](const std::string& option) {
    return !option.empty() && app.get_option(option)->count() > 0;
  };
  std::vector<std::string> all{command->name};
  const StudyFile study(named->results().front());
  for (const Given& given : study.given(*command)) {
    const bool excluded =
        std::any_of(command->options.begin(), command->options.end(), [&](const Option& o) {
          return (o.name == given.option && typed(o.forbids)) ||
                 (o.forbids == given.option && typed(o.name));
        });
    if (!typed(given.option) && !excluded)
      all.insert(all.end(), given.words.begin(), given.words.end());
  }
  all.insert(all.end(), words.begin(), words.end());
  out.words = std::move(all);
  return out;
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

// What the command line's reader found wrong, in the words of the rest of the tool.
std::string in_plain_words(const CLI::ParseError& error) {
  static const std::pair<std::regex, const char*> rules[] = {
      {std::regex(R"(^(\S+): (.*) not in \{(.*)\}$)"), "$1 $2: is none of $3"},
      {std::regex(R"(^(\S+): Value (\S+) not in range (-?\d+(?:\.\d*[1-9])?)\.?0* to (\d+(?:\.\d*[1-9])?)\.?0*$)"),
       "$1 $2: must lie between $3 and $4"},
      {std::regex(R"(^(\S+): At Most 1 required but received \d+$)"), "$1: may be given once"},
      {std::regex(R"(^(\S+) is required$)"), "$1 is missing"},
      {std::regex(R"(^(\S+): (\d+) required (\S+) missing$)"), "$1: needs a value"},
  };
  std::string what = error.what();
  for (const auto& [found, told] : rules)
    if (std::regex_match(what, found)) {
      std::string text = std::regex_replace(what, found, told);
      for (auto at = text.find(','); at != std::string::npos; at = text.find(',', at + 2))
        if (text.find(" none of ") < at) text.insert(at + 1, " ");
      return text;
    }
  // What is left over is listed backwards, values before their option.
  if (what.find("not expected: ") == std::string::npos) return what;
  std::istringstream words(what.substr(what.rfind(": ") + 2));
  std::string unknown;
  for (std::string word; words >> word;)
    if (unknown.empty() || word.starts_with("-")) unknown = word;
  return unknown + ": is not expected here";
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

// Help, the version, or a word to begin with; false where there is more to read.
bool answered(const std::deque<Command>& commands, const std::vector<std::string>& words) {
  const auto asks = [](const std::string& word) { return word == "--help" || word == "-h"; };
  if (words.empty()) {
    show_pages(welcome(text_width()));
    return true;
  }
  if (asks(words[0])) {
    show_pages(help_of_tool(commands, text_width()));
    return true;
  }
  if (words[0] == "--version") {
    std::cout << "brace " << version() << '\n';
    return true;
  }
  const auto command = std::find_if(commands.begin(), commands.end(),
                                    [&](const Command& c) { return c.name == words[0]; });
  const auto at = std::find_if(words.begin() + 1, words.end(), asks);
  if (command == commands.end() || at == words.end()) return false;
  const bool names_group = at + 1 != words.end() && !(at + 1)->starts_with('-');
  show_pages(help_of(*command, names_group ? *(at + 1) : "", text_width()));
  return true;
}

}  // namespace

Parsed parse_command_line(const std::deque<Command>& commands, int argc, char** argv) {
  Parsed parsed;
  const std::vector<std::string> words{argv + 1, argv + argc};
  if (answered(commands, words)) return parsed;
  CLI::App app;
  app.set_help_flag();
  app.require_subcommand(1);
  for (std::size_t i = 0; i < commands.size(); ++i) {
    const Command& c = commands[i];
    CLI::App* command = app.add_subcommand(c.name, c.what);
    for (const Option& o : c.options) add(*command, o);
    // Which others an option needs or forbids can be said when all are there.
    for (const Option& o : c.options) {
      if (!o.wants.empty()) command->get_option(o.name)->needs(o.wants);
      if (!o.forbids.empty()) command->get_option(o.name)->excludes(o.forbids);
    }
    command->callback([&parsed, i] { parsed.command = i; });
  }
  for (CLI::App* command : app.get_subcommands({})) read_whole_numbers_as_decimal(*command);
  try {
    WithStudy whole = with_study(commands, words);
    parsed.typed = std::move(whole.typed);
    parse_words(app, std::move(whole.words));
  } catch (const CLI::ParseError& error) {
    parsed.command.reset();
    std::cerr << "brace: " << unknown_command(app, argc, argv).value_or(in_plain_words(error))
              << mend_of(app, error, argc, argv)
              << "; 'brace --help' and 'brace COMMAND --help' list what there is\n";
    parsed.status = 2;
  }
  return parsed;
}

std::optional<std::string> refusal_of(const Option& option, const std::vector<std::string>& words) {
  CLI::App app;
  add(app, option);
  app.get_option(option.name)->required(false);
  read_whole_numbers_as_decimal(app);
  try {
    parse_words(app, words);
  } catch (const CLI::ParseError& error) {
    std::string what = in_plain_words(error);
    // "--horizon 0: must lie between", or the same without dashes in a study file.
    return what.starts_with("--") ? what.substr(2) : what;
  }
  return std::nullopt;
}

void read_words(const Command& command, const std::vector<std::string>& words) {
  CLI::App app;
  add_options(app, command, true);
  for (const Option& o : command.options) {
    if (!o.wants.empty()) app.get_option(o.name)->needs(o.wants);
    if (!o.forbids.empty()) app.get_option(o.name)->excludes(o.forbids);
  }
  try {
    parse_words(app, words);
  } catch (const CLI::ParseError& error) {
    throw Error(ErrorCode::bad_option, fmt::format("brace {}: {}", command.name, in_plain_words(error)));
  }
}

}  // namespace brace::app
