// SPDX-License-Identifier: Apache-2.0
// Files whole or not at all.
//
//   brace::write_whole("forecast.csv", text);   // temporary file beside it, then rename
//
// Threads: calls that write different files may run at once.
#pragma once

#include <string>
#include <string_view>

#include "brace/base/api.hpp"

BRACE_API_BEGIN
namespace brace::inline v0 {

// Writes `content` to `path` so that a reader sees the old file or the new one, never a part. A
// symbolic link is followed, and what is no file (a device, a pipe) is written through. Throws
// Error (cannot_write); nothing is left behind then.
void write_whole(const std::string& path, std::string_view content);

// Takes away the temporary files that are being written, on the way out of a signal: it may be
// called from a handler.
void remove_temporaries() noexcept;

// The content of a file, or of standard input for "-". Throws Error (file_missing).
[[nodiscard]] std::string read_whole(const std::string& path);

}  // namespace brace::inline v0
BRACE_API_END
