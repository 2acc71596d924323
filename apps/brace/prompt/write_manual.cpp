// SPDX-License-Identifier: Apache-2.0
// Writes the manual pages when the tool is built:  brace_manual FOLDER
#include <cstdio>
#include <exception>
#include <filesystem>

#include "brace/io/files.hpp"
#include "options.hpp"
#include "prompt/manual.hpp"

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  try {
    const std::filesystem::path folder = argv[1];
    std::filesystem::create_directories(folder);
    std::deque<brace::app::Options> options;
    const std::deque<brace::app::Command> commands = brace::app::all_commands(options);
    for (const brace::app::Command& c : commands)
      brace::write_whole((folder / ("brace-" + c.name + ".1")).string(),
                         brace::app::manual_page(c));
    brace::write_whole((folder / "brace.1").string(), brace::app::manual_page(commands));
    brace::write_whole((folder / "brace-mpi.1").string(), brace::app::manual_page_over_ranks());
    return 0;
  } catch (const std::exception& error) {
    std::fprintf(stderr, "brace_manual: %s\n", error.what());
    return 1;
  }
}
