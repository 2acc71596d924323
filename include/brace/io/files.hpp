// SPDX-License-Identifier: Apache-2.0
// Files whole or not at all.
//
//   brace::write_whole("forecast.csv", text);   // temporary file beside it, then rename
#pragma once

#include <string>
#include <string_view>

namespace brace {

// Writes `content` to `path` so that a reader sees the old file or the new one, never a part.
// Throws Error (cannot_write); nothing is left behind then.
void write_whole(const std::string& path, std::string_view content);

// The content of a file, or of standard input for "-". Throws Error (file_missing).
[[nodiscard]] std::string read_whole(const std::string& path);

}  // namespace brace
