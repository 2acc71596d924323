// SPDX-License-Identifier: Apache-2.0
// What every reader promises of any bytes: a result, or an Error with words, and nothing else.
//
//   extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
//     return answers([&] { (void)brace::parse_model(text_of(data, size)); });
//   }
#pragma once

#include <unistd.h>

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <string_view>

#include "brace/base/error.hpp"

namespace fuzz {

[[noreturn]] inline void broken(const char* promise) {
  std::fputs(promise, stderr);
  std::fputc('\n', stderr);
  std::abort();
}

inline std::string text_of(const std::uint8_t* data, std::size_t size) {
  return {reinterpret_cast<const char*>(data), size};
}

inline int answers(auto&& ask) {
  try {
    ask();
  } catch (const brace::Error& error) {
    if (std::string_view(error.what()).empty()) broken("an error without words");
  }
  return 0;
}

// A file of this process's own, for readers of files.
inline const std::string& own_file(const std::string& name) {
  static const std::string path = [&] {
    std::string pattern = (std::filesystem::temp_directory_path() / "brace-fuzz-XXXXXX").string();
    if (::mkdtemp(pattern.data()) == nullptr) broken("no temporary folder");
    return pattern + "/" + name;
  }();
  return path;
}

}  // namespace fuzz
