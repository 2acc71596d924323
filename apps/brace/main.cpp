// SPDX-License-Identifier: Apache-2.0
// The tool: reads the command line, runs one command, turns errors into a line on stderr and an
// exit status.
#include <csignal>
#include <cstdio>
#include <exception>
#include <filesystem>
#include <iostream>
#include <new>
#include <system_error>

#include "brace/io/files.hpp"
#include "options.hpp"
#include "visible.hpp"

namespace {

// Temporary files go with the program, however it ends.
void end_by_signal(int signal) {
  brace::remove_temporaries();
  std::signal(signal, SIG_DFL);
  std::raise(signal);
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

// A call that cannot succeed is refused before anything is computed.
void refuse_hopeless(const brace::app::Options& o) {
  using brace::Error, brace::ErrorCode;
  namespace fs = std::filesystem;
  std::error_code none;
  for (const auto& [option, path] :
       {std::pair{"--chart", &o.chart}, {"--shape", &o.shape}, {"--roots", &o.roots}}) {
    const std::string ending = fs::path(*path).extension().string();
    if (!path->empty() && ending != ".png" && ending != ".svg" && ending != ".pdf")
      throw Error(ErrorCode::bad_option,
                  std::string(option) + " " + *path + ": the name must end in .png, .svg or .pdf");
  }
  for (const std::string* path : {&o.chart, &o.shape, &o.roots, &o.out, &o.save, &o.journal}) {
    if (path->empty() || (path == &o.out && o.out_is_folder)) continue;
    const fs::path folder = fs::path(*path).parent_path();
    if (fs::is_directory(*path, none) || (!folder.empty() && !fs::is_directory(folder, none)))
      throw Error(
          ErrorCode::cannot_write,
          *path + ": cannot be written (" +
              (fs::is_directory(*path, none) ? "it is a folder" : "there is no such folder") +
              "); name a file in a folder that exists");
    const bool may_replace = path == &o.save && !o.newer.empty();  // update writes over its model
    for (const std::string* input : {&o.file, &o.newer, &o.future})
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
    const auto near = brace::text::nearest(given, known);
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
    if (const auto near = brace::text::nearest(word, known))
      return "; did you mean '" + *near + "'?";
  }
  return "";
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

  read_whole_numbers_as_decimal(app);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) return app.exit(error);  // --help, --version
    std::cerr << "brace: " << unknown_command(app, argc, argv).value_or(error.what())
              << mend_of(app, error, argc, argv)
              << "; 'brace --help' and 'brace COMMAND --help' list what there is\n";
    return 2;
  }
  try {
    refuse_hopeless(options);
    const int status = run(options);
    std::cout.flush();
    if (!std::cout)
      throw brace::Error(brace::ErrorCode::cannot_write,
                         "standard output: cannot be written; it is closed, or the disk is full");
    return status;
  } catch (const brace::Error& error) {
    // A second line points at something in the first: both move by the same prefix.
    std::string message = with_long_words_cut(error.what());
    for (auto at = message.find('\n'); at != std::string::npos; at = message.find('\n', at + 1))
      message.insert(at + 1, "       ");
    std::cerr << "brace: " << message << '\n';
    return brace::exit_status(error);
  }
}

}  // namespace

int main(int argc, char** argv) {
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) std::signal(signal, end_by_signal);
  // What a file or a model calls itself reaches the terminal as text, never as a command to it.
  const brace::app::VisibleOnly out(std::cout), err(std::cerr);
  try {
    return run_tool(argc, argv);
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
