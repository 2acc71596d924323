// SPDX-License-Identifier: Apache-2.0
// Whole-file reading and atomic writing. Covered by tests/io/csv_test.cpp.
#include "brace/io/files.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <mutex>
#include <sstream>

#include "brace/base/error.hpp"
#include "io/temporary.hpp"

namespace brace::inline v0 {

namespace {

// Names in plain memory, which a signal handler may read. A slot is taken by its first letter.
constexpr std::size_t kSlots = 16, kLongest = 4096;
char temporaries[kSlots][kLongest];
std::mutex choosing;  // of a slot: threads may write files at once

[[noreturn]] void refuse_write(const std::string& path, const std::string& why) {
  throw Error(
      ErrorCode::cannot_write,
      fmt::format("{}: cannot be written ({}); check the folder and its permissions", path, why));
}

// Devices, pipes and sockets have no old content to keep.
void write_through(const std::string& path, std::string_view content) {
  std::ofstream out(path, std::ios::binary);
  if (!out) refuse_write(path, std::strerror(errno));
  out.write(content.data(), static_cast<std::streamsize>(content.size()));
  out.close();
  if (!out) refuse_write(path, "the other end may be closed, or the disk full");
}

}  // namespace

Temporary::Temporary(const std::string& path) : slot_(kSlots) {
  if (path.empty() || path.size() >= kLongest) return;
  const std::scoped_lock lock(choosing);
  for (std::size_t i = 0; i < kSlots && slot_ == kSlots; ++i)
    if (temporaries[i][0] == '\0') slot_ = i;
  if (slot_ == kSlots) return;
  // The first letter last: until then the slot counts as free.
  std::memcpy(temporaries[slot_] + 1, path.c_str() + 1, path.size());
  temporaries[slot_][0] = path[0];
}

Temporary::~Temporary() {
  if (slot_ < kSlots) temporaries[slot_][0] = '\0';
}

void remove_temporaries() noexcept {
  for (char* const path : temporaries)
    if (path[0] != '\0') ::unlink(path);
  for (char* const path : temporaries)  // folders, which are empty by now
    if (path[0] != '\0') ::rmdir(path);
}

void write_whole(const std::string& given, std::string_view content) {
  std::error_code error;
  std::string path = given;
  if (std::filesystem::is_symlink(given, error)) {
    path = std::filesystem::weakly_canonical(given, error).string();
    if (error) refuse_write(given, error.message());
  }
  const std::filesystem::file_status status = std::filesystem::status(path, error);
  if (std::filesystem::is_directory(status)) refuse_write(given, "it is a folder");
  if (std::filesystem::exists(status) && !std::filesystem::is_regular_file(status)) {
    write_through(path, content);
    return;
  }
  const std::string temporary = fmt::format("{}.{}.part", path, ::getpid());
  const Temporary registered(temporary);
  const auto refuse = [&](const std::string& why) {
    std::error_code ignored;
    std::filesystem::remove(temporary, ignored);
    refuse_write(given, why);
  };
  {
    std::ofstream out(temporary, std::ios::binary | std::ios::trunc);
    if (!out) refuse(std::strerror(errno));
    out.write(content.data(), static_cast<std::streamsize>(content.size()));
    out.close();
    if (!out) refuse("the disk may be full");
  }
  std::filesystem::rename(temporary, path, error);
  if (error) refuse(error.message());
}

WriterLock::WriterLock(const std::string& path)
    : descriptor_(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
  if (descriptor_ < 0 && errno == EISDIR)
    descriptor_ = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (descriptor_ < 0) refuse_write(path, std::strerror(errno));
  if (::flock(descriptor_, LOCK_EX | LOCK_NB) == 0) return;
  ::close(descriptor_);
  throw Error(ErrorCode::cannot_write,
              fmt::format("{}: another run is writing to it; wait until it has ended, or name "
                          "another one",
                          path));
}

WriterLock::~WriterLock() {
  ::close(descriptor_);
}

std::string read_whole(const std::string& path) {
  std::ostringstream content;
  if (path == "-") {
    content << std::cin.rdbuf();
    return content.str();
  }
  std::error_code none;
  if (std::filesystem::is_directory(path, none))
    throw Error(ErrorCode::file_missing, fmt::format("{}: is a folder; name a file in it", path));
  std::ifstream in(path, std::ios::binary);
  if (!in)
    throw Error(ErrorCode::file_missing,
                fmt::format("{}: {}; check the name", path,
                            errno == EACCES ? "may not be read" : "there is no such file"));
  content << in.rdbuf();
  return content.str();
}

}  // namespace brace::inline v0
