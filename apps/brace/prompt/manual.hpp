// SPDX-License-Identifier: Apache-2.0
// The manual pages, from the table of commands, in the macros of mdoc(7).
//
//   write_whole("brace-fit.1", manual_page(command));
#pragma once

#include <deque>
#include <string>

#include "command.hpp"

namespace brace::app {

// brace-NAME(1).
[[nodiscard]] std::string manual_page(const Command& command);
// brace-mpi(1).
[[nodiscard]] std::string manual_page_over_ranks();
// brace(1), which names the others.
[[nodiscard]] std::string manual_page(const std::deque<Command>& commands);

}  // namespace brace::app
