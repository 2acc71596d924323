// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/prompt_test.cpp.
#include "prompt/command_help.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "brace/base/error.hpp"
#include "brace/base/text.hpp"
#include "options.hpp"
#include "prompt/terminal.hpp"

namespace brace::app {
namespace {

// "The model" is "model", "Transformations, applied in this order" is "transformations".
std::string word_of(std::string heading) {
  for (const char* lead : {"The ", "A ", "What is done to ", "What is ", "How it is "})
    if (heading.starts_with(lead)) heading.erase(0, std::string(lead).size());
  std::string word = heading.substr(0, heading.find_first_of(" ,:"));
  std::transform(word.begin(), word.end(), word.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return word;
}

// "--returns log|simple|none" and, beside or below it, what it is for.
std::string entry(const Option& o, std::size_t width) {
  constexpr std::size_t kText = 26;
  const std::string value = value_word(o);
  return explained(by_place(o) ? value : o.name + (value.empty() ? "" : " " + value),
                   o.what + (o.needed && !by_place(o) ? " (needed)" : ""), kText, width);
}

std::string whole(const HelpGroup& group, std::size_t width) {
  std::string out = group.heading.empty() ? "\n" : "\n" + weighty(group.heading + ":") + "\n";
  for (const Option* o : group.options) out += entry(*o, width);
  return out;
}

// The names alone.
std::string folded(const Command& c, const HelpGroup& group, std::size_t width) {
  std::string names;
  for (const Option* o : group.options) names += (names.empty() ? "" : " ") + o->name;
  std::string text = text::wrap(names, width, "  ");
  if (!text.ends_with('\n')) text += '\n';
  std::string heading =
      text::wrap(fmt::format("{} (brace {} --help {}):", group.heading, c.name, group.word), width);
  heading.pop_back();
  return "\n" + weighty(heading) + "\n" + text;
}

std::size_t lines_of(const std::string& text) {
  return static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
}

// A line of a shell that is too long goes on in the next; never within quotes.
std::string broken_call(const std::string& line, std::size_t width) {
  if (line.size() <= width) return line;
  const std::size_t start = line.find_first_not_of(' ');
  const std::string indent(start + 4, ' ');
  std::string out, rest = line;
  while (rest.size() > width) {
    // The last option that still fits, else the last word, else the first option beyond.
    bool quoted = false;
    std::size_t option = 0, word = 0, beyond = 0;
    for (std::size_t i = rest.find_first_not_of(' '); i < rest.size(); ++i) {
      if (rest[i] == '\'') quoted = !quoted;
      if (rest[i] != ' ' || quoted) continue;
      const bool fits = i + 2 <= width, begins_option = rest.compare(i, 2, " -") == 0;
      if (fits) word = i;
      if (fits && begins_option) option = i;
      if (!fits && begins_option && beyond == 0) beyond = i;
    }
    const std::size_t at = option > 0 ? option : word > 0 ? word : beyond;
    if (at == 0) break;
    out += rest.substr(0, at) + " \\\n";
    rest.replace(0, at + 1, indent);
  }
  return out + rest;
}

std::string example_of(const Command& c, std::size_t width) {
  std::string out;
  for (std::size_t at = 0; at < c.footer.size();) {
    const std::size_t end = std::min(c.footer.find('\n', at), c.footer.size());
    const std::string line = c.footer.substr(at, end - at);
    out += (line.starts_with(' ') ? broken_call(line, width) : weighty(line)) + "\n";
    at = end + 1;
  }
  return out.empty() ? out : "\n" + out;
}

}  // namespace

std::vector<HelpGroup> help_groups(const Command& command) {
  std::vector<HelpGroup> groups;
  for (const Option& o : command.options) {
    if (by_place(o)) continue;
    auto at = std::find_if(groups.begin(), groups.end(),
                           [&](const HelpGroup& g) { return g.heading == o.heading; });
    if (at == groups.end()) {
      groups.push_back({o.heading, word_of(o.heading), {}});
      at = std::prev(groups.end());
    }
    at->options.push_back(&o);
  }
  return groups;
}

std::string value_word(const Option& o) {
  if (std::holds_alternative<bool*>(o.target)) return "";
  if (const auto* one = std::get_if<OneOf>(&o.allowed)) {
    constexpr std::size_t kLongest = 28;
    const std::string all = fmt::format("{}", fmt::join(one->words, "|"));
    return all.size() <= kLongest ? all : "WORD";
  }
  if (!o.value.empty()) return o.value;
  if (by_place(o)) return o.name;
  if (o.is_path) return "FILE";
  return std::visit(
      []<class T>(T*) -> std::string {
        using V = std::remove_cvref_t<T>;
        if constexpr (std::is_same_v<V, std::vector<int>>) return "N,...";
        if constexpr (std::is_same_v<V, std::vector<double>>) return "X,...";
        if constexpr (std::is_same_v<V, double> || std::is_same_v<V, std::optional<double>>)
          return "X";
        if constexpr (std::is_integral_v<V> || std::is_same_v<V, std::optional<int>> ||
                      std::is_same_v<V, std::optional<std::size_t>>)
          return "N";
        return "TEXT";
      },
      o.target);
}

std::string limits_of(const Option& o) {
  if (const auto* one = std::get_if<OneOf>(&o.allowed))
    return fmt::format("one of {}", fmt::join(one->words, ", "));
  if (const auto* n = std::get_if<WholeRange>(&o.allowed))
    return fmt::format("from {} to {}", n->least, text::count(static_cast<std::size_t>(n->most)));
  if (const auto* x = std::get_if<RealRange>(&o.allowed))
    return fmt::format("from {} to {}", x->least, x->most);
  if (std::holds_alternative<Positive>(o.allowed)) return "above 0";
  if (std::holds_alternative<NotNegative>(o.allowed)) return "0 or more";
  return "";
}

bool repeats(const Option& o) {
  return std::holds_alternative<std::vector<std::string>*>(o.target) ||
         std::holds_alternative<std::vector<int>*>(o.target) ||
         std::holds_alternative<std::vector<double>*>(o.target);
}

std::string call_of(const Command& c) {
  std::string call = "brace " + c.name;
  for (const Option& o : c.options)
    if (by_place(o)) {
      const std::string word = value_word(o) + (repeats(o) ? "..." : "");
      call += o.needed ? " " + word : " [" + word + "]";
    }
  for (const Option& o : c.options)
    if (!by_place(o) && o.needed) call += " " + o.name + " " + value_word(o);
  return call + " [options]";
}

std::string help_of(const Command& c, const std::string& group, std::size_t width) {
  const std::vector<HelpGroup> groups = help_groups(c);
  if (!group.empty() && group != kAllGroups) {
    std::vector<std::string> words{kAllGroups};
    for (const HelpGroup& g : groups) {
      if (g.word == group) return fmt::format("Options of brace {}\n", c.name) + whole(g, width);
      if (!g.word.empty()) words.push_back(g.word);
    }
    const auto near = text::nearest(group, words);
    throw Error(
        ErrorCode::bad_option,
        fmt::format("brace {} --help {}: no such group of options{}; there are {}", c.name, group,
                    near ? " (did you mean '" + *near + "'?)" : "", fmt::join(words, ", ")));
  }
  std::string head = text::wrap(c.what + ".", width) + "\n  " + call_of(c) + "\n";
  HelpGroup places;
  for (const Option& o : c.options)
    if (by_place(o)) places.options.push_back(&o);
  if (!places.options.empty()) head += whole(places, width);
  const std::string tail =
      example_of(c, width) + fmt::format("\nThe whole page: man brace-{}\n", c.name);

  // Those that many commands share are folded, then what is written, then the longest until it
  // fits.
  std::vector<bool> is_folded(groups.size());
  if (group.empty())
    for (std::size_t i = 0; i < groups.size(); ++i)
      is_folded[i] = groups[i].heading == kReadingHeading || groups[i].heading == kMakingHeading;
  for (;;) {
    std::string out = head;
    std::size_t longest = groups.size();
    for (std::size_t i = 0; i < groups.size(); ++i) {
      out += is_folded[i] ? folded(c, groups[i], width) : whole(groups[i], width);
      const auto size = [&](std::size_t at) {
        return groups[at].word == "output" ? std::string::npos : lines_of(whole(groups[at], width));
      };
      if (!is_folded[i] && !groups[i].word.empty() &&
          (longest == groups.size() || size(i) > size(longest)))
        longest = i;
    }
    out += tail;
    if (!group.empty() || lines_of(out) <= kLinesOfHelp || longest == groups.size()) return out;
    is_folded[longest] = true;
  }
}

std::string help_of_tool(const std::deque<Command>& commands, std::size_t width) {
  std::string out =
      text::wrap("Unit roots, ARMA-GARCH models and volatility forecasts for financial series.",
                 width) +
      "\n  brace COMMAND FILE [options]\n\n" + weighty("Commands, in the order of the job:") + "\n";
  constexpr std::size_t kText = 13;
  for (const Command& c : commands) out += explained(c.name, c.what, kText, width);
  return out + "\n" +
         text::wrap(
             "brace COMMAND --help has the options of a command and an example; brace help "
             "TOPIC explains model-line, verdicts, warnings and files; brace --version says "
             "which version this is.",
             width) +
         "\n" + weighty("Exit status:") +
         "\n  0 a result, 1 bad data, 2 a wrong call, 3 a fit that must not be used\n";
}

std::string welcome(std::size_t width) {
  return text::wrap(
             "Brace takes a financial price or return series from the file to a tested "
             "volatility forecast.",
             width) +
         "\n"
         "  brace demo             the whole job on made-up data, with a page to look at\n"
         "  brace inspect FILE     what is in a CSV file of yours\n"
         "  brace --help           all commands\n";
}

}  // namespace brace::app
