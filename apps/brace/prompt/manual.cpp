// SPDX-License-Identifier: Apache-2.0
// Covered by tests/tool/prompt_test.cpp.
#include "prompt/manual.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <sstream>

#include "brace/base/version.hpp"
#include "options.hpp"
#include "prompt/command_help.hpp"
#include "prompt/topics.hpp"

namespace brace::app {
namespace {

// Of the pages, which change with the version alone.
constexpr const char* kDate = "November 30, 2026";

// Text as roff takes it: no line begins with a macro, a backslash is no escape, and a hyphen is
// one.
std::string roff(const std::string& text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const bool begins = i == 0 || text[i - 1] == '\n';
    if (begins && (text[i] == '.' || text[i] == '\'')) out += "\\&";
    out += text[i] == '\\' ? "\\e" : text[i] == '-' ? "\\-" : std::string(1, text[i]);
  }
  return out;
}

// One argument of a macro.
std::string argument(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? "\"\"" : roff(std::string(1, c));
  return out + "\"";
}

std::string sentence(const std::string& text) {
  return text.ends_with('.') ? text : text + ".";
}

// A long text a sentence a line, as the macros want it; a line does not end within one.
std::string prose(const std::string& text) {
  std::string lines;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const bool ends = (text[i] == '.' || text[i] == '?') && i + 2 < text.size() &&
                      text[i + 1] == ' ' &&
                      std::isupper(static_cast<unsigned char>(text[i + 2])) != 0;
    lines += text[i];
    if (ends) {
      lines += '\n';
      ++i;
    }
  }
  return roff(lines);
}

std::string head_of(const std::string& name, const std::string& what) {
  std::string title = name;
  std::transform(title.begin(), title.end(), title.begin(),
                 [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  std::string line = what;
  line[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(line[0])));
  return fmt::format(".Dd {}\n.Dt {} 1\n.Os Brace {}\n.Sh NAME\n.Nm {}\n.Nd {}\n", kDate,
                     roff(title), version(), name, roff(line));
}

std::string item(const Option& o) {
  const std::string value = value_word(o);
  std::string out = by_place(o) ? ".It Ar " + argument(value) + (repeats(o) ? " ..." : "")
                                : ".It Fl Fl " + roff(o.name.substr(2)) +
                                      (value.empty() ? "" : " Ar " + argument(value));
  out += "\n" + prose(sentence(text::sentence(o.what))) + "\n";
  std::string more;
  const auto add = [&](const std::string& words) { more += words + ".\n"; };
  // A closed set stands in the place of the value where it is short.
  const bool shown = std::holds_alternative<OneOf>(o.allowed) && value != "WORD";
  if (const std::string limits = limits_of(o); !limits.empty() && !shown)
    add(roff(std::holds_alternative<OneOf>(o.allowed) ? text::sentence(limits)
                                                      : "A value " + limits));
  if (o.listed) add("Several values are separated by commas");
  if (!o.wants.empty()) more += "Needs\n.Fl Fl " + roff(o.wants.substr(2)) + " .\n";
  if (!o.forbids.empty()) more += "Excludes\n.Fl Fl " + roff(o.forbids.substr(2)) + " .\n";
  if (o.needed && !by_place(o)) add("Needed");
  return out + more;
}

std::string list_of(const std::vector<const Option*>& options) {
  std::string out = ".Bl -tag -width Ds\n";
  for (const Option* o : options) out += item(*o);
  return out + ".El\n";
}

constexpr const char* kExitStatus =
    ".Sh EXIT STATUS\n.Bl -tag -width Ds\n"
    ".It 0\nA result.\n"
    ".It 1\nThe data are bad, or the output cannot be written.\n"
    ".It 2\nThe call is wrong.\n"
    ".It 3\nA fit that must not be used; its numbers are printed with that warning.\n"
    ".El\n";

// "Example:" and "Examples:" are headings of the help; the rest are lines of a shell.
std::string examples_of(const Command& c) {
  std::istringstream lines(c.footer);
  std::string code;
  for (std::string line; std::getline(lines, line);)
    if (line.starts_with("  ")) code += roff(line.substr(2)) + "\n";
  return code.empty() ? "" : ".Sh EXAMPLES\n.Bd -literal\n" + code + ".Ed\n";
}

}  // namespace

