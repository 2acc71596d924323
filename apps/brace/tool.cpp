// SPDX-License-Identifier: Apache-2.0
// The tool: reads the command line, runs one command, turns errors into a line on stderr and an
// exit status. Covered by tests/tool/tool_test.cpp.
#include "tool.hpp"

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <filesystem>
#include <iostream>
#include <new>
#include <system_error>

#include "brace/base/machine.hpp"
#include "brace/io/files.hpp"
#include "options.hpp"
#include "prompt/command_line.hpp"
#include "prompt/offers.hpp"
#include "prompt/terminal.hpp"
#include "prompt/waiting.hpp"
#include "study_file.hpp"
#include "study_run.hpp"
#include "tool_words.hpp"
#include "visible.hpp"

namespace {

// Temporary files go with the program, however it ends.
void end_by_signal(int signal) {
  brace::remove_temporaries();
  std::signal(signal, SIG_DFL);
  std::raise(signal);
}

// A call that cannot succeed is refused before anything is computed.
void refuse_hopeless(const brace::app::Options& o) {
  using brace::Error, brace::ErrorCode;
  namespace fs = std::filesystem;
  std::error_code none;
  for (const auto& [option, path] : {std::pair{"--chart", &o.output.chart},
                                     {"--shape", &o.output.shape},
                                     {"--roots", &o.output.roots}}) {
    const std::string ending = fs::path(*path).extension().string();
    if (!path->empty() && ending != ".png" && ending != ".svg" && ending != ".pdf")
      throw Error(ErrorCode::bad_option,
                  std::string(option) + " " + *path + ": the name must end in .png, .svg or .pdf");
  }
  for (const std::string* path : {&o.output.chart, &o.output.shape, &o.output.roots, &o.output.out,
                                  &o.output.save, &o.backtest.journal}) {
    if (path->empty() || (path == &o.output.out && o.output.is_folder)) continue;
    const fs::path folder = fs::path(*path).parent_path();
    if (fs::is_directory(*path, none) || (!folder.empty() && !fs::is_directory(folder, none)))
      throw Error(
          ErrorCode::cannot_write,
          *path + ": cannot be written (" +
              (fs::is_directory(*path, none) ? "it is a folder" : "there is no such folder") +
              "); name a file in a folder that exists");
    const bool may_replace =
        path == &o.output.save && !o.newer.empty();  // update writes over its model
    for (const std::string* input : {&o.file, &o.newer, &o.ahead.future})
      if (!input->empty() && !may_replace && fs::is_regular_file(*path, none) &&
          fs::equivalent(*path, *input, none))
        throw Error(ErrorCode::bad_option,
                    *path + ": is what is read, and would be lost; name another file");
  }
}

// A name without end, such as a path of thousands of letters, is told by its ends.
std::string with_long_words_cut(const std::string& message) {
  constexpr std::size_t kLongest = 100, kHead = 60, kTail = 30;
  std::string out;
  for (std::size_t at = 0; at < message.size();) {
    const std::size_t end = std::min(message.find_first_of(" \n", at), message.size());
    const std::string word = message.substr(at, end - at);
    out += word.size() <= kLongest
               ? word
               : word.substr(0, kHead) + ".." + word.substr(word.size() - kTail);
    if (end < message.size()) out += message[end];
    at = end + 1;
  }
  return out;
}

int unexpected(const char* what, const char* mend) {
  // Not through a stream, which may be what failed.
  std::fprintf(stderr, "brace: %s%s\n", what, mend);
  return 1;
}

// Whether what is asked for is read by programs, at a terminal too: JSON, CSV, a study file.
bool is_for_programs(int argc, char** argv) {
  if (argc > 1 && std::string(argv[1]) == "simulate") return true;
  return std::any_of(argv + 1, argv + std::max(argc, 1), [](const char* word) {
    return std::string(word) == "--json" || std::string(word) == "--start";
  });
}

// The command line as a shell takes it, without the page that is made of it.
std::string typed_without_report(int argc, char** argv) {
  std::string out = "brace";
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    if (word == "--report") ++i;
    if (word.starts_with("--report")) continue;
    out += " " + brace::app::shell_word(word);
  }
  return out;
}

