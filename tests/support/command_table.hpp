// SPDX-License-Identifier: Apache-2.0
// The commands and options that the tool has, as it tells programs.
#pragma once

#include <nlohmann/json.hpp>

#include "support/run.hpp"

namespace brace::test {

inline nlohmann::json command_table() {
  return nlohmann::json::parse(brace("help --json").out).at("result").at("commands");
}

}  // namespace brace::test
