// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/prompt_test.cpp.
#include "prompt/offers.hpp"

#include <algorithm>
#include <filesystem>

#include "brace/brace.hpp"
#include "options.hpp"
#include "prompt/command_help.hpp"
#include "prompt/topics.hpp"

namespace brace::app {
namespace {

// A word as the shell would hand it over: without quotes, even one that is still open.
std::string unquoted(const std::string& word) {
  std::string out;
  char quote = 0;
  for (std::size_t i = 0; i < word.size(); ++i) {
    if (quote == 0 && (word[i] == '\'' || word[i] == '"'))
      quote = word[i];
    else if (quote != 0 && word[i] == quote)
      quote = 0;
    else if (quote != '\'' && word[i] == '\\' && i + 1 < word.size())
      out += word[++i];
    else
      out += word[i];
  }
  return out;
}

const Option* option_called(const Command& command, const std::string& name) {
  for (const Option& o : command.options)
    if (o.name == name) return &o;
  return nullptr;
}

bool takes_value(const Option* o) {
  return o && !std::holds_alternative<bool*>(o->target);
}

// What was typed before the word in question.
struct Typed {
  std::string file;  // the first word that stands by its place
  std::vector<std::string> options;
  const Option* awaits_value = nullptr;  // the word before is an option that takes a value
};
Typed read_typed(const Command& command, const std::vector<std::string>& words) {
  Typed typed;
  for (std::size_t i = 1; i + 1 < words.size(); ++i) {
    const std::string& word = words[i];
    if (word.starts_with("--")) {
      const std::size_t equals = word.find('=');
      typed.options.push_back(word.substr(0, equals));
      const Option* o = option_called(command, typed.options.back());
      typed.awaits_value = equals == std::string::npos && takes_value(o) ? o : nullptr;
    } else {
      // A value, or else the file.
      if (!typed.awaits_value && typed.file.empty()) typed.file = word;
      typed.awaits_value = nullptr;
    }
  }
  return typed;
}

std::vector<std::string> columns_of(const std::string& file, const Command& command,
                                    const std::vector<std::string>& words) {
  std::error_code ignored;
  if (file.empty() || !std::filesystem::is_regular_file(file, ignored)) return {};
  ReadOptions options;
  for (std::size_t i = 1; i + 1 < words.size(); ++i)
    if (words[i] == "--query" && option_called(command, "--query")) options.query = words[i + 1];
  try {
    return column_names(file, options);
  } catch (const Error&) {
    return {};  // the command itself will say what is wrong with it
  }
}

// The beginning of the word that stays, and each way to go on after it.
void offer_each(Offers& out, const std::string& before, const std::vector<std::string>& words,
                const std::string& after = "") {
  for (const std::string& word : words)
    out.words.push_back({std::string(before).append(word).append(after), ""});
  out.goes_on = out.goes_on || !after.empty();
}

// Terms of the part of the model line in which the last one stands.
void offer_model_line(Offers& out, const std::string& typed,
                      const std::vector<std::string>& columns) {
  const std::size_t blank = typed.rfind(' ');
  const std::string before = blank == std::string::npos ? "" : typed.substr(0, blank + 1);
  std::size_t part = 0;
  for (std::size_t at = before.find(" / "); at != std::string::npos;
       at = before.find(" / ", at + 1))
    ++part;
  const ModelTerms known = model_terms();
  out.goes_on = true;
  const std::string term =
      before.substr(before.rfind('/') == std::string::npos ? 0 : before.rfind('/') + 1);
  const bool begun = term.find_first_not_of(' ') != std::string::npos;
  const auto ends_with_word = [&](const char* word) {
    return term.ends_with(std::string(" ") + word + " ") || term == std::string(word) + " ";
  };
  if (ends_with_word("with") || ends_with_word("vwith")) return offer_each(out, before, columns);
  if (ends_with_word("risk")) return offer_each(out, before, {"sd", "variance"});
  if (part == 0) {
    std::vector<std::string> words = known.mean;
    // A lag, a difference: the first is what most people mean.
    for (std::string& word : words)
      if (word == "ar" || word == "ma" || word == "diff")
        word += "1";
      else if (word == "sar" || word == "sma")
        word += "12";
    offer_each(out, before, words);
  } else if (part == 1) {
    offer_each(out, before, begun ? std::vector<std::string>{"e1", "h1", "vwith"} : known.variance);
  } else if (!begun) {
    offer_each(out, before, known.shocks);
  }
  if (begun && part < 2) offer_each(out, before, {"/"});
}

Offers offers_of_value(const Command& command, const Option& o, const std::string& typed,
                       const std::string& file, const std::vector<std::string>& words) {
  Offers out;
  // Of a list in one word the last.
  const std::size_t comma = o.listed ? typed.rfind(',') : std::string::npos;
  const std::string before = comma == std::string::npos ? "" : typed.substr(0, comma + 1);
  if (const auto* one = std::get_if<OneOf>(&o.allowed)) {
    offer_each(out, before, one->words);
  } else if (o.is_column) {
    offer_each(out, before, columns_of(file, command, words));
  } else if (o.is_model_line) {
    offer_model_line(out, typed, columns_of(file, command, words));
  } else if (o.name == "--where") {
    offer_each(out, "", columns_of(file, command, words), "=");
  } else if (o.name == "--roles") {
    if (const std::size_t equals = typed.find('=', before.size()); equals != std::string::npos)
      offer_each(out, typed.substr(0, equals + 1), columns_of(file, command, words));
    else
      offer_each(out, before, {"open", "high", "low", "close", "volume"}, "=");
  } else {
    out.files = o.is_path || std::holds_alternative<std::string*>(o.target);
  }
  return out;
}

}  // namespace

Offers offers_for(const std::deque<Command>& commands, std::vector<std::string> words) {
  std::transform(words.begin(), words.end(), words.begin(), unquoted);
  Offers out;
  if (words.empty()) words.emplace_back();
  const std::string& typed = words.back();
  const auto keep_begun = [&] {
    std::erase_if(out.words, [&](const Offer& o) { return !o.word.starts_with(typed); });
    return out;
  };
  if (words.size() == 1) {
    for (const Command& c : commands) out.words.push_back({c.name, c.what});
    out.words.push_back({"--help", "all commands"});
    out.words.push_back({"--version", "which version this is"});
    return keep_begun();
  }
  const auto command = std::find_if(commands.begin(), commands.end(),
                                    [&](const Command& c) { return c.name == words[0]; });
  if (command == commands.end()) return out;
  if (command->name == "help") {
    if (words.size() == 2) {
      for (const Topic& t : topics()) out.words.push_back({t.name, t.what});
      for (const Command& c : commands)
        if (c.name != "help") out.words.push_back({c.name, c.what});
    } else if (words[1] == "warnings") {
      offer_each(out, "", warning_and_error_codes());
    }
    return keep_begun();
  }
  if (words[words.size() - 2] == "--help") {
    for (const HelpGroup& g : help_groups(*command))
      if (!g.word.empty()) out.words.push_back({g.word, g.heading});
    out.words.push_back({kAllGroups, "all options"});
    return keep_begun();
  }
  const Typed before = read_typed(*command, words);
  if (before.awaits_value) {
    out = offers_of_value(*command, *before.awaits_value, typed, before.file, words);
    return keep_begun();
  }
  if (const std::size_t equals = typed.find('=');
      typed.starts_with("--") && equals != std::string::npos) {
    const Option* o = option_called(*command, typed.substr(0, equals));
    if (!takes_value(o)) return out;
    out = offers_of_value(*command, *o, typed.substr(equals + 1), before.file, words);
    for (Offer& offer : out.words) offer.word.insert(0, typed.substr(0, equals + 1));
    return keep_begun();
  }
  if (typed.starts_with("-")) {
    for (const Option& o : command->options)
      if (!by_place(o) && (repeats(o) || std::find(before.options.begin(), before.options.end(),
                                                   o.name) == before.options.end()))
        out.words.push_back({o.name, o.what});
    out.words.push_back({"--help", "the options by group, and an example"});
    return keep_begun();
  }
  out.files = true;
  return out;
}

}  // namespace brace::app
