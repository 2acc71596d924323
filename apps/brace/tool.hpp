// SPDX-License-Identifier: Apache-2.0
// The whole tool as a call.
//
//   int main(int argc, char** argv) { return brace::app::run_tool(argc, argv); }
#pragma once

namespace brace::app {

class Ranks;

// The exit status of the command line. `ranks`: the other processes, where there are any.
[[nodiscard]] int run_tool(int argc, char** argv, Ranks* ranks = nullptr);

}  // namespace brace::app
