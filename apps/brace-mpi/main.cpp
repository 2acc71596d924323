// SPDX-License-Identifier: Apache-2.0
// The program brace-mpi: `mpirun -n 4 brace-mpi batch ...` does what `brace batch ...` does, with
// rank 0 reading and writing and the others computing.
#include <iostream>
#include <string_view>

#include "mpi_ranks.hpp"
#include "tool.hpp"

int main(int argc, char** argv) {
  brace::app::MpiRanks ranks(argc, argv);
  // What all would say is said once.
  if (!ranks.leads()) {
    std::cout.setstate(std::ios::failbit);
    std::cerr.setstate(std::ios::failbit);
  }
  const std::string_view first = argc > 1 ? argv[1] : "";
  if (first != "batch" && !ranks.alone() && first != "--help" && first != "--version") {
    std::cerr << "brace: several processes share the command batch alone; start 'brace " << first
              << "' as one\n";
    return 2;
  }
  const int status = brace::app::run_tool(argc, argv, ranks.alone() ? nullptr : &ranks);
  return ranks.leads() ? status : 0;
}
