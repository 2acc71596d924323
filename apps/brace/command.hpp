// SPDX-License-Identifier: Apache-2.0
// A command and its options as data: the command line, its help, the manual pages and what a shell
// offers are made from them. Only prompt/command_line.cpp knows the parser.
//
//   Command c("lags", "ACF, PACF and Ljung-Box at each lag", run_lags);
//   c.option("--period", o.test.period, "season whose multiples are marked").range(2, 100000);
#pragma once

#include <cstdint>
#include <deque>
#include <optional>
#include <string>
#include <utility>
#include <variant>
#include <vector>

namespace brace::app {

struct Options;

// Where an option's value goes; a bool is a flag that takes none.
using Target =
    std::variant<bool*, int*, double*, std::size_t*, std::string*, std::optional<std::string>*,
                 std::optional<int>*, std::optional<double>*, std::optional<std::size_t>*,
                 std::vector<int>*, std::vector<double>*, std::vector<std::string>*>;

// What a value may be.
struct AnyValue {};
struct OneOf {
  std::vector<std::string> words;
};
struct WholeRange {
  int least, most;
};
struct RealRange {
  double least, most;
};
struct Positive {};
struct NotNegative {};
using Allowed = std::variant<AnyValue, OneOf, WholeRange, RealRange, Positive, NotNegative>;

struct Option {
  std::string name;  // "--period"; without dashes for what stands by its place
  Target target;
  std::string what;
  std::string heading{};  // of the part of the help in which it stands
  std::string value{};    // what stands for its value in the help; empty: its type
  Allowed allowed = AnyValue{};
  bool listed = false;    // several values in one, by commas
  bool one_each = false;  // takes one value each time it is given
  bool needed = false;
  bool is_path = false;            // a file, which a study names from its own folder
  bool is_column = false;          // of the file that is read
  bool is_model_line = false;
  std::string wants{}, forbids{};  // other options

  Option& group(std::string words) { return heading = std::move(words), *this; }
  Option& shown_as(std::string words) { return value = std::move(words), *this; }
  Option& words(std::vector<std::string> all) {
    allowed = OneOf{std::move(all)};
    return shown_as("WORD");
  }
  Option& range(int least, int most) { return allowed = WholeRange{least, most}, *this; }
  Option& range(double least, double most) { return allowed = RealRange{least, most}, *this; }
  Option& positive() { return allowed = Positive{}, *this; }
  Option& not_negative() { return allowed = NotNegative{}, *this; }
  Option& list() { return listed = true, *this; }
  Option& once_for_each() { return one_each = true, *this; }
  Option& required() { return needed = true, *this; }
  Option& path() { return is_path = true, *this; }
  Option& column() { return is_column = true, shown_as("COLUMN"); }
  Option& model_line() { return is_model_line = true, *this; }
  Option& needs(std::string other) { return wants = std::move(other), *this; }
  Option& excludes(std::string other) { return forbids = std::move(other), *this; }
};

using Run = int (*)(const Options&);  // returns the exit status

struct Command {
  Command(std::string called, std::string does, Run runs)
      : name(std::move(called)), what(std::move(does)), run(runs) {}

  std::string name, what;
  Run run;
  std::deque<Option> options{};  // in the order of the help
  std::string footer{};

  template <class T>
  Option& option(const std::string& called, T& target, const std::string& does) {
    return options.emplace_back(Option{.name = called, .target = &target, .what = does});
  }
};

}  // namespace brace::app