std::string manual_page(const Command& c) {
  std::string out = head_of("brace-" + c.name, c.what);
  out += ".Sh SYNOPSIS\n.Nm brace " + c.name + "\n";
  std::vector<const Option*> places;
  for (const Option& o : c.options)
    if (by_place(o)) {
      places.push_back(&o);
      out += std::string(o.needed ? ".Ar " : ".Op Ar ") + argument(value_word(o)) +
             (repeats(o) ? " ..." : "") + "\n";
    }
  out += ".Op Ar options\n.Sh DESCRIPTION\n" + prose(sentence(c.what)) + "\n";
  if (!places.empty()) out += list_of(places);
  if (const auto groups = help_groups(c); !groups.empty()) {
    out += ".Sh OPTIONS\n";
    for (const HelpGroup& g : groups) {
      if (!g.heading.empty()) out += ".Ss " + roff(g.heading) + "\n";
      out += list_of(g.options);
    }
  }
  out += kExitStatus;
  out += examples_of(c);
  return out + ".Sh SEE ALSO\n.Xr brace 1\n";
}

std::string manual_page_over_ranks() {
  return head_of("brace-mpi", "The tool with its batches shared among processes") +
         ".Sh SYNOPSIS\n.Nm mpirun\n.Fl n Ar N\n.Nm brace-mpi batch\n.Ar file\n.Op Ar options\n"
         ".Sh DESCRIPTION\n.Nm\nis\n.Xr brace 1\nin which\n.Cm batch\nshares its series among the "
         "processes that MPI started, on one machine or many.\nThe first reads the series and "
         "writes the results "
         "file; the others compute.\nResults do not depend on the number of processes.\n.Pp\nA "
         "process that "
         "ends before its time ends the run; what is done is kept, and the same call goes on from "
         "there.\n" +
         kExitStatus +
         ".Sh EXAMPLES\n.Bd -literal\nmpirun \\-n 4 brace\\-mpi batch exchange.csv \\-\\-each "
         "symbol "
         "\\-\\-value price \\e\n    \\-\\-returns log \\-\\-model \\(aqconst / garch / "
         "student\\(aq "
         "\\-\\-store run.sqlite\n.Ed\n.Sh SEE ALSO\n.Xr brace 1 ,\n.Xr brace-batch 1\n";
}

std::string manual_page(const std::deque<Command>& commands) {
  std::string out = head_of("brace", "Unit roots, ARMA-GARCH models and volatility forecasts");
  out +=
      ".Sh SYNOPSIS\n.Nm\n.Ar command\n.Op Ar file\n.Op Ar options\n"
      ".Nm\n.Cm help\n.Op Ar topic\n"
      ".Sh DESCRIPTION\n.Nm\ntakes a financial price or return series from the file to a tested "
      "volatility "
      "forecast.\nEvery test states its null hypothesis in words, and every fit states whether it "
      "can "
      "be used.\n.Pp\nThe commands, in the order of the job:\n.Bl -tag -width backtest\n";
  std::vector<std::string> names;
  for (const Command& c : commands) {
    out += ".It Cm " + c.name + "\n" + prose(sentence(c.what)) + "\n";
    names.push_back(".Xr brace-" + c.name + " 1");
  }
  out += ".El\n.Pp\nEach has a page of its own, such as\n.Xr brace-fit 1 .\n";
  out += ".Ss Topics\n.Nm\n.Cm help\nexplains:\n.Bl -tag -width model-line\n";
  for (const Topic& t : topics())
    out += ".It Cm " + roff(t.name) + "\n" + prose(sentence(text::sentence(t.what))) + "\n";
  out +=
      ".El\n.Sh ENVIRONMENT\n.Bl -tag -width Ds\n"
      ".It Ev BRACE_KERNELS\nWhere it is\n.Dq plain ,\nlikelihoods are computed by the code that "
      "every machine has, so that the numbers do not depend on the instructions of this one.\n"
      ".It Ev NO_COLOR\nHeadings of the help are not bold.\n"
      ".It Ev PAGER\nThe program that shows help longer than the terminal; empty for none.\n"
      ".El\n.Sh FILES\n.Bl -tag -width Ds\n"
      ".It Pa share/brace/data\nMade-up series of Port Merrow, a harbour town that does not "
      "exist.\n"
      ".It Pa share/brace/schema\nJSON Schema of what each command prints with\n.Fl Fl json .\n"
      ".El\n";
  out += kExitStatus;
  out +=
      ".Sh EXAMPLES\n.Bd -literal\nbrace inspect kelp.csv \\-\\-value settle \\-\\-returns log\n"
      "brace fit kelp.csv \\-\\-value settle \\-\\-returns log \\-\\-model \\(aqconst / garch / "
      "student\\(aq \\-\\-save kelp.json\nbrace forecast kelp.json \\-\\-horizon 20\n.Ed\n";
  std::sort(names.begin(), names.end());
  return out + fmt::format(".Sh SEE ALSO\n{}\n", fmt::join(names, " ,\n"));
}

}  // namespace brace::app