// One a line, with what it is for after a tab; the scripts of the shells know the marks (<file>:
// names of files too; <more>: the word goes on).
int print_offers(const brace::app::Offers& offers) {
  for (const brace::app::Offer& o : offers.words)
    std::cout << o.word << (o.what.empty() ? "" : "\t" + o.what) << '\n';
  if (offers.files) std::cout << "<file>\n";
  if (offers.goes_on) std::cout << "<more>\n";
  return 0;
}

int run_command(int argc, char** argv, brace::app::Ranks* ranks) {
  using namespace brace::app;
  std::deque<Options> options;
  const std::deque<Command> commands = all_commands(options);
  try {
    // What a shell's completion asks: brace offer -- WORD...
    if (argc > 2 && std::string(argv[1]) == "offer" && std::string(argv[2]) == "--")
      return print_offers(offers_for(commands, {argv + 3, argv + argc}));
    const Parsed parsed = parse_command_line(commands, argc, argv);
    if (!parsed.command) return parsed.status;
    Options& given = options[*parsed.command];
    given.ranks = ranks;
    given.all_typed = parsed.typed;
    for (const TypedOption& typed : parsed.typed)
      if (is_of_reading(*typed.option)) given.typed.push_back(typed);
    refuse_hopeless(given);
    const Command& command = commands[*parsed.command];
    const bool of_the_job = std::find(steps_of_the_job().begin(), steps_of_the_job().end(),
                                      command.name) != steps_of_the_job().end();
    const Waiting waiting(command.name, !given.output.quiet);
    const int status = of_the_job && !given.output.report.empty()
                           ? run_with_report(command, given, typed_without_report(argc, argv))
                           : command.run(given);
    std::cout.flush();
    if (!std::cout)
      throw brace::Error(brace::ErrorCode::cannot_write,
                         "standard output: cannot be written; it is closed, or the disk is full");
    return status;
  } catch (const brace::Error& error) {
    // A second line points at something in the first: both move by the same prefix.
    std::string message = with_long_words_cut(error.what());
    if (message.starts_with("-:") || message.starts_with("-,") || message.starts_with("- row"))
      message.replace(0, 1, "standard input");
    for (auto at = message.find('\n'); at != std::string::npos; at = message.find('\n', at + 1))
      message.insert(at + 1, "       ");
    std::cerr << "brace: " << message << '\n';
    return brace::exit_status(error);
  }
}

}  // namespace

namespace brace::app {

int run_tool(int argc, char** argv, Ranks* ranks) {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) std::signal(signal, end_by_signal);
  const char* kernels = std::getenv("BRACE_KERNELS");
  if (kernels && std::string(kernels) == "plain") brace::use_plain_kernels();
  const FitsTerminal narrow(std::cout, !is_for_programs(argc, argv));
  // What a file or a model calls itself reaches the terminal as text, never as a command to it.
  const VisibleOnly out(std::cout), err(std::cerr);
  // The library speaks of its options by their fields.
  const InToolWords words_out(std::cout), words_err(std::cerr);
  try {
    return run_command(argc, argv, ranks);
  } catch (const std::filesystem::filesystem_error& error) {
    return unexpected(
        error.path1().string().substr(0, 120).c_str(),
        (": cannot be reached (" + error.code().message() + "); check the name").c_str());
  } catch (const std::bad_alloc&) {
    return unexpected("memory ran out", "; give fewer rows, draws or models at once");
  } catch (const std::system_error& error) {
    return unexpected(error.what(), "; the system refused it: try --threads 1");
  } catch (const std::exception& error) {
    return unexpected((std::string("unexpected: ") + error.what()).c_str(),
                      "; please report this with the command");
  }
}

}  // namespace brace::app
