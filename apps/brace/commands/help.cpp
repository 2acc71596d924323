// SPDX-License-Identifier: Apache-2.0
// brace help: a topic, or a command; as JSON the whole table of commands and options. Covered by
// tests/tool/prompt_test.cpp.
#include <fmt/format.h>

#include <iostream>
#include <nlohmann/json.hpp>

#include "brace/base/text.hpp"
#include "brace/base/version.hpp"
#include "options.hpp"
#include "prompt/command_help.hpp"
#include "prompt/terminal.hpp"
#include "prompt/topics.hpp"

namespace brace::app {
namespace {

using Json = nlohmann::ordered_json;

Json json_of(const Option& o) {
  Json words = Json::array();
  if (const auto* one = std::get_if<OneOf>(&o.allowed)) words = one->words;
  return {{"name", o.name},     {"value", value_word(o).empty() ? Json() : Json(value_word(o))},
          {"what", o.what},     {"group", o.heading.empty() ? Json() : Json(o.heading)},
          {"words", words},     {"limits", limits_of(o).empty() ? Json() : Json(limits_of(o))},
          {"needed", o.needed}, {"repeats", repeats(o)}};
}

void print_json(const std::deque<Command>& commands) {
  Json table = Json::array();
  for (const Command& c : commands) {
    Json options = Json::array();
    for (const Option& o : c.options) options.push_back(json_of(o));
    table.push_back(
        {{"name", c.name}, {"what", c.what}, {"call", call_of(c)}, {"options", options}});
  }
  std::cout << Json{{"brace", std::string(version())},
                    {"command", "help"},
                    {"result", {{"commands", table}}},
                    {"warnings", Json::array()}}
                   .dump(2)
            << '\n';
}

std::string list_of_topics(std::size_t width) {
  std::string out = weighty("Topics:") + "\n";
  for (const Topic& t : topics()) out += explained(t.name, t.what, 14, width);
  return out + "\n" +
         text::wrap(
             "brace help TOPIC shows one, brace help TOPIC WORD its part under the heading "
             "with that word, brace help warnings CODE one code, brace help COMMAND the "
             "options of a command.",
             width) +
         "\n";
}

int run_help(const Options& o) {
  std::deque<Options> targets;
  const std::deque<Command> commands = all_commands(targets);
  const std::string &topic = o.help.topic, &part = o.help.part;
  const std::size_t width = text_width();
  if (o.output.json) {
    print_json(commands);
    return 0;
  }
  if (topic.empty()) {
    show_pages(list_of_topics(width));
    return 0;
  }
  std::vector<std::string> known;
  for (const Topic& t : topics()) {
    known.push_back(t.name);
    if (t.name != topic) continue;
    show_pages(topic_text(topic, part, width));
    return 0;
  }
  for (const Command& c : commands) {
    known.push_back(c.name);
    if (c.name != topic) continue;
    show_pages(help_of(c, part, width));
    return 0;
  }
  const auto near = text::nearest(topic, known);
  throw Error(ErrorCode::bad_option,
              fmt::format("brace help {}: there is no such topic or command{}; there are {}", topic,
                          near ? " (did you mean '" + *near + "'?)" : "", fmt::join(known, ", ")));
}

}  // namespace

Command help_command(Options& o) {
  Command c("help", "Explain a topic, such as model-line or a warning, or a command", run_help);
  c.option("TOPIC", o.help.topic, "model-line, verdicts, warnings, files, or a command");
  c.option("PART", o.help.part,
           "a warning or error code; of another topic a word of a heading; of a command a group of "
           "its options, such as reading");
  c.option("--json", o.output.json, "all commands and their options as JSON");
  c.footer = "Examples:\n  brace help model-line\n  brace help warnings few-draws";
  return c;
}

}  // namespace brace::app
