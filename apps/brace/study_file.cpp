// SPDX-License-Identifier: Apache-2.0
// Reading and checking a study file. Covered by tests/tool/study_file_test.cpp.
#include "study_file.hpp"

#include <fmt/format.h>

#include <toml++/toml.h>
#include <algorithm>
#include <filesystem>
#include <functional>
#include <sstream>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "brace/io/files.hpp"
#include "prompt/command_line.hpp"
#include "options.hpp"

namespace brace::app {
namespace {

namespace fs = std::filesystem;

constexpr const char* kSeries = "series";
constexpr const char* kStudy = "study";
constexpr const char* kFit = "fit";

// Options of how a command prints, which a study does not say.
bool is_of_output_alone(const Option& o) {
  return o.name == "--json" || o.name == "--quiet" || o.name == "--study" || o.name == "--report";
}
bool is_of_series(const Option& o) {
  return o.name == "FILE" || is_of_reading(o);
}

std::string key_of(const Option& o) {
  return o.name == "FILE" ? "file" : o.name.substr(2);
}

[[noreturn]] void refuse(const std::string& path, const toml::source_position& at,
                         const std::string& what) {
  throw Error(ErrorCode::bad_option,
              fmt::format("{}: line {}, column {}: {}", path, at.line, at.column, what));
}

std::string in_words(const toml::node& node) {
  switch (node.type()) {
    case toml::node_type::table: return "a table";
    case toml::node_type::array: return "a list";
    case toml::node_type::string: return "text";
    case toml::node_type::boolean: return "true or false";
    case toml::node_type::integer: return "a whole number";
    case toml::node_type::floating_point: return "a number";
    default: return "a date or time";
  }
}

// One value as the word of a command line.
std::string word_of(const toml::node& node) {
  if (const auto* text = node.as_string()) return text->get();
  if (const auto* whole = node.as_integer()) return fmt::format("{}", whole->get());
  if (const auto* real = node.as_floating_point()) return fmt::format("{}", real->get());
  std::ostringstream out;
  node.visit([&](const auto& value) {
    if constexpr (toml::is_date<decltype(value)> || toml::is_date_time<decltype(value)> ||
                  toml::is_time<decltype(value)>)
      out << value.get();
  });
  return out.str();
}

// What a target takes: text (and what is written without quotes: numbers, dates), numbers, whole
// numbers, true or false; one of them or a list.
enum class Takes { flag, whole, real, text };
struct Wanted {
  Takes takes;
  bool many;
};
Wanted wanted_by(const Target& target) {
  return std::visit(
      []<class T>(T*) -> Wanted {
        if constexpr (std::is_same_v<T, bool>)
          return {Takes::flag, false};
        else if constexpr (std::is_same_v<T, std::string> ||
                           std::is_same_v<T, std::optional<std::string>>)
          return {Takes::text, false};
        else if constexpr (std::is_same_v<T, std::vector<std::string>>)
          return {Takes::text, true};
        else if constexpr (std::is_same_v<T, double> || std::is_same_v<T, std::optional<double>>)
          return {Takes::real, false};
        else if constexpr (std::is_same_v<T, std::vector<double>>)
          return {Takes::real, true};
        else if constexpr (std::is_same_v<T, std::vector<int>>)
          return {Takes::whole, true};
        else
          return {Takes::whole, false};
      },
      target);
}

bool fits(const toml::node& node, Takes takes) {
  switch (takes) {
    case Takes::flag: return node.is_boolean();
    case Takes::whole: return node.is_integer();
    case Takes::real: return node.is_number();
    case Takes::text: return node.is_value() && !node.is_boolean();
  }
  return false;
}

// The words of a command line for one key.
std::vector<std::string> words_of(const std::string& path, const Option& option,
                                  const toml::key& key, const toml::node& node,
                                  const fs::path& folder) {
  const Wanted wanted = wanted_by(option.target);
  // A list, as on the command line, may be one text with commas.
  const bool many = wanted.many || option.listed;
  const char* const taken[] = {"true or false", "a whole number", "a number", "text"};
  const auto wrong = [&](const toml::node& at) {
    refuse(path, at.source().begin,
           fmt::format("{} takes {}{}, not {}", std::string(key.str()),
                       taken[static_cast<int>(wanted.takes)], many ? " or a list of it" : "",
                       in_words(at)));
  };
  std::vector<const toml::node*> values;
  if (const toml::array* list = node.as_array()) {
    if (!many) wrong(node);
    for (const toml::node& each : *list) values.push_back(&each);
    if (values.empty())
      refuse(path, node.source().begin,
             fmt::format("{} is an empty list; leave the key out", std::string(key.str())));
  } else {
    values.push_back(&node);
  }
  std::vector<std::string> words;
  for (const toml::node* value : values) {
    if (!fits(*value, wanted.takes) && !(many && value->is_string())) wrong(*value);
    if (wanted.takes == Takes::flag) {
      if (value->as_boolean()->get()) words.push_back(option.name);
      continue;
    }
    std::string word = word_of(*value);
    if (word.empty())
      refuse(path, value->source().begin,
             fmt::format("{} is empty; leave the key out", std::string(key.str())));
    if (option.is_path && word != "-") word = (folder / word).lexically_normal().string();
    words.push_back(option.name == "FILE" ? word : option.name + "=" + word);
  }
  return words;
}

std::string did_you_mean(const std::string& word, const std::vector<std::string>& known) {
  const auto near = text::nearest(word, known);
  return near ? fmt::format("; did you mean {}?", *near) : "";
}

}  // namespace

const std::vector<std::string>& steps_of_the_job() {
  static const std::vector<std::string> steps{"inspect", "unitroot", "lags",    "season",
                                              "breaks",  "search",   "fit",     "check",
                                              "compare", "forecast", "backtest"};
  return steps;
}

StudyFile::StudyFile(std::string path) : path_(std::move(path)), text_(read_whole(path_)) {
  toml::table whole;
  try {
    whole = toml::parse(text_, path_);
  } catch (const toml::parse_error& error) {
    refuse(path_, error.source().begin, std::string(error.description()));
  }
  const fs::path folder = fs::path(path_).parent_path();
  std::deque<Options> targets;
  const std::deque<Command> commands = job_commands(targets);
  std::vector<std::string> names{kStudy, kSeries};
  for (const Command& c : commands) names.push_back(c.name);

  // Which options a table takes.
  const auto options_of = [&](const std::string& table) {
    std::vector<const Option*> taken;
    for (const Command& c : commands) {
      if (table != c.name && !(table == kSeries && c.name == "inspect")) continue;
      for (const Option& o : c.options)
        if (!is_of_output_alone(o) && (table != kSeries || is_of_series(o))) taken.push_back(&o);
    }
    return taken;
  };
  const std::string stem = fs::path(path_).stem().string();
  settings_.title = stem;
  settings_.results = (folder / (stem + "-results")).string();
  settings_.report = (folder / (stem + ".html")).string();
  Options of_study;
  const auto settings = [&] {
    Command c("study", "", nullptr);
    c.option("--title", settings_.title, "");
    c.option("--results", settings_.results, "").path();
    c.option("--report", settings_.report, "").path();
    c.option("--insist", settings_.insist, "");
    c.option("--leave-out", settings_.leave_out, "").words(steps_of_the_job()).list();
    return c;
  };
  const Command study_command = settings();

  for (auto&& [table_key, table_node] : whole) {
    const std::string table(table_key.str());
    if (std::find(names.begin(), names.end(), table) == names.end())
      refuse(path_, table_key.source().begin,
             fmt::format("'{}' is neither a step of the job nor [series] or [study]{}", table,
                         did_you_mean(table, names)));
    const toml::table* keys = table_node.as_table();
    if (!keys)
      refuse(path_, table_key.source().begin,
             fmt::format("'{}' is a table: write [{}] on a line of its own", table, table));
    std::vector<const Option*> options = options_of(table);
    if (table == kStudy)
      for (const Option& o : study_command.options) options.push_back(&o);
    std::vector<std::string> known;
    for (const Option* o : options) known.push_back(key_of(*o));
    Step step{.name = table, .line = table_key.source().begin.line, .keys = {}};
    for (auto&& [key, node] : *keys) {
      const std::string name(key.str());
      const auto at = std::find(known.begin(), known.end(), name);
      if (at == known.end())
        refuse(path_, key.source().begin,
               fmt::format("'{}' is not a key of [{}]{}", name, table, did_you_mean(name, known)));
      const Option& option = *options[static_cast<std::size_t>(at - known.begin())];
      Given given{.option = option.name,
                  .words = words_of(path_, option, key, node, folder),
                  .line = key.source().begin.line,
                  .column = key.source().begin.column};
      if (const auto refused = refusal_of(option, given.words))
        refuse(path_, node.source().begin, *refused);
      step.keys.push_back({name, std::move(given)});
    }
    // Keys stand in the order of the file, whatever the parser's.
    std::sort(step.keys.begin(), step.keys.end(), [](const Key& a, const Key& b) {
      return std::pair(a.given.line, a.given.column) < std::pair(b.given.line, b.given.column);
    });
    tables_.push_back(std::move(step));
  }
  // Contradictions within what one command is given.
  for (const Command& c : commands) {
    const std::vector<Given> all = given(c);
    const auto line_of = [&](const std::string& option) -> std::optional<std::size_t> {
      for (const Given& g : all)
        if (g.option == option && !g.words.empty()) return g.line;
      return std::nullopt;
    };
    if (!step(c.name)) continue;
    for (const Option& o : c.options) {
      const auto here = line_of(o.name);
      if (!here) continue;
      if (!o.forbids.empty())
        if (const auto there = line_of(o.forbids))
          throw Error(ErrorCode::bad_option,
                      fmt::format("{}: line {}: {} and {} (line {}) exclude one another; leave one "
                                  "out",
                                  path_, *here, o.name.substr(2), o.forbids.substr(2), *there));
      if (!o.wants.empty() && !line_of(o.wants))
        throw Error(ErrorCode::bad_option,
                    fmt::format("{}: line {}: {} needs {} in the same table", path_, *here,
                                o.name.substr(2), o.wants.substr(2)));
    }
  }
}

const StudyFile::Step* StudyFile::step(const std::string& name) const {
  for (const Step& s : tables_)
    if (s.name == name) return &s;
  return nullptr;
}

std::vector<std::string> StudyFile::steps() const {
  std::vector<std::string> out;
  for (const std::string& name : steps_of_the_job())
    if (step(name)) out.push_back(name);
  return out;
}

std::vector<Given> StudyFile::given(const Command& command) const {
  std::vector<Given> out;
  for (const Option& o : command.options) {
    if (is_of_output_alone(o)) continue;
    std::vector<const char*> tables{command.name.c_str()};
    if (is_of_series(o)) tables.push_back(kSeries);
    if (o.heading == kModelHeading || o.name == "--model") tables.push_back(kFit);
    for (const char* table : tables) {
      const Step* from = step(table);
      if (!from) continue;
      const auto at = std::find_if(from->keys.begin(), from->keys.end(),
                                   [&](const Key& k) { return k.given.option == o.name; });
      if (at == from->keys.end()) continue;
      out.push_back(at->given);
      break;
    }
  }
  return out;
}

}  // namespace brace::app
