// SPDX-License-Identifier: Apache-2.0
// Files whole or not at all, and one writer at a time.
//
//   brace::write_whole("forecast.csv", text);   // temporary file beside it, then rename
//   const brace::WriterLock lock("night.csv");  // throws while another run holds it
//
// Threads: calls that write different files may run at once. A WriterLock keeps out all others, of
// this process and of others.
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

// The right to write to a file or a folder, against all who ask for it too; held for as long as this
// lives and gone with the process however it ends. A file that is not there is made,
// empty. Throws Error (cannot_write) where another run holds it, or where it cannot be opened.
class WriterLock {
 public:
  explicit WriterLock(const std::string& path);
  ~WriterLock();
  WriterLock(const WriterLock&) = delete;
  WriterLock& operator=(const WriterLock&) = delete;

 private:
  int descriptor_;
};

// The content of a file, or of standard input for "-". Throws Error (file_missing).
[[nodiscard]] std::string read_whole(const std::string& path);

}  // namespace brace::inline v0
BRACE_API_END
