// SPDX-License-Identifier: Apache-2.0
// Whole-file reading and atomic writing. Covered by tests/io/csv_test.cpp.
#include "brace/io/files.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <sstream>

#include "brace/base/error.hpp"

namespace brace {

void write_whole(const std::string& path, std::string_view content) {
  const std::string temporary = fmt::format("{}.{}.part", path, ::getpid());
  const auto refuse = [&](const std::string& why) {
    std::error_code ignored;
    std::filesystem::remove(temporary, ignored);
    throw Error(
        ErrorCode::cannot_write,
        fmt::format("{}: cannot be written ({}); check the folder and its permissions", path, why));
  };
  {
    std::ofstream out(temporary, std::ios::binary | std::ios::trunc);
    if (!out) refuse(std::strerror(errno));
    out.write(content.data(), static_cast<std::streamsize>(content.size()));
    out.close();
    if (!out) refuse("the disk may be full");
  }
  std::error_code error;
  std::filesystem::rename(temporary, path, error);
  if (error) refuse(error.message());
}

std::string read_whole(const std::string& path) {
  std::ostringstream content;
  if (path == "-") {
    content << std::cin.rdbuf();
    return content.str();
  }
  if (std::filesystem::is_directory(path))
    throw Error(ErrorCode::file_missing, fmt::format("{}: is a folder; name a file in it", path));
  std::ifstream in(path, std::ios::binary);
  if (!in)
    throw Error(ErrorCode::file_missing,
                fmt::format("{}: {}; check the name", path,
                            errno == EACCES ? "may not be read" : "there is no such file"));
  content << in.rdbuf();
  return content.str();
}

}  // namespace brace
