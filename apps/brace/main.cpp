// SPDX-License-Identifier: Apache-2.0
// The program brace.
#include "tool.hpp"

int main(int argc, char** argv) {
  return brace::app::run_tool(argc, argv);
}
